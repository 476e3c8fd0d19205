import fc from 'fast-check';
import { deflate } from 'pako';
import { describe, expect, it } from 'vitest';
import { groundOf, hills, noiseField } from '../../tests/helpers/grounds';
import { encode, type Encoding } from '../delivery/encode';
import { UplandError } from '../errors';
import { makeField } from '../field/field';
import { statistics } from '../field/statistics';
import { CODES, SAMPLE_TYPES, type SampleType } from './format';
import { readHeights, toField } from './heights';
import { formatByName, formats, readHeightmap } from './index';
import { parseRawSpec, readRaw } from './raw';

const field = hills(groundOf(37, 29, 8));
const { lowest, highest } = statistics(field);
const specOf = (e: Encoding, across = 37, down = 29) =>
  e.format === 'raw'
    ? `raw:${e.type}:${e.options?.order ?? 'le'}:${across}x${down}${e.options?.skip ? `:skip=${e.options.skip}` : ''}${e.options?.rows === 'south' ? ':rows=south' : ''}`
    : undefined;

const cases: Encoding[] = [
  ...formats.flatMap((f) => f.writes.map((type): Encoding => ({ format: f.id, type, range: CODES[type] ? { low: lowest, high: highest } : undefined }))),
  ...SAMPLE_TYPES.map((type): Encoding => ({
    format: 'raw',
    type,
    range: CODES[type] ? { low: lowest, high: highest } : undefined,
    options: { order: 'be', rows: 'south', skip: 17 },
  })),
  ...(['f32', 'u16', 'u8', 's32', 'f64'] as SampleType[]).map((type): Encoding => ({
    format: 'tiff',
    type,
    range: CODES[type] ? { low: lowest, high: highest } : undefined,
    options: { compression: 'deflate' },
  })),
];

describe('every format', () => {
  it.each(cases.map((c) => [`${c.format} ${c.type} ${JSON.stringify(c.options ?? {})}`, c] as const))(
    '%s: there and back within half a code, or to the bit',
    async (_, encoding) => {
      const { bytes, quantised } = await encode(field, encoding);
      const reading = await readHeightmap(bytes, specOf(encoding));
      expect(reading.width).toBe(37);
      expect(reading.samples.length).toBe(37 * 29);
      const own = encoding.type === 'f32' ? Math.fround : (v: number) => v;
      for (let i = 0; i < reading.samples.length; i++) expect(own(reading.samples[i])).toBe(quantised.page.samples[i]);
      const back = toField(reading, reading.unit === 'm' ? {} : { range: encoding.range });
      for (let i = 0; i < field.height.length; i++) {
        const off = Math.abs(back.height[i] + back.ground.datum - field.height[i]);
        // Float32 holds heights of 500 m to 0.03 mm; half a code comes on top of that.
        expect(off).toBeLessThanOrEqual(encoding.range ? quantised.step / 2 + 4e-5 : 0);
      }
    },
  );

  it('gives the same bytes twice', async () => {
    for (const encoding of cases) expect((await encode(field, encoding)).bytes).toEqual((await encode(field, encoding)).bytes);
  });

  it('is known by its bytes, not by its ending', async () => {
    for (const format of formats.filter((f) => f.id !== 'raw')) {
      const type = format.writes[0];
      const { bytes } = await encode(field, { format: format.id, type, range: CODES[type] ? { low: lowest, high: highest } : undefined });
      expect((await readHeightmap(bytes)).format).toBe(format.id);
    }
  });

  it('keeps 10 m of range at 3 650 m: codes bit-equal in 16 bits', async () => {
    const high = noiseField(groundOf(33, 33, 1, 'point', 3650), 5, 3650, 3660);
    const encoding: Encoding = { format: 'png', type: 'u16', range: { low: 3650, high: 3660 } };
    const first = await encode(high, encoding);
    const back = await readHeights(first.bytes, { range: encoding.range });
    expect(back.ground.datum).toBe(3650);
    const second = await encode(back, encoding);
    expect(second.bytes).toEqual(first.bytes);
  });

  it('carries spacing, registration and place in TIFF and ASCII grid', async () => {
    for (const registration of ['point', 'area'] as const) {
      const ground = { ...groundOf(21, 13, 7.5, registration), georeference: { west: 1000, north: 5000, crs: '' } };
      for (const format of ['tiff', 'asc']) {
        const reading = await readHeightmap(
          (
            await encode(
              makeField(
                ground,
                new Float32Array(21 * 13).map((_, i) => i),
              ),
              { format, type: 'f32' },
            )
          ).bytes,
        );
        expect(reading).toMatchObject({ registration, spacing: { x: 7.5, y: 7.5 }, unit: 'm', georeference: { west: 1000, north: 5000 } });
        expect(toField(reading).ground).toMatchObject({ width: ground.width, depth: ground.depth, registration });
      }
    }
  });

  it('says in a TIFF of codes how many metres they stand for', async () => {
    const { bytes } = await encode(field, { format: 'tiff', type: 'u16', range: { low: 200, high: 1000 } });
    const back = await readHeights(bytes);
    for (let i = 0; i < field.height.length; i += 7)
      expect(Math.abs(back.height[i] + back.ground.datum - field.height[i])).toBeLessThan((800 / 65_535) * 0.501);
  });

  it('keeps samples without data where the format has a place for them, and says so where it has not', async () => {
    const valid = new Uint8Array(field.height.length).fill(1);
    valid[5] = 0;
    const holed = { ...field, valid };
    for (const format of ['tiff', 'asc']) {
      const back = await readHeights((await encode(holed, { format, type: 'f32' })).bytes);
      expect(back.valid!.filter((v) => v === 0)).toHaveLength(1);
      expect(back.valid![5]).toBe(0);
    }
    await expect(encode(holed, { format: 'png', type: 'u16', range: { low: 0, high: 1000 } })).rejects.toThrow(/without a height/);
  });
});

describe('PNG', () => {
  it('reads packed greys of 1, 2 and 4 bits, alpha beside grey, and interlaced rows', async () => {
    const build = (depth: number, colour: number, interlace: number, raw: number[], width: number, height: number) => {
      const chunk = (kind: string, body: Uint8Array) => {
        const out = new Uint8Array(12 + body.length);
        const view = new DataView(out.buffer);
        view.setUint32(0, body.length);
        for (let i = 0; i < 4; i++) out[4 + i] = kind.charCodeAt(i);
        out.set(body, 8);
        let c = 0xffffffff;
        for (let i = 4; i < 8 + body.length; i++) {
          c ^= out[i];
          for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
        }
        view.setUint32(8 + body.length, (c ^ 0xffffffff) >>> 0);
        return out;
      };
      const header = new Uint8Array([0, 0, 0, width, 0, 0, 0, height, depth, colour, 0, 0, interlace]);
      const parts = [
        new Uint8Array([137, 80, 78, 71, 13, 10, 26, 10]),
        chunk('IHDR', header),
        chunk('IDAT', deflate(Uint8Array.from(raw))),
        chunk('IEND', new Uint8Array(0)),
      ];
      return Uint8Array.from(parts.flatMap((p) => [...p]));
    };
    expect([...(await readHeightmap(build(1, 0, 0, [0, 0b10110000], 4, 1))).samples]).toEqual([1, 0, 1, 1]);
    expect([...(await readHeightmap(build(4, 0, 0, [0, 0x5a, 0xf0], 3, 1))).samples]).toEqual([5, 10, 15]);
    const withAlpha = await readHeightmap(build(8, 4, 0, [0, 7, 255, 9, 0], 2, 1));
    expect([...withAlpha.samples]).toEqual([7, 9]);
    expect(withAlpha.odd.join()).toMatch(/alpha/);
    // Adam7 on 2 × 2: pass 1 has (0,0), pass 6 has (1,0), pass 7 the second row.
    expect([...(await readHeightmap(build(8, 0, 1, [0, 1, 0, 2, 0, 3, 4], 2, 2))).samples]).toEqual([1, 2, 3, 4]);
    await expect(readHeightmap(build(8, 2, 0, [0, 1, 2, 3], 1, 1))).rejects.toThrow(/holds colours/);
  });
});

describe('raw bytes', () => {
  it('take a layout in words, and say what is wrong with it', () => {
    expect(parseRawSpec('raw:u16:be:513x257:skip=64:rows=south:channels=3:channel=2')).toEqual({
      type: 'u16',
      order: 'be',
      width: 513,
      height: 257,
      skip: 64,
      rows: 'south',
      channels: 3,
      channel: 1,
    });
    for (const bad of ['raw', 'raw:u12:le:4x4', 'raw:u16:xe:4x4', 'raw:u16:le:4', 'raw:u16:le:4x4:deep=2', 'raw:u16:le:4x4:channels=2:channel=3'])
      expect(() => parseRawSpec(bad)).toThrow(UplandError);
  });

  it('say what would fit when the count is wrong', () => {
    const bytes = new Uint8Array(512 * 512);
    expect(() => readRaw(bytes, parseRawSpec('raw:u16:le:512x512'))).toThrow(
      'This file has 262144 bytes; 512 × 512 samples of 16 bits need 524288. It fits 512 × 512 of 8 bits, or 512 × 256 of 16.',
    );
  });
});

describe('bad input', () => {
  const isSentence = (error: unknown) => error instanceof UplandError && error.message.length > 10 && /[.]$/.test(error.message) && error.code.length > 0;

  it('of every kind is refused with a sentence and a code, cut short at any byte', async () => {
    for (const encoding of cases.filter((c) => c.format !== 'asc' && !c.options?.rows)) {
      const { bytes } = await encode(field, encoding);
      const as = specOf(encoding);
      for (const length of [0, 1, 7, 8, 20, 33, 60, Math.floor(bytes.length / 2), bytes.length - 40]) {
        // The last bytes of a TIFF or PNG may be padding or the end marker; what is shorter than that has to fail.
        await expect(
          readHeightmap(bytes.slice(0, Math.max(0, length)), as).then(
            () => `${encoding.format} ${encoding.type} ${length} was read`,
            (e) => (isSentence(e) ? 'refused' : e),
          ),
          `${encoding.format} ${length}`,
        ).resolves.toBe('refused');
      }
    }
  });

  it('that is mutated at random is read or refused, never anything else, and quickly', async () => {
    const seeds = await Promise.all(
      [
        cases[0],
        cases.find((c) => c.format === 'tiff' && c.type === 'f32')!,
        cases.find((c) => c.format === 'tiff' && c.options?.compression)!,
        cases.find((c) => c.format === 'asc')!,
      ].map(async (c) => (await encode(hills(groundOf(9, 7)), c)).bytes),
    );
    let slowest = 0;
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom(...seeds),
        fc.array(fc.tuple(fc.nat(), fc.nat(255)), { minLength: 1, maxLength: 6 }),
        fc.nat(),
        async (bytes, changes, cut) => {
          const damaged = bytes.slice(0, cut % 3 === 0 ? cut % bytes.length : bytes.length);
          for (const [at, value] of changes) if (damaged.length) damaged[at % Math.min(damaged.length, at % 2 ? 400 : damaged.length)] = value;
          const began = performance.now();
          try {
            const reading = await readHeightmap(damaged);
            expect(reading.samples.length).toBe(reading.width * reading.height);
          } catch (error) {
            if (!isSentence(error)) throw error;
          }
          slowest = Math.max(slowest, performance.now() - began);
        },
      ),
      { seed: 42, numRuns: 3000 },
    );
    expect(slowest).toBeLessThan(2000);
  });

  it('in a header: a million columns, a size of nothing, a bomb', async () => {
    const text = (s: string) => new TextEncoder().encode(s) as Uint8Array<ArrayBuffer>;
    await expect(readHeightmap(text('ncols 1000000\nnrows 1000000\ncellsize 1\n1 2 3'))).rejects.toThrow(/a side is the most/);
    await expect(readHeightmap(text('ncols 16000\nnrows 16000\ncellsize 1\n1 2 3'))).rejects.toThrow(/cut short/);
    await expect(readHeightmap(text('ncols 0\nnrows 4\ncellsize 1\n'))).rejects.toThrow(/nothing in it/);
    await expect(readHeightmap(text('ncols 2\nnrows 2\ncellsize 1\n1 2 three 4'))).rejects.toThrow(/"three"/);
    await expect(readHeightmap(text('ncols 2\nnrows 2\ncellsize 0\n1 2 3 4'))).rejects.toThrow(/more than 0/);
    await expect(readHeightmap(text('just some words'))).rejects.toThrow(/do not say what they are/);
    const { bytes } = await encode(hills(groundOf(9)), { format: 'png', type: 'u8', range: { low: 0, high: 1000 } });
    const huge = bytes.slice();
    new DataView(huge.buffer).setUint32(16, 1_000_000);
    await expect(readHeightmap(huge)).rejects.toThrow(/checksum/);
  });

  it('of samples that are no heights', async () => {
    const nan = (v: number) => makeField(groundOf(4), new Float32Array(16).fill(v));
    const write = async (v: number) => (await encode(nan(v), { format: 'tiff', type: 'f32' })).bytes;
    await expect(readHeights(await write(NaN))).rejects.toThrow(/No sample/);
    await expect(readHeights(await write(Infinity))).rejects.toThrow(/No sample/);
    await expect(readHeights(await write(3e30))).rejects.toThrow(/wrong type or byte order/);
  });

  it('of endings that say nothing', () => {
    expect(() => formatByName('ground.xyz123')).toThrow(/has no ending/);
  });
});
