import fc from 'fast-check';
import { encode as encodeJpeg } from 'jpeg-js';
import { deflateSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { groundOf, hills, noiseField } from '../../tests/helpers/grounds';
import { encode, type Encoding } from '../delivery/heights/encode';
import { UplandError } from '../errors';
import { makeField } from '../field/field';
import { statistics } from '../field/statistics';
import { CODES, SAMPLE_TYPES, type Beside, type SampleType } from './format';
import { readHeights, toField } from './heights';
import { formatByName, formats, readHeightmap } from './index';
import { parseRawSpec, readRaw } from './raw';

const field = hills(groundOf(37, 29, 8));
const { lowest, highest } = statistics(field);
const specOf = (e: Encoding, across = 37, down = 29) =>
  e.format === 'raw'
    ? `raw:${e.type}:${e.options?.order ?? 'le'}:${across}x${down}${e.options?.skip ? `:skip=${e.options.skip}` : ''}${e.options?.rows === 'south' ? ':rows=south' : ''}`
    : e.format === 'packed'
      ? 'packed'
      : undefined;

const cases: Encoding[] = [
  ...formats
    .filter((f) => !f.sides)
    .flatMap((f) => f.writes.map((type): Encoding => ({ format: f.id, type, range: CODES[type] ? { low: lowest, high: highest } : undefined }))),
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

const besideOf = (files: Beside[]) => Object.fromEntries(files.map((f) => [f.ending, f.bytes]));

describe('every format', () => {
  it.each(cases.map((c) => [`${c.format} ${c.type} ${JSON.stringify(c.options ?? {})}`, c] as const))(
    '%s: there and back within half a code, or to the bit',
    async (_, encoding) => {
      const { bytes, quantised, beside } = await encode(field, encoding);
      const reading = await readHeightmap(bytes, specOf(encoding), { beside: besideOf(beside) });
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
    for (const format of formats.filter((f) => f.id !== 'raw' && !f.sides)) {
      const type = format.writes[0];
      if (!type) continue;
      const { bytes, beside } = await encode(field, { format: format.id, type, range: CODES[type] ? { low: lowest, high: highest } : undefined });
      const reading = await readHeightmap(bytes, undefined, { beside: besideOf(beside) });
      expect(reading.format).toBe(format.id === 'packed' ? 'png' : format.id);
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
        chunk('IDAT', deflateSync(Uint8Array.from(raw))),
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
    // 0.2126 · 10 + 0.7152 · 20 + 0.0722 · 30 is 18.6: Rec. 709 luma.
    const colour = build(8, 2, 0, [0, 10, 20, 30], 1, 1);
    expect(await readHeightmap(colour)).toMatchObject({ samples: Uint8Array.of(19), channels: 3, band: 'luminance', unit: 'code' });
    expect(await readHeightmap(colour, undefined, { band: 2 })).toMatchObject({ samples: Uint8Array.of(20), band: 2 });
    expect(await readHeightmap(colour, undefined, { band: 'packed' })).toMatchObject({ samples: Uint32Array.of(10 * 65_536 + 20 * 256 + 30), type: 'u24' });
    await expect(readHeightmap(colour, undefined, { band: 4 })).rejects.toThrow(/there is no band 4/);
    await expect(readHeightmap(build(8, 0, 0, [0, 1], 1, 1), undefined, { band: 'luminance' })).rejects.toThrow(/no red, green and blue/);
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

describe('the smaller formats', () => {
  const text = (s: string) => new TextEncoder().encode(s) as Uint8Array<ArrayBuffer>;

  it('PGM: text with comments, largest codes of other sizes, each said', async () => {
    const reading = await readHeightmap(text('P2\n# made by hand\n3 2\n# the largest\n1000\n0 500 1000\n1 2 3\n'));
    expect(reading).toMatchObject({ format: 'pgm', width: 3, height: 2, type: 'u16', unit: 'code' });
    expect([...reading.samples]).toEqual([0, 500, 1000, 1, 2, 3]);
    expect(reading.odd[0]).toMatch(/largest code is 1000, not 65535/);
    await expect(readHeightmap(text('P2 2 1 9 5 12'))).rejects.toThrow(/is 12, and 9 is its largest/);
    await expect(readHeightmap(text('P5 2 x 9 '))).rejects.toThrow(/height is "x"/);
  });

  it('PFM: rows from the south, both byte orders, colour said', async () => {
    const head = text('PF\n1 2\n1.0\n');
    const bytes = new Uint8Array(head.length + 24);
    bytes.set(head);
    new DataView(bytes.buffer).setFloat32(head.length, 7);
    new DataView(bytes.buffer).setFloat32(head.length + 12, 9);
    const reading = await readHeightmap(bytes);
    expect([...reading.samples]).toEqual([9, 7]);
    expect(reading).toMatchObject({ channels: 3, unit: 'm' });
    expect(reading.odd[0]).toMatch(/three channels/);
    await expect(readHeightmap(text('Pf\n1 1\n0\n1234'))).rejects.toThrow(/has to be a number that is not 0/);
  });

  it('BMP: other widths are refused with what to do', async () => {
    const { bytes } = await encode(field, { format: 'bmp', type: 'u8', range: { low: lowest, high: highest } });
    const deep = bytes.slice();
    deep[28] = 4;
    await expect(readHeightmap(deep)).rejects.toThrow(/4 bits a sample, which is not read here/);
    const tinted = bytes.slice();
    tinted[54 + 4 * 90] = 200;
    expect((await readHeightmap(tinted)).odd[0]).toMatch(/luminance/);
  });

  it('elevation tiles: whole metres, voids, known by their size; other sizes are refused', async () => {
    const tile = hills(groundOf(1201, 1201, 30), 3);
    const whole = { ...tile, height: tile.height.map(Math.round) };
    const { bytes } = await encode(whole, { format: 'hgt', type: 's16', range: { low: -32_768, high: 32_767 } });
    new DataView(bytes.buffer).setInt16(2 * 77, -32_768);
    const reading = await readHeightmap(bytes);
    expect(reading).toMatchObject({ format: 'hgt', unit: 'm', noData: -32_768, registration: 'point' });
    expect(reading.odd[0]).toMatch(/by its size alone/);
    const back = toField(reading, { spacing: 30 });
    expect(back.valid![77]).toBe(0);
    for (let i = 78; i < 1201 * 1201; i += 997) expect(back.height[i] + back.ground.datum).toBe(whole.height[i]);
    await expect(encode(field, { format: 'hgt', type: 's16', range: { low: -32_768, high: 32_767 } })).rejects.toThrow(/this ground has 37 × 29/);
    await expect(encode(whole, { format: 'hgt', type: 's16', range: { low: 0, high: 1000 } })).rejects.toThrow(/whole metres/);
    await expect(readHeightmap(bytes.slice(0, 1000), 'hgt')).rejects.toThrow(/1000 bytes; an elevation tile has/);
  });

  it('NumPy: both orders of dimensions, channels said, types that are no heights refused', async () => {
    const array = (header: string, body: number[]) => {
      const padded = `${header.padEnd(117)}\n`;
      return Uint8Array.from([0x93, ...text('NUMPY'), 1, 0, padded.length, 0, ...text(padded), ...body]);
    };
    const fortran = await readHeightmap(array("{'descr': '|u1', 'fortran_order': True, 'shape': (2, 3), }", [1, 4, 2, 5, 3, 6]));
    expect([...fortran.samples]).toEqual([1, 2, 3, 4, 5, 6]);
    const channels = await readHeightmap(array("{'descr': '|u1', 'fortran_order': False, 'shape': (1, 2, 2), }", [1, 9, 2, 9]));
    expect([...channels.samples]).toEqual([1, 2]);
    const second = array("{'descr': '|u1', 'fortran_order': False, 'shape': (1, 2, 2), }", [1, 9, 2, 8]);
    expect([...(await readHeightmap(second, undefined, { band: 2 })).samples]).toEqual([9, 8]);
    await expect(readHeightmap(second, undefined, { band: 3 })).rejects.toThrow(/there is no band 3/);
    expect(channels.odd[0]).toMatch(/2 channels/);
    await expect(readHeightmap(array("{'descr': '<c8', 'fortran_order': False, 'shape': (1, 2), }", [0]))).rejects.toThrow(/not read here/);
    await expect(readHeightmap(array("{'descr': '|u1', 'fortran_order': False, 'shape': (6,), }", [0]))).rejects.toThrow(/Heights have two dimensions/);
  });
});

describe('bad input', () => {
  const isSentence = (error: unknown) => error instanceof UplandError && error.message.length > 10 && /[.]$/.test(error.message) && error.code.length > 0;

  it('of every kind is refused with a sentence and a code, cut short at any byte', async () => {
    // A line of text that is cut off is a shorter number: nobody can see that.
    for (const encoding of cases.filter((c) => c.format !== 'asc' && c.format !== 'xyz' && !c.options?.rows)) {
      const { bytes, beside } = await encode(field, encoding);
      const as = specOf(encoding);
      for (const length of [
        0,
        1,
        7,
        8,
        20,
        33,
        60,
        Math.floor(bytes.length / 2),
        bytes.length - 40,
        bytes.length - (['png', 'tiff', 'packed'].includes(encoding.format) ? 40 : 1),
      ]) {
        // The last bytes of a TIFF or PNG may be padding or the end marker; what is shorter than that has to fail.
        await expect(
          readHeightmap(bytes.slice(0, Math.max(0, length)), as, { beside: besideOf(beside) }).then(
            () => `${encoding.format} ${encoding.type} ${length} was read`,
            (e) => (isSentence(e) ? 'refused' : e),
          ),
          `${encoding.format} ${length}`,
        ).resolves.toBe('refused');
      }
    }
  });

  const mutated: [string, Encoding][] = [
    ...['png', 'asc', 'exr', 'npy', 'pgm', 'pfm', 'bmp', 'xyz', 'packed', 'flt', 'bil'].map((id): [string, Encoding] => [
      id,
      cases.find((c) => c.format === id)!,
    ]),
    ['tiff', cases.find((c) => c.format === 'tiff' && c.type === 'f32')!],
    ['tiff, packed', cases.find((c) => c.format === 'tiff' && c.options?.compression)!],
  ];
  it.each(mutated)('%s that is mutated at random, two thousand times, is read or refused, never anything else, and quickly', async (_, encoding) => {
    const { bytes, beside } = await encode(hills(groundOf(9, 7)), encoding);
    await mutations(bytes, besideOf(beside), encoding.format === 'packed' ? 'packed' : undefined);
  });

  it.each(['grey', 'colour'] as const)('a %s JPEG that is mutated at random is read or refused, and quickly', async (kind) => {
    const data = new Uint8Array(4 * 24 * 17).map((_, i) => (i % 4 === 3 ? 255 : kind === 'grey' ? (i >> 2) % 251 : (i * 7) % 253));
    await mutations(new Uint8Array(encodeJpeg({ data, width: 24, height: 17 }, 80).data), {}, undefined);
  });

  async function mutations(bytes: Uint8Array<ArrayBuffer>, beside: Record<string, Uint8Array>, as: string | undefined): Promise<void> {
    let slowest = 0;
    const spoil = (from: Uint8Array, changes: [number, number][]) => {
      const out = from.slice();
      for (const [at, value] of changes) if (out.length) out[at % Math.min(out.length, at % 2 ? 400 : out.length)] = value;
      return out;
    };
    await fc.assert(
      fc.asyncProperty(fc.array(fc.tuple(fc.nat(), fc.nat(255)), { minLength: 1, maxLength: 6 }), fc.nat(), async (changes, cut) => {
        const damaged = spoil(bytes.slice(0, cut % 3 === 0 ? cut % bytes.length : bytes.length), changes) as Uint8Array<ArrayBuffer>;
        const besides = Object.fromEntries(Object.entries(beside).map(([ending, file]) => [ending, spoil(file, changes)]));
        const began = performance.now();
        try {
          const reading = await readHeightmap(damaged, as, { beside: besides });
          expect(reading.samples.length).toBe(reading.width * reading.height);
          // And what it means is a ground, or refused with a sentence too.
          toField(reading);
        } catch (error) {
          if (!isSentence(error)) throw error;
        }
        slowest = Math.max(slowest, performance.now() - began);
      }),
      { seed: 42, numRuns: 2000 },
    );
    expect(slowest).toBeLessThan(2000);
  }

  it('in a header: a million columns, a size of nothing, a bomb', async () => {
    const text = (s: string) => new TextEncoder().encode(s) as Uint8Array<ArrayBuffer>;
    await expect(readHeightmap(text('ncols 1000000\nnrows 1000000\ncellsize 1\n1 2 3'))).rejects.toThrow(/a side is the most/);
    await expect(readHeightmap(text('ncols 16000\nnrows 16000\ncellsize 1\n1 2 3'))).rejects.toThrow(/cut short/);
    await expect(readHeightmap(text('ncols 0\nnrows 4\ncellsize 1\n'))).rejects.toThrow(/nothing in it/);
    await expect(readHeightmap(text('ncols 2\nnrows 2\ncellsize 1\n1 2 three 4'))).rejects.toThrow(/"three"/);
    await expect(readHeightmap(text('ncols 2\nnrows 2\ncellsize 0\n1 2 3 4'))).rejects.toThrow(/more than 0/);
    await expect(readHeightmap(text('just some words'))).rejects.toThrow(/It begins with "just some words"/);
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
