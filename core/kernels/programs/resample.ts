import { floats, rowsOf, type Program } from '../program';
import { claims } from './levels';

/** How samples along an axis are put together: `taps` source samples from `first` on, with their weights. */
export interface Weights {
  first: Int32Array;
  weight: Float64Array;
  taps: number;
}

export interface ResampleArgs {
  /** Source samples a row, and source rows that are given. */
  across: number;
  rows: number;
  /** The first and the last source row of all that are given, and of all that there are. */
  firstRow: number;
  lastRow: number;
  horizontal: Weights;
  /** Of the rows that are made. */
  vertical: Weights;
  /** Metres that are added to every height. */
  add: number;
}

/** Rows of heights on other samples, from the source rows that they rest on. */
export const resampleProgram: Program<ResampleArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'resample',
  bytes: (args) => plan(args).bytes,

  load(arena, args, height) {
    const { horizontal } = args;
    const { source, first, weight } = plan(args);
    floats(arena, arena.start + source, height.length).set(height);
    new Int32Array(arena.buffer, arena.start + first, horizontal.first.length).set(horizontal.first);
    new Float64Array(arena.buffer, arena.start + weight, horizontal.weight.length).set(horizontal.weight);
  },

  *run(kernels, arena, args, band) {
    const { across, firstRow, lastRow, horizontal, vertical, add } = args;
    const at = plan(args);
    const count = horizontal.first.length;
    const made = vertical.first.length;
    const { from, to } = rowsOf(made, band);
    const begin = arena.start;
    const scratch = begin + at.scratch + Math.min(band.index, MOST_BANDS - 1) * scratchBytes(args);
    const sums = scratch + at.ring * count * 8;
    // Source rows that were put along x already, in turn: each is wanted by the rows that follow one another.
    const kept = new Int32Array(at.ring).fill(-1);
    for (let row = from; row < to; row++) {
      new Float64Array(arena.buffer, sums, count).fill(0);
      for (let k = 0; k < vertical.taps; k++) {
        const share = vertical.weight[row * vertical.taps + k];
        if (share === 0) continue;
        const wanted = Math.min(lastRow, Math.max(0, vertical.first[row] + k));
        const place = wanted % at.ring;
        const line = scratch + place * count * 8;
        if (kept[place] !== wanted) {
          const source = begin + at.source + 4 * across * (wanted - firstRow);
          kernels.resampleAlong(source, across, begin + at.first, begin + at.weight, horizontal.taps, count, line);
          kept[place] = wanted;
        }
        kernels.resampleAdd(sums, line, share, count);
      }
      kernels.resampleOut(sums, add, count, begin + at.out + 4 * count * row);
    }
    yield;
  },

  take(arena, args) {
    const count = args.horizontal.first.length * args.vertical.first.length;
    return floats(arena, arena.start + plan(args).out, count).slice() as Float32Array<ArrayBuffer>;
  },
};

const MOST_BANDS = 64;

/** Rows that are kept of those put along x: as many as one row rests on. */
const ringOf = ({ vertical }: ResampleArgs) => vertical.taps + 1;
const scratchBytes = (args: ResampleArgs) => ((ringOf(args) + 1) * args.horizontal.first.length * 8 + 63) & ~63;

function plan(args: ResampleArgs) {
  const { across, rows, horizontal, vertical } = args;
  const room = claims();
  const source = room.claim(4 * across * rows);
  const first = room.claim(4 * horizontal.first.length);
  const weight = room.claim(8 * horizontal.weight.length);
  const out = room.claim(4 * horizontal.first.length * vertical.first.length);
  const scratch = room.claim(MOST_BANDS * scratchBytes(args));
  return { source, first, weight, out, scratch, ring: ringOf(args), bytes: room.bytes };
}
