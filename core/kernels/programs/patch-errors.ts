import { floats, type Program } from '../program';

export interface PatchErrorsArgs {
  across: number;
  down: number;
  /** What lies outside of the outermost sample positions: half a sample, or nothing. */
  pad: number;
  /** Quads along the side of a patch. */
  quads: number;
  /** Levels but the finest, whose quads are single samples, the coarsest first: patches a side, and samples along a quad. */
  levels: { patches: number; stepX: number; stepY: number }[];
}

const MOST_BANDS = 64;

/** How far the patches of every level lie off the ground at the most, metres: the levels one after another, each row by row; by themselves, without those that they are split into. */
export const patchErrorsProgram: Program<PatchErrorsArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'patch-errors',
  bytes: (args) => plan(args).bytes,

  load(arena, args, height) {
    const { errors, count } = plan(args);
    floats(arena, arena.start, height.length).set(height);
    floats(arena, arena.start + errors, count).fill(0);
  },

  *run(kernels, arena, args, band) {
    const { across, down, pad, quads, levels } = args;
    const { errors, lines, line } = plan(args);
    const scratch = arena.start + lines + Math.min(band.index, MOST_BANDS - 1) * line;
    let out = arena.start + errors;
    for (const { patches, stepX, stepY } of levels) {
      const each = Math.ceil(patches / band.count);
      const from = Math.min(patches, band.index * each);
      const to = Math.min(patches, from + each);
      if (to > from) kernels.patchRows(arena.start, across, down, stepX, stepY, pad, quads, patches, from, to, scratch, out);
      out += 4 * patches * patches;
    }
    band.progress(1);
    yield;
  },

  take(arena, args) {
    const { errors, count } = plan(args);
    return floats(arena, arena.start + errors, count).slice() as Float32Array<ArrayBuffer>;
  },
};

function plan({ across, down, quads, levels }: PatchErrorsArgs) {
  const count = levels.reduce((sum, { patches }) => sum + patches * patches, 0);
  const errors = (across * down * 4 + 63) & ~63;
  const lines = errors + ((count * 4 + 63) & ~63);
  const line = 8 * (quads * Math.max(1, ...levels.map(({ patches }) => patches)) + 2);
  return { count, errors, lines, line, bytes: lines + MOST_BANDS * line };
}
