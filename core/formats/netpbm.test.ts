import { describe, expect, it } from 'vitest';
import { UplandError } from '../errors';
import { pfm, pgm } from './netpbm';

const bytesOf = (...parts: (string | number[])[]) =>
  Uint8Array.from(parts.flatMap((part) => (typeof part === 'string' ? [...new TextEncoder().encode(part)] : part))) as Uint8Array<ArrayBuffer>;
const read = (...parts: (string | number[])[]) => pgm.read(bytesOf(...parts));

// Laid out by the Netpbm manual (pgm, pbm, ppm, pam, pfm); ImageMagick and Netpbm's own files are read in the reference tests.

describe('PGM', () => {
  it('is read as text, with remarks anywhere in its header and any white space', async () => {
    const reading = await read('P2 # made by hand\n3\t2 # across, down\r\n65535\n0 1 2\n\n65535   40000 7\n');
    expect(reading).toMatchObject({ width: 3, height: 2, type: 'u16', unit: 'code', channels: 1, odd: [] });
    expect([...reading.samples]).toEqual([0, 1, 2, 65_535, 40_000, 7]);
  });

  it('is read as bytes, the high one first above 255', async () => {
    expect([...(await read('P5\n2 2\n255\n', [1, 2, 3, 255])).samples]).toEqual([1, 2, 3, 255]);
    const wide = await read('P5\n2 1\n65535\n', [0x12, 0x34, 0xff, 0x00]);
    expect(wide.type).toBe('u16');
    expect([...wide.samples]).toEqual([0x1234, 0xff00]);
  });

  it('takes the first byte after its header as a sample, whatever it looks like', async () => {
    // A space and a `#`: neither is white space nor a remark any more.
    expect([...(await read('P5 2 1 255\n', [0x20, 0x23])).samples]).toEqual([0x20, 0x23]);
  });

  it('says where its largest code is not the type’s own', async () => {
    const reading = await read('P5\n1 1\n1000\n', [0x03, 0xe8]);
    expect(reading.type).toBe('u16');
    expect(reading.odd![0]).toContain('1000');
    expect((await read('P2 1 1 100 100')).type).toBe('u8');
  });

  it('is written as it is read', async () => {
    for (const [type, samples] of [
      ['u8', Uint8Array.of(0, 9, 255, 128, 4, 77)],
      ['u16', Uint16Array.of(0, 9, 65_535, 256, 40_000, 255)],
    ] as const) {
      const bytes = await pgm.write({ width: 3, height: 2, type, samples } as never);
      expect(pgm.sniff(bytes)).toBe(true);
      expect([...(await pgm.read(bytes)).samples], type).toEqual([...samples]);
    }
  });

  it.each([
    ['without a width', 'P2\nx 2\n255\n1 2'],
    ['with codes beyond its largest', 'P2\n2 1\n255\n7 256'],
    ['with codes beyond its largest, in colour', 'P3\n1 1\n255\n7 256 1'],
    ['with a largest code of nothing', 'P2\n2 1\n0\n0 0'],
    ['with a largest code of more than two bytes', 'P5\n1 1\n70000\nab'],
    ['with fewer samples than it says', 'P5\n4 4\n255\nabc'],
    ['with text that is no number', 'P2\n2 1\n255\n1 tall'],
    ['of more samples than there can be', 'P5\n999999999 999999999\n255\n'],
    ['of bits that are neither one nor nought', 'P1\n3 1\n1 2 0'],
  ])('%s is refused with a sentence', async (_, text) => {
    const refused = await read(text).then(
      () => null,
      (error: unknown) => error,
    );
    expect(refused).toBeInstanceOf(UplandError);
    expect((refused as Error).message).toMatch(/^[A-Z].*\.$/);
  });
});

describe('its kin', () => {
  it('of bits has black as 0, with or without spaces, in rows of whole bytes', async () => {
    expect([...(await read('P1\n4 2\n0110\n1 0 0 1\n')).samples]).toEqual([1, 0, 0, 1, 0, 1, 1, 0]);
    const packed = await read('P4\n10 2\n', [0b10000000, 0b01000000, 0b00000001, 0b10000000]);
    expect([...packed.samples].map((v, i) => (v ? -1 : i)).filter((i) => i >= 0)).toEqual([0, 9, 17, 18]);
  });

  it('of colour is read by one of its bands', async () => {
    const ppm = bytesOf('P6\n2 1\n255\n', [10, 20, 30, 40, 50, 60]);
    expect([...(await pgm.read(ppm, { band: 1 })).samples]).toEqual([10, 40]);
    expect([...(await pgm.read(ppm, { band: 3 })).samples]).toEqual([30, 60]);
    await expect(pgm.read(ppm, { band: 4 })).rejects.toThrow(UplandError);
    expect([...(await pgm.read(bytesOf('P3 1 1 255 7 8 9'), { band: 2 })).samples]).toEqual([8]);
  });

  it('of any channels says so in words of its own', async () => {
    const pam = (head: string, ...bytes: number[]) => read(`P7\n${head}ENDHDR\n`, bytes);
    const depth = await pam('WIDTH 2\nHEIGHT 1\nDEPTH 1\nMAXVAL 65535\nTUPLTYPE GRAYSCALE\n', 1, 2, 3, 4);
    expect([...depth.samples]).toEqual([0x0102, 0x0304]);
    await expect(pam('WIDTH 2\nHEIGHT 1\nDEPTH 1\n', 1, 2)).rejects.toThrow('its header lacks WIDTH, HEIGHT, DEPTH or MAXVAL');
    await expect(pam('WIDTH 2\nSHINE 1\n', 1, 2)).rejects.toThrow(/stands in its header/);
    await expect(pam('WIDTH 1\nHEIGHT 1\nDEPTH 65\nMAXVAL 255\n', ...Array<number>(65).fill(1))).rejects.toThrow(/64 are the most/);
    await expect(read('P7\nWIDTH 1\n')).rejects.toThrow('its header does not end');
  });
});

describe('PFM', () => {
  const floats = (little: boolean, ...values: number[]) => {
    const view = new DataView(new ArrayBuffer(4 * values.length));
    values.forEach((v, i) => view.setFloat32(4 * i, v, little));
    return [...new Uint8Array(view.buffer)];
  };

  it('has its rows from the south, in either byte order by the sign of its scale', async () => {
    for (const [scale, little] of [
      ['-1.0', true],
      ['1.0', false],
    ] as const) {
      const reading = await pfm.read(bytesOf(`Pf\n2 2\n${scale}\n`, floats(little, 1.5, 2.5, -3, 1e6)));
      expect([...reading.samples], scale).toEqual([-3, 1e6, 1.5, 2.5]);
      expect(reading.odd).toEqual([]);
    }
  });

  it('says of a scale of its own, and of colour, what it made of them', async () => {
    expect((await pfm.read(bytesOf('Pf 1 1 -0.25\n', floats(true, 8)))).odd![0]).toContain('0.25');
    const colour = await pfm.read(bytesOf('PF 1 1 -1\n', floats(true, 8, 9, 10)), { band: 2 });
    expect([...colour.samples]).toEqual([9]);
    expect(colour.odd![0]).toBe('It has three channels; number 2 is read.');
  });

  it('is written to the bit', async () => {
    const samples = Float32Array.of(0.1, -2, 3e-39, 4.25, 5, 6);
    expect((await pfm.read(await pfm.write({ width: 3, height: 2, type: 'f32', samples } as never))).samples).toEqual(samples);
  });

  it('is refused without a scale, or cut short', async () => {
    await expect(pfm.read(bytesOf('Pf 1 1 0\n', floats(true, 8)))).rejects.toThrow(/its scale is/);
    await expect(pfm.read(bytesOf('Pf 2 2 -1\n', floats(true, 8)))).rejects.toThrow(UplandError);
  });
});
