// The median of large windows: a sliding histogram of quantised heights finds the bin that
// holds it (Huang 1979), the heights in that bin then give it exactly.

export const BINS: i32 = 4096;
const COARSE: i32 = 64;

/** The `rank`-th smallest (from 0) of `count` floats at `at`; reorders them (Hoare 1961). */
function select(at: usize, count: i32, rank: i32): f32 {
  let low = 0;
  let high = count - 1;
  while (low < high) {
    const pivot = load<f32>(at + (<usize>((low + high) >> 1) << 2));
    let i = low;
    let j = high;
    while (i <= j) {
      while (load<f32>(at + (<usize>i << 2)) < pivot) i++;
      while (load<f32>(at + (<usize>j << 2)) > pivot) j--;
      if (i <= j) {
        const a = load<f32>(at + (<usize>i << 2));
        store<f32>(at + (<usize>i << 2), load<f32>(at + (<usize>j << 2)));
        store<f32>(at + (<usize>j << 2), a);
        i++;
        j--;
      }
    }
    if (rank <= j) high = j;
    else if (rank >= i) low = i;
    else break;
  }
  return load<f32>(at + (<usize>rank << 2));
}

/** bins[i] = the quantised height of source[i], for `count` floats: (h − low) · scale, at most 4095. */
export function quantise(source: usize, bins: usize, count: i32, low: f32, scale: f32): void {
  for (let i = 0; i < count; i++) {
    const q = <i32>((load<f32>(source + (<usize>i << 2)) - low) * scale);
    store<u16>(bins + (<usize>i << 1), <u16>(q < 0 ? 0 : q > BINS - 1 ? BINS - 1 : q));
  }
}

/**
 * Medians of windows of (2·radiusX + 1) × (2·radiusY + 1) for rows `from` … `to` − 1. `source`
 * and `bins` are padded by the radii on every side (`stride` samples a row, some spare ones
 * after the last). `scratch`: 4096 + 64 counts, then one window of floats; a band's own.
 */
export function medianWindows(
  source: usize,
  bins: usize,
  scratch: usize,
  out: usize,
  stride: i32,
  outStride: i32,
  from: i32,
  to: i32,
  count: i32,
  radiusX: i32,
  radiusY: i32,
): void {
  const wide = 2 * radiusX + 1;
  const tall = 2 * radiusY + 1;
  const rank = (wide * tall) >> 1;
  const coarse = scratch + (<usize>BINS << 2);
  const found = coarse + (<usize>COARSE << 2);
  for (let row = from; row < to; row++) {
    memory.fill(scratch, 0, <usize>(BINS + COARSE) << 2);
    for (let y = 0; y < tall; y++) {
      const line = bins + ((<usize>(row + y) * <usize>stride) << 1);
      for (let x = 0; x < wide; x++) {
        const q = <usize>load<u16>(line + (<usize>x << 1));
        store<u32>(scratch + (q << 2), load<u32>(scratch + (q << 2)) + 1);
        const c = coarse + ((q >> 6) << 2);
        store<u32>(c, load<u32>(c) + 1);
      }
    }
    for (let column = 0; column < count; column++) {
      let below = 0;
      let c = 0;
      while (true) {
        const n = <i32>load<u32>(coarse + (<usize>c << 2));
        if (below + n > rank) break;
        below += n;
        c++;
      }
      let bin = c << 6;
      while (true) {
        const n = <i32>load<u32>(scratch + (<usize>bin << 2));
        if (below + n > rank) break;
        below += n;
        bin++;
      }
      const wanted = i16x8.splat(<i16>bin);
      let many = 0;
      for (let y = 0; y < tall; y++) {
        const start = <usize>(row + y) * <usize>stride + <usize>column;
        const line = bins + (start << 1);
        for (let x = 0; x < wide; x += 8) {
          let mask = i16x8.bitmask(i16x8.eq(v128.load(line + (<usize>x << 1)), wanted));
          if (wide - x < 8) mask &= (1 << (wide - x)) - 1;
          while (mask != 0) {
            const k = ctz(mask);
            mask &= mask - 1;
            store<f32>(found + (<usize>many << 2), load<f32>(source + ((start + <usize>(x + k)) << 2)));
            many++;
          }
        }
      }
      store<f32>(
        out + ((<usize>row * <usize>outStride + <usize>column) << 2),
        select(found, many, rank - below),
      );
      if (column + 1 == count) break;
      for (let y = 0; y < tall; y++) {
        const line = bins + ((<usize>(row + y) * <usize>stride + <usize>column) << 1);
        const gone = <usize>load<u16>(line);
        const come = <usize>load<u16>(line + (<usize>wide << 1));
        if (gone == come) continue;
        store<u32>(scratch + (gone << 2), load<u32>(scratch + (gone << 2)) - 1);
        store<u32>(scratch + (come << 2), load<u32>(scratch + (come << 2)) + 1);
        const a = coarse + ((gone >> 6) << 2);
        const b = coarse + ((come >> 6) << 2);
        store<u32>(a, load<u32>(a) - 1);
        store<u32>(b, load<u32>(b) + 1);
      }
    }
  }
}
