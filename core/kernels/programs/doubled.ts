import { floats, rowsOf, type Program } from '../program';

export interface DoubledArgs {
  /** Samples that are given. */
  across: number;
  down: number;
  /** The samples of the doubled grid that are wanted: so many, from the `rim`-th of a row and of the rows on. */
  wanted: { across: number; down: number };
  rim: number;
}

const MOST_BANDS = 64;
/** Doubled rows that a row in the middle is made of. */
const ROWS = 4;

/** Twice the samples: those there were, and between them the Catmull–Rom middle (−1, 9, 9, −1) / 16, along rows and then down columns. */
export const doubledProgram: Program<DoubledArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'doubled',
  bytes: (args) => plan(args).bytes,

  load(arena, _, source) {
    floats(arena, arena.start, source.length).set(source);
  },

  *run(kernels, arena, args, band) {
    const { across, down, wanted, rim } = args;
    const { out, lines } = plan(args);
    const { from, to } = rowsOf(wanted.down, band);
    const line = 4 * wanted.across;
    const ring = arena.start + lines + Math.min(band.index, MOST_BANDS - 1) * ROWS * line;
    const held = new Int32Array(ROWS).fill(-1);
    /** Where a given row lies doubled. */
    const doubled = (row: number) => {
      const k = Math.min(down - 1, Math.max(0, row));
      const at = ring + (k % ROWS) * line;
      if (held[k % ROWS] !== k) kernels.doubleRow(arena.start + 4 * k * across, across, rim, wanted.across, at);
      held[k % ROWS] = k;
      return at;
    };
    for (let row = from; row < to; row++) {
      const k = (row + rim) >> 1;
      const target = arena.start + out + row * line;
      if (((row + rim) & 1) === 0) new Uint8Array(arena.buffer).copyWithin(target, doubled(k), doubled(k) + line);
      else kernels.middleRow(doubled(k), doubled(k + 1), doubled(k - 1), doubled(k + 2), wanted.across, target);
    }
    band.progress(1);
    yield;
  },

  take(arena, args) {
    const { wanted } = args;
    return floats(arena, arena.start + plan(args).out, wanted.across * wanted.down).slice() as Float32Array<ArrayBuffer>;
  },
};

function plan({ across, down, wanted }: DoubledArgs) {
  const out = (across * down * 4 + 63) & ~63;
  const lines = out + ((wanted.across * wanted.down * 4 + 63) & ~63);
  return { out, lines, bytes: lines + MOST_BANDS * ROWS * 4 * wanted.across };
}
