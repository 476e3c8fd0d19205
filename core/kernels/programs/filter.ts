import { floats, rowsOf, type Arena, type Program } from '../program';

export interface FilterArgs {
  across: number;
  down: number;
  /** Weights along rows and down columns: odd counts that read alike from both ends. */
  tapsX: number[];
  tapsY: number[];
  /** Samples on every side of `across` by `down` that are not given: the outermost that are are carried on. */
  rim?: number;
  /** 2: only every second sample of every second row is kept, beginning with the first. */
  step?: 1 | 2;
}

/** Weighted sums along rows, then down columns; the outer samples are carried on. Sums in float32. */
export const filterProgram: Program<FilterArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'filter',
  bytes: (args) => plan(args).bytes,

  load(arena, args, source) {
    const { taps, from, fromStride, left } = plan(args);
    floats(arena, arena.start + taps, args.tapsX.length).set(args.tapsX);
    floats(arena, arena.start + taps + args.tapsX.length * 4, args.tapsY.length).set(args.tapsY);
    const padded = floats(arena, arena.start + from, fromStride * args.down);
    const { rim = 0 } = args;
    const [across, down] = [args.across - 2 * rim, args.down - 2 * rim];
    for (let row = 0; row < args.down; row++) {
      const at = row * fromStride;
      const begins = at + left + rim;
      const start = Math.min(down - 1, Math.max(0, row - rim)) * across;
      padded.fill(source[start], at, begins);
      padded.set(source.subarray(start, start + across), begins);
      padded.fill(source[start + across - 1], begins + across, at + fromStride);
    }
  },

  *run(kernels, arena, args, band) {
    const { taps, from, between, to, fromStride, stride, outStride, outDown } = plan(args);
    const at = (offset: number) => arena.start + offset;
    const step = args.step ?? 1;
    const rows = rowsOf(args.down, band);
    if (step === 1) kernels.filterRowsEven(at(from), at(between), fromStride, stride, rows.from, rows.to, stride, at(taps), args.tapsX.length);
    else kernels.filterRows(at(from), at(between), fromStride, stride, rows.from, rows.to, stride, at(taps), args.tapsX.length, step);
    band.progress(0.5);
    yield;
    const outRows = rowsOf(outDown, band);
    const tapsY = at(taps) + args.tapsX.length * 4;
    kernels.filterColumns(at(between), at(to), stride, outStride, args.down, outRows.from, outRows.to, tapsY, args.tapsY.length, args.tapsY.length >> 1, step);
    band.progress(1);
    yield;
  },

  take(arena, args) {
    const { to, outStride, outAcross, outDown } = plan(args);
    return unpadded(arena, to, outStride, outAcross, outDown);
  },
};

/** Rows of `stride` floats from byte `offset` on, without what lies after `across` of them. */
export function unpadded(arena: Arena, offset: number, stride: number, across: number, down: number): Float32Array<ArrayBuffer> {
  const all = floats(arena, arena.start + offset, stride * down);
  if (stride === across) return all.slice() as Float32Array<ArrayBuffer>;
  const out = new Float32Array(across * down);
  for (let row = 0; row < down; row++) out.set(all.subarray(row * stride, row * stride + across), row * across);
  return out;
}

function plan({ across, down, tapsX, tapsY, step = 1 }: FilterArgs) {
  const left = tapsX.length >> 1;
  const outAcross = Math.ceil(across / step);
  const outDown = Math.ceil(down / step);
  // Columns are done sixteen at a time; rows a power of two apart would share their places in the cache.
  const outStride = (outAcross + 15) & ~15;
  const stride = outStride % 128 === 0 ? outStride + 16 : outStride;
  const fromStride = (stride * step + tapsX.length + 15) & ~7;
  const taps = 0;
  const from = ((tapsX.length + tapsY.length) * 4 + 63) & ~63;
  const between = from + fromStride * down * 4 + 64;
  const to = between + stride * down * 4;
  return { taps, from, between, to, fromStride, stride, outStride, left, outAcross, outDown, bytes: to + outStride * outDown * 4 };
}
