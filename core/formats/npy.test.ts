import { zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { UplandError } from '../errors';
import { npy, npz } from './npy';

/** An array file by hand, laid out by the NumPy manual (numpy.lib.format). Files that NumPy wrote itself are read in the reference tests. */
function array(descr: string, shape: string, body: ArrayBuffer | number[], { version = 1, fortran = false, header = '' } = {}): Uint8Array<ArrayBuffer> {
  const text = header || `{'descr': '${descr}', 'fortran_order': ${fortran ? 'True' : 'False'}, 'shape': ${shape}, }\n`;
  const start = version === 1 ? 10 : 12;
  const bytes = new Uint8Array(body instanceof ArrayBuffer ? body : Uint8Array.from(body).buffer);
  const out = new Uint8Array(start + text.length + bytes.length);
  out.set([0x93, 0x4e, 0x55, 0x4d, 0x50, 0x59, version, 0]);
  const view = new DataView(out.buffer);
  if (version === 1) view.setUint16(8, text.length, true);
  else view.setUint32(8, text.length, true);
  out.set(new TextEncoder().encode(text), start);
  out.set(bytes, start + text.length);
  return out;
}
const floats = (...values: number[]) => Float32Array.from(values).buffer;

describe('NumPy’s array file', () => {
  it.each([1, 2, 3])('of version %s is read', async (version) => {
    const reading = await npy.read(array('<f4', '(2, 3)', floats(1, 2, 3, 4, 5, 6.5), { version }));
    expect(reading).toMatchObject({ width: 3, height: 2, type: 'f32', unit: 'm' });
    expect([...reading.samples]).toEqual([1, 2, 3, 4, 5, 6.5]);
  });

  it.each([
    ['|u1', 'u8', [200]],
    ['|i1', 's16', [0xfe], -2],
    ['<u2', 'u16', [0x34, 0x12], 0x1234],
    ['>u2', 'u16', [0x12, 0x34], 0x1234],
    ['<i2', 's16', [0xff, 0xff], -1],
    ['>i4', 's32', [0xff, 0xff, 0xff, 0xfe], -2],
    ['<u4', 'u32', [0, 0, 0, 0x80], 0x80000000],
    ['<f2', 'f32', [0x00, 0x3e], 1.5],
    ['>f8', 'f64', [0x40, 0x59, 0, 0, 0, 0, 0, 0], 100],
    ['|b1', 'u8', [7], 1],
  ] as const)('of the type %s becomes %s', async (descr, type, bytes, value: number = bytes[0]) => {
    const reading = await npy.read(array(descr, '(1, 1)', [...bytes]));
    expect(reading.type).toBe(type);
    expect(reading.samples[0]).toBe(value);
  });

  it('of 64-bit whole numbers comes as narrow as they allow, and says where they cannot be kept', async () => {
    const whole = await npy.read(array('<i8', '(1, 2)', BigInt64Array.of(-5n, 1200n).buffer));
    expect([...whole.samples]).toEqual([-5, 1200]);
    expect(whole.odd).toEqual([]);
    const large = await npy.read(array('<u8', '(1, 2)', BigUint64Array.of(2n ** 53n + 1n, 0n).buffer));
    expect(large.odd!.length).toBe(1);
  });

  it('is read down its columns where it was written so', async () => {
    const rows = await npy.read(array('<f4', '(2, 3)', floats(1, 2, 3, 4, 5, 6)));
    const columns = await npy.read(array('<f4', '(2, 3)', floats(1, 4, 2, 5, 3, 6), { fortran: true }));
    expect(columns.samples).toEqual(rows.samples);
  });

  it('leaves out dimensions of one, and reads a short last one as channels', async () => {
    for (const shape of ['(1, 2, 3)', '(2, 3, 1)', '(1, 1, 2, 3)', '(2, 3)', '(2L, 3L)']) {
      const reading = await npy.read(array('<f4', shape, floats(1, 2, 3, 4, 5, 6)));
      expect([reading.width, reading.height, reading.channels], shape).toEqual(/^\(1/.test(shape) ? [2, 1, 3] : [3, 2, 1]);
    }
    const bands = array('<f4', '(1, 2, 2)', floats(1, 2, 3, 4));
    expect([...(await npy.read(bands, { band: 2 })).samples]).toEqual([2, 4]);
    expect((await npy.read(bands, { band: 2 })).odd![0]).toBe('It has 2 channels; number 2 is read.');
    await expect(npy.read(bands, { band: 3 })).rejects.toThrow(UplandError);
  });

  it('says what halves and truth values lose', async () => {
    expect((await npy.read(array('<f2', '(1, 1)', [0, 0]))).odd![0]).toContain('halves');
    expect((await npy.read(array('|b1', '(1, 1)', [1]))).odd![0]).toContain('yes or no');
  });

  it.each([
    ['of a version that is not known', array('<f4', '(1, 1)', floats(1), { version: 9 })],
    ['of complex numbers', array('<c8', '(1, 1)', floats(1, 2))],
    ['of records', array('', '', floats(1), { header: "{'descr': [('x', '<f4')], 'fortran_order': False, 'shape': (1,), }\n" })],
    ['without a shape', array('', '', floats(1), { header: "{'descr': '<f4', 'fortran_order': False, }\n" })],
    ['of one dimension', array('<f4', '(4,)', floats(1, 2, 3, 4))],
    ['of four dimensions', array('<f4', '(2, 2, 2, 2)', floats(...Array<number>(16).fill(0)))],
    ['of none', array('<f4', '()', floats(1))],
    ['shorter than it says', array('<f4', '(100, 100)', floats(1, 2))],
    ['with no header at all', Uint8Array.of(0x93, 0x4e, 0x55, 0x4d, 0x50, 0x59, 1, 0) as Uint8Array<ArrayBuffer>],
    ['with a header that is longer than the file', array('<f4', '(1, 1)', floats(1)).fill(0xff, 8, 10)],
    ['of more samples than there can be', array('|u1', '(4000000000, 4000000000)', [1])],
  ])('%s is refused with a sentence', async (_, bytes) => {
    await expect(npy.read(bytes)).rejects.toThrow(UplandError);
  });

  it('is written as it is read, its numbers at a multiple of 64 bytes', async () => {
    for (const [type, samples] of [
      ['f32', Float32Array.of(0.1, -2, 3e-39, 7)],
      ['f64', Float64Array.of(Math.PI, -1e300, 0, 5)],
      ['u8', Uint8Array.of(0, 1, 200, 255)],
      ['s16', Int16Array.of(-32_768, 0, 1, 32_767)],
      ['u32', Uint32Array.of(0, 1, 2 ** 31, 2 ** 32 - 1)],
    ] as const) {
      const bytes = await npy.write({ width: 2, height: 2, type, samples } as never);
      expect((bytes.length - 4 * samples.BYTES_PER_ELEMENT) % 64, type).toBe(0);
      expect((await npy.read(bytes)).samples, type).toEqual(samples);
    }
  });
});

describe('a NumPy archive', () => {
  const heights = array('<f4', '(2, 2)', floats(1, 2, 3, 4));

  it('is read by the first of its arrays that could be heights, and names it', async () => {
    const line = array('<f4', '(4,)', floats(1, 2, 3, 4));
    const packed = zipSync({ 'x.npy': line, 'ground.npy': heights, 'later.npy': heights }) as Uint8Array<ArrayBuffer>;
    expect(npz.sniff(packed)).toBe(true);
    const reading = await npz.read(packed);
    expect([...reading.samples]).toEqual([1, 2, 3, 4]);
    expect(reading.format).toBe('npz');
    expect(reading.odd![0]).toContain('ground');
  });

  it('is refused where none of them could be, where it is empty, and where it is damaged', async () => {
    const only = (files: Record<string, Uint8Array>) => npz.read(zipSync(files) as Uint8Array<ArrayBuffer>);
    await expect(only({ 'x.npy': array('<f4', '(4,)', floats(1, 2, 3, 4)) })).rejects.toMatchObject({ code: 'npy-shape' });
    await expect(only({ 'readme.txt': Uint8Array.of(1) })).rejects.toThrow('This NumPy archive holds no arrays.');
    const packed = zipSync({ 'ground.npy': heights }) as Uint8Array<ArrayBuffer>;
    await expect(npz.read(packed.slice(0, 60) as Uint8Array<ArrayBuffer>)).rejects.toThrow(/damaged/);
    await expect(npz.write({} as never)).rejects.toMatchObject({ code: 'read-only' });
  });
});
