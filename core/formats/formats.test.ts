import { describe, expect, it } from 'vitest';
import { firstWrong, groundOf, hills, noiseField } from '../../tests/helpers/grounds';
import { encode, type Encoding } from '../delivery/heights/encode';
import { makeField } from '../field/field';
import { statistics } from '../field/statistics';
import { CODES, type Beside } from './format';
import { readHeights, toField } from './heights';
import { formats, readHeightmap } from './index';
import { rawSpecOf, encodingCases } from '../../tests/helpers/encodings';

const field = hills(groundOf(37, 29, 8));

const { lowest, highest } = statistics(field);

const besideOf = (files: Beside[]) => Object.fromEntries(files.map((f) => [f.ending, f.bytes]));

describe('every format', () => {
  it.each(encodingCases.map((c) => [`${c.format} ${c.type} ${JSON.stringify(c.options ?? {})}`, c] as const))(
    '%s: there and back within half a code, or to the bit',
    async (_, encoding) => {
      const { bytes, quantised, beside } = await encode(field, encoding);
      const reading = await readHeightmap(bytes, rawSpecOf(encoding), { beside: besideOf(beside) });
      expect(reading.width).toBe(37);
      expect(reading.samples.length).toBe(37 * 29);
      const own = encoding.type === 'f32' ? Math.fround : (v: number) => v;
      expect(firstWrong(reading.samples.length, (i) => own(reading.samples[i]) === quantised.page.samples[i])).toBe(-1);
      const back = toField(reading, reading.unit === 'm' ? {} : { range: encoding.range });
      for (let i = 0; i < field.height.length; i++) {
        const off = Math.abs(back.height[i] + back.ground.datum - field.height[i]);
        // Float32 holds heights of 500 m to 0.03 mm; half a code comes on top of that.
        expect(off).toBeLessThanOrEqual(encoding.range ? quantised.step / 2 + 4e-5 : 0);
      }
    },
  );

  it('gives the same bytes twice', async () => {
    for (const encoding of encodingCases) expect((await encode(field, encoding)).bytes).toEqual((await encode(field, encoding)).bytes);
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
    await expect(readHeightmap(bytes.slice(0, 1000), 'hgt')).rejects.toThrow(/1.000 bytes; an elevation tile has/);
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
