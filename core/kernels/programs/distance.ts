import { floats, rowsOf, type Program } from '../program';

export interface DistanceArgs {
  across: number;
  down: number;
  spacingX: number;
  spacingY: number;
}

const MOST_BANDS = 64;

/** Metres from each sample to the nearest one that is marked (not 0); 1e9 where none is. */
export const distanceProgram: Program<DistanceArgs, Uint8Array, Float32Array<ArrayBuffer>> = {
  id: 'distance',
  bytes: (args) => plan(args).bytes,

  load(arena, args, marks) {
    new Uint8Array(arena.buffer, arena.start, args.across * args.down).set(marks);
  },

  *run(kernels, arena, args, band) {
    const { across, down } = args;
    const { out, scratch } = plan(args);
    const a = arena.start;
    const each = Math.ceil(across / band.count);
    const from = Math.min(across, band.index * each);
    kernels.distanceColumns(a, a + out, across, down, from, Math.min(across, from + each), args.spacingY);
    yield;
    const rows = rowsOf(down, band);
    kernels.distanceRows(a + out, a + scratch + Math.min(band.index, MOST_BANDS - 1) * 12 * (across + 4), across, rows.from, rows.to, args.spacingX);
    band.progress(1);
    yield;
  },

  take: (arena, args) => floats(arena, arena.start + plan(args).out, args.across * args.down).slice() as Float32Array<ArrayBuffer>,
};

function plan({ across, down }: DistanceArgs) {
  const out = (across * down + 63) & ~63;
  const scratch = out + ((across * down * 4 + 63) & ~63);
  return { out, scratch, bytes: scratch + MOST_BANDS * 12 * (across + 4) };
}
