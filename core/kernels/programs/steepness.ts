import { floats, rowsOf, type Program } from '../program';

export interface SteepnessArgs {
  across: number;
  down: number;
  spacing: { x: number; y: number };
  /** Given: what comes out is the weight of the slope, 0 to 1. */
  weights?: SlopeWeights;
}

/** Rise over run squared where a slope counts whole, and where it begins to count; the angles of the first and how far it fades beyond them, degrees. */
export interface SlopeWeights {
  whole: number;
  wholeTo: number;
  from: number;
  to: number;
  low: number;
  high: number;
  softness: number;
}

/** Rise over run squared (Horn 1981), in float32, or how much of a slope counts. */
export const steepnessProgram: Program<SteepnessArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'steepness',
  bytes: ({ across, down }) => 2 * across * down * 4 + 64,

  load(arena, { across, down }, source) {
    floats(arena, arena.start, across * down).set(source);
  },

  *run(kernels, arena, { across, down, spacing, weights }, band) {
    const { from, to } = rowsOf(down, band);
    const out = arena.start + across * down * 4;
    kernels.steepnessRows(arena.start, out, across, down, from, to, 1 / (8 * spacing.x), 1 / (8 * spacing.y));
    if (weights) {
      const { whole, wholeTo, from: begins, to: ends, low, high, softness } = weights;
      kernels.slopeWeightsOf(out + 4 * across * from, across * (to - from), whole, wholeTo, begins, ends, low, high, softness);
    }
    band.progress(1);
    yield;
  },

  take: (arena, { across, down }) => floats(arena, arena.start + across * down * 4, across * down).slice() as Float32Array<ArrayBuffer>,
};
