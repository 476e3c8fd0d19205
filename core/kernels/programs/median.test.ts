import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../pool';
import { medianProgram } from './median';

const kernels = inlineKernels();
const across = 13;
const down = 11;
const rough = Float32Array.from({ length: across * down }, (_, i) => Math.fround(Math.sin(i * 12.9898) * 43.5 + i));

/** Beyond the rim: the nearest sample, or as far under it as the ground inside is above it. */
const at = (values: Float32Array, column: number, row: number, mirrored: boolean): number => {
  const clamp = (k: number, size: number) => Math.max(0, Math.min(size - 1, k));
  if (!mirrored) return values[clamp(row, down) * across + clamp(column, across)];
  const alongRow = (c: number, r: number) => {
    if (c < 0) return Math.fround(2 * values[r * across] - values[r * across - c]);
    if (c >= across) return Math.fround(2 * values[r * across + across - 1] - values[r * across + 2 * (across - 1) - c]);
    return values[r * across + c];
  };
  if (row < 0) return Math.fround(2 * alongRow(column, 0) - alongRow(column, -row));
  if (row >= down) return Math.fround(2 * alongRow(column, down - 1) - alongRow(column, 2 * (down - 1) - row));
  return alongRow(column, row);
};

describe('the median of a window', () => {
  it.each([
    [1, 1],
    [2, 2],
    [3, 3],
    [4, 1],
    [1, 5],
  ])('of %i samples aside and %i up and down is the middle one, at the rim too', async (radiusX, radiusY) => {
    for (const rim of ['again', 'mirrored'] as const) {
      const median = await kernels.run(medianProgram, { across, down, radiusX, radiusY, rim }, rough);
      for (let row = 0; row < down; row++)
        for (let column = 0; column < across; column++) {
          const some: number[] = [];
          for (let y = -radiusY; y <= radiusY; y++) for (let x = -radiusX; x <= radiusX; x++) some.push(at(rough, column + x, row + y, rim === 'mirrored'));
          some.sort((a, b) => a - b);
          expect(median[row * across + column], `${rim} ${column} ${row}`).toBe(some[some.length >> 1]);
        }
    }
  });

  it('leaves a plane as it is where its rim is mirrored', async () => {
    const plane = Float32Array.from({ length: across * down }, (_, i) => 3 * (i % across) - 2 * Math.floor(i / across));
    expect(await kernels.run(medianProgram, { across, down, radiusX: 2, radiusY: 2, rim: 'mirrored' }, plane)).toEqual(plane);
  });
});
