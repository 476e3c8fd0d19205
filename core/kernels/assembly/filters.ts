// Filters over padded grids of float32: `stride` floats a row, a multiple of four.

/**
 * Weighted sums along rows: out[i] = Σ taps[k] · source[i · step + k], for `count` samples a row
 * (whole vectors of four are written). `step` is 1, or 2 to keep every second sample.
 */
export function filterRows(
  source: usize,
  out: usize,
  sourceStride: i32,
  outStride: i32,
  from: i32,
  to: i32,
  count: i32,
  taps: usize,
  length: i32,
  step: i32,
): void {
  for (let row = from; row < to; row++) {
    const base = source + ((<usize>row * <usize>sourceStride) << 2);
    const target = out + ((<usize>row * <usize>outStride) << 2);
    for (let i = 0; i < count; i += 4) {
      let sum = f32x4.splat(0);
      if (step == 1) {
        let at = base + (<usize>i << 2);
        for (let k = 0; k < length; k++, at += 4) {
          sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(taps + (<usize>k << 2)), v128.load(at)));
        }
      } else {
        let at = base + (<usize>i << 3);
        for (let k = 0; k < length; k++, at += 4) {
          const evens = i8x16.shuffle(
            v128.load(at),
            v128.load(at, 16),
            0, 1, 2, 3, 8, 9, 10, 11, 16, 17, 18, 19, 24, 25, 26, 27,
          );
          sum = f32x4.add(sum, f32x4.mul(v128.load32_splat(taps + (<usize>k << 2)), evens));
        }
      }
      v128.store(target + (<usize>i << 2), sum);
    }
  }
}

/** The same for taps that read alike from both ends (`length` odd): half the multiplications. */
export function filterRowsEven(
  source: usize,
  out: usize,
  sourceStride: i32,
  outStride: i32,
  from: i32,
  to: i32,
  count: i32,
  taps: usize,
  length: i32,
): void {
  const radius = length >> 1;
  const last = <usize>(length - 1) << 2;
  for (let row = from; row < to; row++) {
    const base = source + ((<usize>row * <usize>sourceStride) << 2);
    const target = out + ((<usize>row * <usize>outStride) << 2);
    for (let i = 0; i < count; i += 16) {
      const at = base + (<usize>i << 2);
      const middle = v128.load32_splat(taps + (<usize>radius << 2));
      const here = at + (<usize>radius << 2);
      let a = f32x4.mul(middle, v128.load(here));
      let b = f32x4.mul(middle, v128.load(here, 16));
      let c = f32x4.mul(middle, v128.load(here, 32));
      let d = f32x4.mul(middle, v128.load(here, 48));
      let left = at;
      let right = at + last;
      // Two pairs of taps a turn; an odd one is done first.
      let at2 = taps;
      const end = taps + (<usize>radius << 2);
      if (radius & 1) {
        const tap = v128.load32_splat(at2);
        a = f32x4.add(a, f32x4.mul(tap, f32x4.add(v128.load(left), v128.load(right))));
        b = f32x4.add(b, f32x4.mul(tap, f32x4.add(v128.load(left, 16), v128.load(right, 16))));
        c = f32x4.add(c, f32x4.mul(tap, f32x4.add(v128.load(left, 32), v128.load(right, 32))));
        d = f32x4.add(d, f32x4.mul(tap, f32x4.add(v128.load(left, 48), v128.load(right, 48))));
        at2 += 4;
        left += 4;
        right -= 4;
      }
      for (; at2 < end; at2 += 8, left += 8, right -= 8) {
        const one = v128.load32_splat(at2);
        const two = v128.load32_splat(at2, 4);
        const near = right - 4;
        a = f32x4.add(a, f32x4.mul(one, f32x4.add(v128.load(left), v128.load(right))));
        b = f32x4.add(b, f32x4.mul(one, f32x4.add(v128.load(left, 16), v128.load(right, 16))));
        c = f32x4.add(c, f32x4.mul(one, f32x4.add(v128.load(left, 32), v128.load(right, 32))));
        d = f32x4.add(d, f32x4.mul(one, f32x4.add(v128.load(left, 48), v128.load(right, 48))));
        a = f32x4.add(a, f32x4.mul(two, f32x4.add(v128.load(left, 4), v128.load(near))));
        b = f32x4.add(b, f32x4.mul(two, f32x4.add(v128.load(left, 20), v128.load(near, 16))));
        c = f32x4.add(c, f32x4.mul(two, f32x4.add(v128.load(left, 36), v128.load(near, 32))));
        d = f32x4.add(d, f32x4.mul(two, f32x4.add(v128.load(left, 52), v128.load(near, 48))));
      }
      v128.store(target + (<usize>i << 2), a);
      v128.store(target + (<usize>i << 2), b, 16);
      v128.store(target + (<usize>i << 2), c, 32);
      v128.store(target + (<usize>i << 2), d, 48);
    }
  }
}

/**
 * Weighted sums down columns, even taps: out[row] = Σ taps[k] · source[row · step + k − shift],
 * rows outside of 0 … rows − 1 carried on. `outStride` floats (a multiple of sixteen) are done in every row.
 */
export function filterColumns(
  source: usize,
  out: usize,
  stride: i32,
  outStride: i32,
  rows: i32,
  from: i32,
  to: i32,
  taps: usize,
  length: i32,
  shift: i32,
  step: i32,
): void {
  const row4 = <usize>stride << 2;
  const outRow4 = <usize>outStride << 2;
  const radius = length >> 1;
  for (let row = from; row < to; row++) {
    const first = row * step - shift;
    const target = out + <usize>row * outRow4;
    // A strip of sixteen columns at a time stays in the nearest cache while the taps go over it.
    for (let c: usize = 0; c < outRow4; c += 64) {
      let mid = first + radius;
      mid = mid < 0 ? 0 : mid >= rows ? rows - 1 : mid;
      const tapM = v128.load32_splat(taps + (<usize>radius << 2));
      const atM = source + <usize>mid * row4 + c;
      let s0 = f32x4.mul(tapM, v128.load(atM));
      let s1 = f32x4.mul(tapM, v128.load(atM, 16));
      let s2 = f32x4.mul(tapM, v128.load(atM, 32));
      let s3 = f32x4.mul(tapM, v128.load(atM, 48));
      if (first >= 0 && first + length <= rows) {
        let above = source + <usize>first * row4 + c;
        let below = source + <usize>(first + length - 1) * row4 + c;
        for (let at = taps, end = taps + (<usize>radius << 2); at < end; at += 4, above += row4, below -= row4) {
          const tap = v128.load32_splat(at);
          s0 = f32x4.add(s0, f32x4.mul(tap, f32x4.add(v128.load(above), v128.load(below))));
          s1 = f32x4.add(s1, f32x4.mul(tap, f32x4.add(v128.load(above, 16), v128.load(below, 16))));
          s2 = f32x4.add(s2, f32x4.mul(tap, f32x4.add(v128.load(above, 32), v128.load(below, 32))));
          s3 = f32x4.add(s3, f32x4.mul(tap, f32x4.add(v128.load(above, 48), v128.load(below, 48))));
        }
      } else {
        for (let k = 0; k < radius; k++) {
          let a = first + k;
          let b = first + length - 1 - k;
          a = a < 0 ? 0 : a >= rows ? rows - 1 : a;
          b = b < 0 ? 0 : b >= rows ? rows - 1 : b;
          const tap = v128.load32_splat(taps + (<usize>k << 2));
          const atA = source + <usize>a * row4 + c;
          const atB = source + <usize>b * row4 + c;
          s0 = f32x4.add(s0, f32x4.mul(tap, f32x4.add(v128.load(atA), v128.load(atB))));
          s1 = f32x4.add(s1, f32x4.mul(tap, f32x4.add(v128.load(atA, 16), v128.load(atB, 16))));
          s2 = f32x4.add(s2, f32x4.mul(tap, f32x4.add(v128.load(atA, 32), v128.load(atB, 32))));
          s3 = f32x4.add(s3, f32x4.mul(tap, f32x4.add(v128.load(atA, 48), v128.load(atB, 48))));
        }
      }
      v128.store(target + c, s0);
      v128.store(target + c, s1, 16);
      v128.store(target + c, s2, 32);
      v128.store(target + c, s3, 48);
    }
  }
}

/**
 * Rise over run squared by Horn's weighted differences (Horn 1981), for rows `from` … `to` − 1;
 * at the rim the outer samples carry on. `inverseX`, `inverseY`: one over eight spacings.
 */
export function steepnessRows(source: usize, out: usize, across: i32, down: i32, from: i32, to: i32, inverseX: f32, inverseY: f32): void {
  const row4 = <usize>across << 2;
  const ix = f32x4.splat(inverseX);
  const iy = f32x4.splat(inverseY);
  for (let row = from; row < to; row++) {
    const here = source + <usize>row * row4;
    const north = row > 0 ? here - row4 : here;
    const south = row < down - 1 ? here + row4 : here;
    const tall: f32 = row > 0 && row < down - 1 ? 1 : down > 1 ? 2 : 0;
    const target = out + <usize>row * row4;
    let column = 0;
    while (column < across) {
      const c = <usize>column << 2;
      if (column > 0 && column + 5 <= across) {
        const nw = v128.load(north + c - 4);
        const ne = v128.load(north + c + 4);
        const sw = v128.load(south + c - 4);
        const se = v128.load(south + c + 4);
        const w = v128.load(here + c - 4);
        const e = v128.load(here + c + 4);
        const n = v128.load(north + c);
        const s = v128.load(south + c);
        const east = f32x4.add(f32x4.add(f32x4.sub(ne, nw), f32x4.sub(se, sw)), f32x4.mul(f32x4.splat(2), f32x4.sub(e, w)));
        const down4 = f32x4.add(f32x4.add(f32x4.sub(sw, nw), f32x4.sub(se, ne)), f32x4.mul(f32x4.splat(2), f32x4.sub(s, n)));
        const dx = f32x4.mul(east, ix);
        const dy = f32x4.mul(f32x4.mul(down4, iy), f32x4.splat(tall));
        v128.store(target + c, f32x4.add(f32x4.mul(dx, dx), f32x4.mul(dy, dy)));
        column += 4;
        continue;
      }
      const left: usize = column > 0 ? c - 4 : c;
      const right: usize = column < across - 1 ? c + 4 : c;
      const wide: f32 = column > 0 && column < across - 1 ? 1 : across > 1 ? 2 : 0;
      const nw = load<f32>(north + left);
      const ne = load<f32>(north + right);
      const sw = load<f32>(south + left);
      const se = load<f32>(south + right);
      const east = ne - nw + (se - sw) + 2 * (load<f32>(here + right) - load<f32>(here + left));
      const down1 = sw - nw + (se - ne) + 2 * (load<f32>(south + c) - load<f32>(north + c));
      const dx = east * inverseX * wide;
      const dy = down1 * inverseY * tall;
      store<f32>(target + c, dx * dx + dy * dy);
      column++;
    }
  }
}

// @ts-ignore: decorator
@inline
function middle(a: f32, b: f32, before: f32, after: f32): f32 {
  return <f32>((9 * (<f64>a + <f64>b) - (<f64>before + <f64>after)) / 16);
}

/** Samples `first` … of a row of twice as many: those there are, and between them the Catmull–Rom middle (−1, 9, 9, −1) / 16. */
export function doubleRow(source: usize, across: i32, first: i32, count: i32, out: usize): void {
  const last = across - 1;
  for (let i = first; i < first + count; i++) {
    const k = i >> 1;
    const at = source + (<usize>k << 2);
    const target = out + (<usize>(i - first) << 2);
    if ((i & 1) == 0) store<f32>(target, load<f32>(at));
    else {
      const before = source + (<usize>max<i32>(0, k - 1) << 2);
      const next = source + (<usize>min<i32>(last, k + 1) << 2);
      const after = source + (<usize>min<i32>(last, k + 2) << 2);
      store<f32>(target, middle(load<f32>(at), load<f32>(next), load<f32>(before), load<f32>(after)));
    }
  }
}

/** The row in the middle between `here` and `next`, by those two and the ones beyond them. */
export function middleRow(here: usize, next: usize, before: usize, after: usize, count: i32, out: usize): void {
  for (let i: usize = 0; i < <usize>count << 2; i += 4)
    store<f32>(out + i, middle(load<f32>(here + i), load<f32>(next + i), load<f32>(before + i), load<f32>(after + i)));
}
