import { describe, expect, it } from 'vitest';
import { turnTakingKernels } from '../../../tests/helpers/turn-taking';
import { hash32 } from '../../field/hash';
import { inlineKernels } from '../pool';
import { doubledProgram } from './doubled';

const kernels = inlineKernels();
const [ACROSS, DOWN] = [41, 57];
const given = Float32Array.from({ length: ACROSS * DOWN }, (_, i) => (hash32(i, 5) / 2 ** 32 - 0.4) * 900);

/** Twice as many numbers: those there are, and between them the Catmull–Rom middle; outermost carried on. */
function twice(values: ArrayLike<number>): Float32Array {
  const at = (k: number) => values[Math.min(values.length - 1, Math.max(0, k))];
  return Float32Array.from({ length: 2 * values.length }, (_, i) => {
    const k = i >> 1;
    return i % 2 ? (9 * (at(k) + at(k + 1)) - (at(k - 1) + at(k + 2))) / 16 : at(k);
  });
}

/** The whole, rows first, in plain steps. */
const rows = Array.from({ length: DOWN }, (_, row) => twice(given.subarray(row * ACROSS, (row + 1) * ACROSS)));
const columns = Array.from({ length: 2 * ACROSS }, (_, column) => twice(rows.map((row) => row[column])));

describe('a grid of twice the samples', () => {
  it.each([
    [0, 82, 114],
    [9, 60, 90],
    [32, 10, 50],
    [5, 71, 3],
  ])('has those there were and the Catmull–Rom middles, from the %i-th on, on any number of threads', async (rim, across, down) => {
    const args = { across: ACROSS, down: DOWN, wanted: { across, down }, rim };
    const wanted = Float32Array.from({ length: across * down }, (_, i) => columns[(i % across) + rim][Math.floor(i / across) + rim]);
    for (const on of [kernels, turnTakingKernels(3, false), turnTakingKernels(3, true)]) expect(await on.run(doubledProgram, args, given)).toEqual(wanted);
  });

  it('keeps a straight slope straight', async () => {
    const slope = Float32Array.from(given, (_, i) => 3 * (i % ACROSS) - 2 * Math.floor(i / ACROSS));
    const out = await kernels.run(doubledProgram, { across: ACROSS, down: DOWN, wanted: { across: 40, down: 40 }, rim: 10 }, slope);
    for (let row = 0; row < 40; row++) for (let column = 0; column < 40; column++) expect(out[row * 40 + column]).toBe(1.5 * (column + 10) - (row + 10));
  });
});
