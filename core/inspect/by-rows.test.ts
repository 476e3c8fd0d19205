import { describe, expect, it } from 'vitest';
import { fractal } from '../../tests/helpers/fractal';
import { groundOf, random } from '../../tests/helpers/grounds';
import { encode } from '../delivery/heights/encode';
import type { Field } from '../field/field';
import { readWith } from '../formats/asset';
import { openHeights } from '../formats/height-rows';
import { toField } from '../formats/heights';
import { inMemory } from '../formats/source';
import { inlineKernels } from '../kernels/pool';
import { BlocksInPieces, findBlocks } from '../steps/mend/deblock';
import { countSpikes, findSpikes } from '../steps/mend/despike';
import { findStrips, StripsInPieces } from '../steps/mend/trim-edge';
import { inspectByRows } from './by-rows';
import { findingsIn } from './findings';
import { inspect } from './inspect';

const kernels = inlineKernels();

/** More rows than are looked at together. */
const tall = fractal(groundOf(96, 1200, 8), { seed: 5, height: 300 });
const changed = (change: (height: Float32Array<ArrayBuffer>, across: number) => void): Field => {
  const height = tall.height.slice();
  change(height as Float32Array<ArrayBuffer>, tall.ground.across);
  return { ...tall, height };
};
const spiked = changed((height) => {
  const next = random(3);
  // Some of them beside each other, where stripes meet, and at the rim.
  for (const i of [512 * 96 + 40, 512 * 96 + 41, 511 * 96 + 7, 96 * 1199 + 50, 30]) height[i] += 400;
  for (let k = 0; k < 60; k++) height[Math.floor(next() * height.length)] -= 250 + 100 * next();
});
const blocky = changed((height, across) => {
  for (let i = 0; i < height.length; i++) height[i] += 14 * ((((i % across) >> 3) * 7 + (Math.floor(i / across) >> 3) * 5) % 3);
});
const framed = changed((height, across) => {
  for (let i = 0; i < height.length; i++) if (i % across < 4 || i >= across * 1190) height[i] = -400;
});

/** In pieces of any number of rows, also single ones. */
function inPieces(field: Field, add: (rows: Float32Array) => void) {
  const { across, down } = field.ground;
  for (let from = 0, k = 0; from < down; k++) {
    const to = Math.min(down, from + [1, 2, 3, 1, 130, 7][k % 6]);
    add((field.height as Float32Array).subarray(from * across, to * across));
    from = to;
  }
}

describe('what is looked for in pieces is what is found in the whole', () => {
  it.each([
    ['clean', tall, false, false],
    ['blocky', blocky, true, false],
    ['framed', framed, true, true],
  ])('blocks and strips of %s ground', (_, field, blocks, strips) => {
    const { across, down } = field.ground;
    const [grid, frame] = [new BlocksInPieces(field.ground), new StripsInPieces(field.ground)];
    inPieces(field, (rows) => grid.add(rows));
    inPieces(field, (rows) => frame.add(rows));
    expect(grid.found).toEqual(findBlocks(field.height as Float32Array, across, down));
    expect(frame.strips).toEqual(findStrips(field.height as Float32Array, across, down));
    expect(grid.found !== null).toBe(blocks);
    expect(Object.values(frame.strips).some((width) => width > 0)).toBe(strips);
  });

  it.each([
    ['with spikes', spiked],
    ['without', tall],
  ])('spikes of a ground %s', async (_, { ground, height }) => {
    const { across, down } = ground;
    const rows = (from: number, to: number) => Promise.resolve((height as Float32Array).subarray(from * across, to * across));
    const { count, worst } = await findSpikes(height as Float32Array, across, down, kernels);
    expect(await countSpikes({ across, down, rows }, kernels)).toEqual({ count, worst });
    if (height === spiked.height) expect(count).toBeGreaterThan(50);
    const seen: number[] = [];
    const none = await countSpikes({ across, down, rows }, kernels, { seen: (part) => seen.push(part.length), goesOn: () => false });
    expect(none).toBeNull();
    expect(seen.reduce((a, b) => a + b)).toBe(height.length);
  });
});

describe('a file looked at by rows', () => {
  const bytesOf = async (field: Field, format: 'tiff' | 'png') =>
    (await encode(field, format === 'tiff' ? { format, type: 'f32' } : { format, type: 'u16', range: { low: -500, high: 1500 } })).bytes;
  const byRows = async (bytes: Uint8Array<ArrayBuffer>) => inspectByRows((await openHeights(inMemory(bytes)))!, {}, kernels);

  it.each([
    ['float TIFF', 'clean', tall, 'tiff'],
    ['float TIFF', 'spiked', spiked, 'tiff'],
    ['16-bit PNG', 'spiked', spiked, 'png'],
    ['float TIFF', 'blocky', blocky, 'tiff'],
    ['16-bit PNG', 'blocky', blocky, 'png'],
  ] as const)('a %s of %s ground: it is told the same as of the whole', async (_, __, field, format) => {
    const bytes = await bytesOf(field, format);
    const { reading, meaning } = await readWith(bytes, {});
    const whole = { found: inspect(reading), closer: await findingsIn(reading, meaning, toField(reading, meaning), kernels) };
    const parts = (await byRows(bytes))!;
    expect({ ...parts.found, mean: 0 }).toEqual({ ...whole.found, mean: 0 });
    expect(parts.found.mean).toBeCloseTo(whole.found.mean, 6);
    expect(parts.closer).toEqual(whole.closer.map(({ where: _where, ...told }) => told));
  });

  it('a frame, tops that were cut off and few levels are left to be looked at whole', async () => {
    const cut = changed((height) => height.forEach((h, i) => (height[i] = Math.min(h, 120))));
    expect(await byRows(await bytesOf(framed, 'tiff'))).toBeNull();
    expect(await byRows(await bytesOf(cut, 'tiff'))).toBeNull();
    const coarse = changed((height) => height.forEach((h, i) => (height[i] = 20 * Math.round(h / 20))));
    expect(await byRows(await bytesOf(coarse, 'png'))).toBeNull();
    // Floats of few values are no codes.
    const plains = changed((height) => height.forEach((h, i) => (height[i] = i < 2 ? 900 * i - 400 : 20 * Math.round(h / 20))));
    expect((await byRows(await bytesOf(plains, 'tiff')))?.found.distinct).toBeLessThan(256);
  });

  it('shares of 0 to 1 are seen to be no metres, and what it was told to stop is stopped', async () => {
    const shares = changed((height) => {
      const [low, high] = [Math.min(...height), Math.max(...height)];
      height.forEach((h, i) => (height[i] = (h - low) / (high - low)));
    });
    const bytes = await bytesOf(shares, 'tiff');
    expect((await byRows(bytes))!.closer.map(({ id }) => id)).toEqual(['like-codes']);
    const stopped = AbortSignal.abort();
    await expect(inspectByRows((await openHeights(inMemory(bytes)))!, {}, kernels, stopped)).rejects.toThrow();
  });
});
