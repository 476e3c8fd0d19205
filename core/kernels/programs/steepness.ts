import { floats, rowsOf, type Program } from '../program';

export interface SteepnessArgs {
  across: number;
  down: number;
  spacing: { x: number; y: number };
}

/** Rise over run squared (Horn 1981), in float32. */
export const steepnessProgram: Program<SteepnessArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'steepness',
  bytes: ({ across, down }) => 2 * across * down * 4 + 64,

  load(arena, { across, down }, source) {
    floats(arena, arena.start, across * down).set(source);
  },

  *run(kernels, arena, { across, down, spacing }, band) {
    const { from, to } = rowsOf(down, band);
    const out = arena.start + across * down * 4;
    kernels.steepnessRows(arena.start, out, across, down, from, to, 1 / (8 * spacing.x), 1 / (8 * spacing.y));
    band.progress(1);
    yield;
  },

  take: (arena, { across, down }) => floats(arena, arena.start + across * down * 4, across * down).slice() as Float32Array<ArrayBuffer>,
};
