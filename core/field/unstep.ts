import type { Kernels, RunOptions } from '../kernels/pool';
import { unstepProgram } from '../kernels/programs/unstep';
import { gaussian } from './gaussian';

/** Rounds of the solver on every grid, and about how many samples around a place its trial counts. */
const ROUNDS = 80;
const TRIAL = 10;
/** The most that a sample moves, in levels: less than a half, so that it goes back to its own code. */
const MOST = 0.499;

/**
 * Takes the steps out of heights that have few levels, `level` apart, without any sample
 * leaving its own: the least bent surface within half a level of what is given, weighed by
 * whether smoothness is the right belief there.
 *
 * That is tried out where the truth is known: the codes are coarsened to every second one (in
 * both ways there are), un-stepped in the same way, and held against the codes themselves. The
 * share of the move towards the smooth surface that would have been best there (least squares
 * over about ten samples around) is a safe share here, since ground is no rougher a level up:
 * on rough ground it is near 0, on gentle ground 3/4, which stands for all of it (the codes that
 * it is held against have steps of their own). Source of the surface: METHODS of this project,
 * "Un-step"; the trial is our own.
 */
export async function unstep(
  kernels: Kernels,
  height: Float32Array,
  across: number,
  down: number,
  level: number,
  { signal, progress }: RunOptions = {},
): Promise<Float32Array<ArrayBuffer>> {
  const n = height.length;
  let lowest = Infinity;
  for (let i = 0; i < n; i++) if (height[i] < lowest) lowest = height[i];
  const codes = new Float32Array(n);
  for (let i = 0; i < n; i++) codes[i] = (height[i] - lowest) / level;
  const solve = (of: Float32Array, part: number) =>
    kernels.run(unstepProgram, { across, down, half: 0.5, rounds: ROUNDS }, of, { signal, progress: (share) => progress?.((part + share) / 3.2) });

  const smooth = await solve(codes, 0);
  const both = new Float32Array(n);
  const square = new Float32Array(n);
  const coarse = new Float32Array(n);
  for (const way of [0, 1]) {
    for (let i = 0; i < n; i++) coarse[i] = Math.floor((Math.round(codes[i]) + way) / 2);
    const tried = await solve(coarse, 1 + way);
    for (let i = 0; i < n; i++) {
      // In levels, from the middle of the coarse code: where the trial went, and where the code is.
      const moved = 2 * (tried[i] - coarse[i]);
      const right = Math.round(codes[i]) - (2 * coarse[i] + 0.5 - way);
      both[i] += moved * right;
      square[i] += moved * moved;
    }
  }
  const along = await gaussian(kernels, both, across, down, TRIAL, TRIAL, { signal });
  const all = await gaussian(kernels, square, across, down, TRIAL, TRIAL, { signal });
  const out = new Float32Array(n);
  for (let i = 0; i < n; i++) {
    const moved = shareOf(all[i] > 1e-9 ? along[i] / all[i] : 0) * (smooth[i] - codes[i]);
    out[i] = height[i] + level * Math.min(MOST, Math.max(-MOST, moved));
  }
  return out;
}

/** The share of the way to the smooth surface, from the best one of the trial: a little less where that is low, all where it is as on smooth ground. */
function shareOf(best: number): number {
  const b = Math.min(1, Math.max(0, best));
  const t = Math.min(1, Math.max(0, (b - 0.53) / 0.15));
  const whole = t * t * (3 - 2 * t);
  return 0.8 * b + (1 - 0.8 * b) * whole;
}

/**
 * The distance that all heights are multiples of from each other, metres; null where there are
 * more than `most` different ones or they lie on no such ladder.
 */
export function levelOf(height: Float32Array, most = 4096): number | null {
  const seen = new Set<number>();
  for (let i = 0; i < height.length; i++) {
    seen.add(height[i]);
    if (seen.size > most) return null;
  }
  if (seen.size < 3) return null;
  const values = Float64Array.from(seen).sort();
  const first = values[0];
  const span = values[values.length - 1] - first;
  let level = Infinity;
  for (let i = 1; i < values.length; i++) level = Math.min(level, values[i] - values[i - 1]);
  const count = Math.round(span / level);
  level = span / count;
  for (const value of values) {
    const at = (value - first) / level;
    if (Math.abs(at - Math.round(at)) > 0.02) return null;
  }
  return level;
}
