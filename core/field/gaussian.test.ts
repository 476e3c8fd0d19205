import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../kernels/pool';
import { gaussian, gaussianReach, gaussianTaps } from './gaussian';
import { hash32 } from './hash';

const kernels = inlineKernels();
const rough = (across: number, down: number) =>
  Float32Array.from(
    { length: across * down },
    (_, i) => 200 * Math.sin((i % across) / 17) * Math.cos(Math.floor(i / across) / 23) + (40 * hash32(3, i)) / 2 ** 32,
  );

/** In doubles, along rows and then down columns, the outer samples carried on; cut at 4σ. */
function bySums(height: Float32Array, across: number, down: number, sigmaX: number, sigmaY: number): Float64Array {
  const along = (values: ArrayLike<number>, lines: number, length: number, at: (line: number, k: number) => number, sigma: number) => {
    const out = new Float64Array(values.length);
    const radius = Math.floor(4 * sigma + 0.5);
    const taps = Array.from({ length: 2 * radius + 1 }, (_, i) => Math.exp(-((i - radius) ** 2) / (2 * sigma ** 2)));
    const sum = taps.reduce((a, b) => a + b, 0);
    for (let line = 0; line < lines; line++)
      for (let k = 0; k < length; k++) {
        let v = 0;
        for (let d = -radius; d <= radius; d++) v += (taps[d + radius] / sum) * values[at(line, Math.max(0, Math.min(length - 1, k + d)))];
        out[at(line, k)] = v;
      }
    return out;
  };
  const rows = along(height, down, across, (row, column) => row * across + column, sigmaX);
  return along(rows, across, down, (column, row) => row * across + column, sigmaY);
}

describe('a Gaussian blur', () => {
  it.each([
    [61, 40, 2, 2],
    [61, 40, 5, 1.5],
    [33, 90, 15, 15],
  ])('%i × %i by %f × %f samples is the weighted sum', async (across, down, sigmaX, sigmaY) => {
    const height = rough(across, down);
    const found = await gaussian(kernels, height, across, down, sigmaX, sigmaY);
    const truth = bySums(height, across, down, sigmaX, sigmaY);
    expect(found.reduce((most, v, i) => Math.max(most, Math.abs(v - truth[i])), 0)).toBeLessThan(2e-4);
  });

  it.each([20, 40])('of %i samples, by halves, is within 1e-4 of the range of it', async (sigma) => {
    const [across, down] = [210, 170];
    const height = rough(across, down);
    const found = await gaussian(kernels, height, across, down, sigma, sigma);
    const truth = bySums(height, across, down, sigma, sigma);
    const range = 440;
    // The direct one is cut at 4σ: what lies beyond is 6e-5 of the weight.
    expect(found.reduce((most, v, i) => Math.max(most, Math.abs(v - truth[i])), 0)).toBeLessThan(2e-4 * range);
  });

  it('of nothing changes nothing, and of level ground leaves it level', async () => {
    const height = rough(20, 20);
    expect(await gaussian(kernels, height, 20, 20, 0, 0)).toEqual(height);
    const level = await gaussian(kernels, new Float32Array(400).fill(812.5), 20, 20, 6, 6);
    expect(level.every((v) => Math.abs(v - 812.5) < 1e-3)).toBe(true);
  });

  it('has weights that add up to one, the same from both ends', () => {
    for (const sigma of [0.3, 1, 7.25, 16]) {
      const taps = gaussianTaps(sigma);
      expect(taps).toHaveLength(2 * Math.floor(4 * sigma + 0.5) + 1);
      expect(taps).toEqual([...taps].reverse());
      expect(Math.abs(taps.reduce((a, b) => a + b, 0) - 1)).toBeLessThan(1e-7);
    }
    expect(gaussianTaps(0)).toEqual([1]);
  });

  it.each([3, 15, 24, 70])('of %i samples reads no farther than it says', async (sigma) => {
    const reach = gaussianReach(sigma);
    const across = 2 * reach + 41;
    const down = 3;
    const height = new Float32Array(across * down).fill(5);
    const before = await gaussian(kernels, height, across, down, sigma, sigma);
    const far = height.slice();
    // All that lies farther from the middle than the reach is another ground.
    for (let row = 0; row < down; row++) for (let x = 0; x < 20; x++) far[row * across + x] = 9000;
    const after = await gaussian(kernels, far, across, down, sigma, sigma);
    const middle = across + 20 + reach;
    expect(after[middle]).toBe(before[middle]);
    expect(after[across + 10]).not.toBe(before[across + 10]);
  });
});
