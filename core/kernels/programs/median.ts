import { floats, rowsOf, type Program } from '../program';
import { unpadded } from './filter';

export interface MedianArgs {
  across: number;
  down: number;
  /** Samples on either side: windows of (2·radiusX + 1) × (2·radiusY + 1). */
  radiusX: number;
  radiusY: number;
  /** What lies beyond the rim: its own samples again, or the ground mirrored through them, so that a slope goes on; both sides have to be longer than the radius then. */
  rim?: 'again' | 'mirrored';
}

/** Samples that a small window is moved over between two looks whether to stop. */
const AT_ONCE = 200_000;
const BINS = 4096;
const MOST_BANDS = 16;

/** The median of the window around every sample, exactly; beyond the rim its samples are carried on. */
export const medianProgram: Program<MedianArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'median',
  bytes: (args) => plan(args).bytes,

  load(arena, args, source) {
    const { across, down, radiusX, radiusY } = args;
    const { stride, range } = plan(args);
    const padded = floats(arena, arena.start, stride * (down + 2 * radiusY));
    if (!isSmall(args)) {
      let low = Infinity;
      let high = -Infinity;
      for (let i = 0; i < source.length; i++) {
        if (source[i] < low) low = source[i];
        if (source[i] > high) high = source[i];
      }
      floats(arena, arena.start + range, 2).set([low, high > low ? BINS / (high - low) : 0]);
    }
    for (let y = 0; y < down + 2 * radiusY; y++) {
      const row = Math.min(down - 1, Math.max(0, y - radiusY)) * across;
      const at = y * stride;
      padded.fill(source[row], at, at + radiusX);
      padded.set(source.subarray(row, row + across), at + radiusX);
      padded.fill(source[row + across - 1], at + radiusX + across, at + stride);
    }
    if (args.rim === 'mirrored') mirror(padded, stride, args);
  },

  *run(kernels, arena, args, band) {
    const { across, down, radiusX, radiusY } = args;
    const { stride, outStride, range, bins, scratch, scratchBytes, out } = plan(args);
    const at = (offset: number) => arena.start + offset;
    const small = isSmall(args);
    const network = radiusX === 1 ? kernels.medianRows3 : radiusX === 2 ? kernels.medianRows5 : kernels.medianRows7;
    if (!small) {
      const [low, scale] = floats(arena, at(range), 2);
      const { from, to } = rowsOf(down + 2 * radiusY, band);
      kernels.quantise(arena.start + from * stride * 4, at(bins) + from * stride * 2, (to - from) * stride, low, scale);
      yield;
    }
    const { from, to } = rowsOf(down, band);
    // A few rows at a time, so that a stop is heard; all bands yield alike.
    const most = Math.ceil(down / (down < 48 ? 1 : band.count));
    const rows = small ? Math.max(16, Math.ceil(AT_ONCE / across)) : 16;
    for (let done = 0; done < most; done += rows) {
      const first = Math.min(to, from + done);
      const last = Math.min(to, first + rows);
      if (last > first) {
        if (small) network(arena.start, at(scratch) + (band.index % MOST_BANDS) * scratchBytes, at(out), stride, outStride, first, last, across);
        else {
          const own = at(scratch) + (band.index % MOST_BANDS) * scratchBytes;
          kernels.medianWindows(arena.start, at(bins), own, at(out), stride, outStride, first, last, across, radiusX, radiusY);
        }
      }
      band.progress(Math.min(1, (done + rows) / most));
      yield;
    }
  },

  take(arena, args) {
    const { out, outStride } = plan(args);
    return unpadded(arena, out, outStride, args.across, args.down);
  },
};

/** What lies beyond the rim is as far under its samples as what lies inside is above them. */
function mirror(padded: Float32Array, stride: number, { across, down, radiusX, radiusY }: MedianArgs): void {
  const wide = across + 2 * radiusX;
  for (let y = radiusY; y < radiusY + down; y++) {
    const first = y * stride + radiusX;
    const last = first + across - 1;
    for (let k = 1; k <= radiusX; k++) {
      padded[first - k] = 2 * padded[first] - padded[first + k];
      padded[last + k] = 2 * padded[last] - padded[last - k];
    }
  }
  const top = radiusY * stride;
  const bottom = top + (down - 1) * stride;
  for (let k = 1; k <= radiusY; k++)
    for (let x = 0; x < wide; x++) {
      padded[top - k * stride + x] = 2 * padded[top + x] - padded[top + k * stride + x];
      padded[bottom + k * stride + x] = 2 * padded[bottom + x] - padded[bottom - k * stride + x];
    }
}

/** Windows that have a sorting network of their own. */
const isSmall = ({ radiusX, radiusY }: MedianArgs) => radiusX === radiusY && radiusX <= 3;

function plan({ across, down, radiusX, radiusY }: MedianArgs) {
  const outStride = (across + 3) & ~3;
  const stride = (outStride + 2 * radiusX + 11) & ~3;
  let offset = (stride * (down + 2 * radiusY) * 4 + 63) & ~63;
  const claim = (bytes: number) => {
    const at = offset;
    offset += (bytes + 63) & ~63;
    return at;
  };
  const range = claim(8);
  const bins = claim(stride * (down + 2 * radiusY) * 2 + 16);
  const scratchBytes = (Math.max(BINS + 64 + (2 * radiusX + 1) * (2 * radiusY + 1), (2 * radiusY + 1) * stride) * 4 + 63) & ~63;
  const scratch = claim(scratchBytes * MOST_BANDS);
  const out = claim(outStride * down * 4);
  return { stride, outStride, range, bins, scratch, scratchBytes, out, bytes: offset };
}
