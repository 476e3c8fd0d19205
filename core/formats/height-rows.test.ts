import { describe, expect, it } from 'vitest';
import { groundOf, hills, noiseField } from '../../tests/helpers/grounds';
import { encode, type Encoding } from '../delivery/heights/encode';
import type { Field } from '../field/field';
import { readHeights, type Meaning } from './heights';
import { NotByRows, openHeights } from './height-rows';
import { encodeImage } from './png';
import { inMemory, type ByteSource } from './source';

const land = hills(groundOf(97, 71, 8), 3);
const tiff = async (field: Field, encoding: Partial<Encoding> = {}) => (await encode(field, { format: 'tiff', type: 'f32', ...encoding })).bytes;

/** A source that holds nothing in memory, and keeps how much was read of it at most in one go. */
function onDisk(bytes: Uint8Array<ArrayBuffer>): ByteSource & { most: number } {
  const source = {
    most: 0,
    length: bytes.length,
    bytes: (from: number, to: number) => bytes.slice(from, to),
    fill(from: number, target: Uint8Array) {
      source.most = Math.max(source.most, target.length);
      target.set(bytes.subarray(from, from + target.length));
    },
  };
  return source;
}

/** All heights, `step` rows at a time with a row of margin. */
async function inSteps(bytes: Uint8Array<ArrayBuffer>, step: number, meaning?: Meaning): Promise<Field> {
  const heights = (await openHeights(onDisk(bytes), meaning))!;
  const { across, down } = heights.ground;
  const height = new Float32Array(across * down);
  for (let from = 0; from < down; from += step) {
    const [first, last] = [Math.max(0, from - 1), Math.min(down, from + step + 1)];
    height.set(await heights.rows(first, last), first * across);
  }
  return { ground: heights.ground, height };
}

describe('heights by rows', () => {
  const range = { low: 1200, high: 2300 };
  const high = { ...land, height: land.height.map((h) => h + 3000) };
  it.each<[string, Field, Partial<Encoding>, Meaning?]>([
    ['floats as they lie', land, {}],
    ['packed floats', land, { options: { compression: 'deflate' } }],
    ['16-bit codes', land, { type: 'u16', range: { low: 0, high: 1000 } }],
    ['codes by a range that is given', land, { type: 'u16', range: { low: 0, high: 1000 } }, { range }],
    ['codes of high country, on a datum', high, { type: 'u16', range: { low: 3000, high: 4200 } }],
    ['doubles', land, { type: 'f64' }],
    ['codes of a PNG', land, { format: 'png', type: 'u16', range: { low: 0, high: 1000 } }, { range }],
    ['codes of 8 bits of a PNG', land, { format: 'png', type: 'u8', range: { low: 0, high: 1000 } }, { range, spacing: 4 }],
    ['a spacing and a registration that are given', land, {}, { spacing: 3, registration: 'area' }],
  ])('are those of the file read whole: %s', async (_, field, encoding, meaning) => {
    const bytes = await tiff(field, encoding);
    const whole = await readHeights(bytes, meaning);
    for (const step of [1, 16, 50, 71]) {
      const { ground, height } = await inSteps(bytes, step, meaning);
      expect(ground).toEqual(whole.ground);
      expect(height).toEqual(whole.height);
    }
    const { lowest, highest } = await (await openHeights(inMemory(bytes), meaning))!.bounds();
    expect(lowest).toBe(whole.height.reduce((a, b) => Math.min(a, b)) + whole.ground.datum);
    expect(highest).toBe(whole.height.reduce((a, b) => Math.max(a, b)) + whole.ground.datum);
  });

  it('reads a part of the file at a time', async () => {
    const wide = noiseField(groundOf(2000, 300, 2), 1);
    const source = onDisk(await tiff(wide));
    const heights = (await openHeights(source))!;
    for (let from = 0; from < 300; from += 32) await heights.rows(from, Math.min(300, from + 32));
    expect(source.most).toBeLessThan((2000 * 300 * 4) / 4);
  });

  it('are read again from the first on, with the samples that are read for it told once', async () => {
    for (const encoding of [{}, { format: 'png', type: 'u16', range: { low: 0, high: 1000 } }] as const) {
      const bytes = await tiff(land, encoding);
      const heights = (await openHeights(inMemory(bytes)))!;
      const passes = [0, 1].map(() => ({ heights: new Float32Array(97 * 71), heard: 0 }));
      for (const pass of passes) {
        for (let from = 0; from < 71; from += 20) {
          const [first, last] = [Math.max(0, from - 3), Math.min(71, from + 23)];
          pass.heights.set(await heights.rows(first, last, undefined, (samples) => (pass.heard += samples.length)), first * 97);
        }
      }
      expect(passes[0].heights).toEqual((await readHeights(bytes)).height);
      expect(passes[1].heights).toEqual(passes[0].heights);
      expect(passes[0].heard).toBe(97 * 71);
      // What is still kept is not read again.
      expect([0, 97 * 71]).toContain(passes[1].heard);
    }
  });

  it('goes on to whole reading where a sample has no height, or may have none', async () => {
    const all = async (bytes: Uint8Array<ArrayBuffer>) => {
      const heights = await openHeights(inMemory(bytes));
      return heights && heights.rows(0, heights.ground.down);
    };
    const holed = { ...land, valid: Uint8Array.from(land.height, (_, i) => (i % 500 === 7 ? 0 : 1)) };
    await expect(all(await tiff(holed))).rejects.toThrow(NotByRows);
    const missing = { ...land, height: land.height.map((h, i) => (i === 40 ? NaN : h)) };
    await expect(all(await tiff(missing))).rejects.toThrow(NotByRows);
    const far = { ...land, height: land.height.map((h, i) => (i === 40 ? -3.4028235e38 : h)) };
    await expect(all(await tiff(far))).rejects.toThrow(NotByRows);
    expect(await all(await tiff(holed, { type: 'u16', range: { low: 0, high: 1000 }, noData: 0 }))).toBeNull();
  });

  it('leaves other formats to whole reading, and refuses a file that is cut short as that does', async () => {
    expect(await openHeights(inMemory((await encode(land, { format: 'npy', type: 'f32' })).bytes))).toBeNull();
    expect(await openHeights(inMemory(new Uint8Array(0)))).toBeNull();
    const bytes = await tiff(land);
    for (const length of [9, 100, 5000, bytes.length - 8]) {
      const part = bytes.slice(0, length);
      const byRows = (async () => (await openHeights(inMemory(part)))!.rows(0, 71))();
      await expect(byRows).rejects.toThrow(/cut short|damaged/);
      await expect(readHeights(part)).rejects.toThrow(/cut short|damaged/);
    }
  });

  it('refuses a PNG that is damaged or cut short, and leaves to whole reading what is not plain grey', async () => {
    const wide = noiseField(groundOf(700, 900, 2), 1);
    const { bytes } = await encode(wide, { format: 'png', type: 'u16', range: { low: -2000, high: 2000 } });
    const all = async (some: Uint8Array<ArrayBuffer>) => {
      const heights = await openHeights(inMemory(some), { range });
      return heights && heights.rows(0, 900);
    };
    expect((await all(bytes))?.length).toBe(700 * 900);
    // A bit within the packed samples, within a checksum, and within the length of a chunk.
    const second = bytes.findIndex((_, i) => i > 1000 && String.fromCharCode(...bytes.subarray(i, i + 4)) === 'IDAT');
    for (const at of [5000, second - 6, second - 2]) {
      const spoilt = bytes.slice();
      spoilt[at] ^= 16;
      await expect(all(spoilt), `byte ${at}`).rejects.toThrow(/damaged|cut short/);
    }
    // Without its end it is a picture that whole reading says something of.
    for (const length of [20, 33, 40, 5000, bytes.length - 12]) expect(await all(bytes.slice(0, length)), `${length} bytes`).toBeNull();
    const cut = Uint8Array.from([...bytes.subarray(0, 90_000), ...bytes.subarray(bytes.length - 12)]);
    await expect(all(cut)).rejects.toThrow(/cut short/);
    for (const channels of [3, 4] as const) {
      expect(await all(encodeImage({ width: 700, height: 900, channels, samples: new Uint8Array(700 * 900 * channels) }))).toBeNull();
    }
    const stop = AbortSignal.abort();
    await expect((await openHeights(inMemory(bytes), { range }))!.rows(0, 900, stop)).rejects.toThrow();
  });

  it('refuses rows that were let go', async () => {
    const heights = (await openHeights(inMemory(await tiff(noiseField(groundOf(2000, 300, 2), 1)))))!;
    await heights.rows(0, 100);
    await heights.rows(100, 200);
    await expect(heights.rows(1, 3)).rejects.toThrow(RangeError);
  });
});
