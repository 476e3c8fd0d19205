// What brushes do to a rectangle of samples under them: arrays of width × height floats, row by
// row, `width` floats a row, no padding; the tail of a row is done one by one.

/** The square of the radius, with the rounding of a sample that lies right on the rim. */
const RIM: f32 = 1.000001;

@inline
function shoulder(t2: f32, inner: f32, scale: f32): f32 {
  if (t2 > RIM) return 0;
  if (t2 <= inner) return 1;
  const inwards: f32 = 1 - sqrt<f32>(t2);
  const u: f32 = max<f32>(0, inwards) * scale;
  const rest: f32 = 3 - 2 * u;
  return u * u * rest;
}

/**
 * Weights of a round brush times `strength`: 1 inside, fading by a smooth shoulder over the last
 * `softness` of the radius, 0 outside. (x, y): the first sample seen from the middle, in radii.
 */
export function brushWeights(out: usize, width: i32, height: i32, x: f64, y: f64, stepX: f64, stepY: f64, softness: f32, strength: f32): void {
  const hard: f32 = 1 - softness;
  const inner: f32 = softness > 0 ? hard * hard : RIM;
  const scale: f32 = softness > 0 ? 1 / softness : 0;
  const one = f32x4.splat(1);
  const two = f32x4.splat(2);
  const three = f32x4.splat(3);
  const zero = f32x4.splat(0);
  const rim = f32x4.splat(RIM);
  const scales = f32x4.splat(scale);
  const inners = f32x4.splat(inner);
  const strengths = f32x4.splat(strength);
  const sx = <f32>stepX;
  const lanes = f32x4(0, sx, 2 * sx, 3 * sx);
  for (let row = 0; row < height; row++) {
    const dy = <f32>(y + <f64>row * stepY);
    const dy2 = dy * dy;
    const dys = f32x4.splat(dy2);
    let at = out + ((<usize>row * <usize>width) << 2);
    // Outside of the chord there is nothing.
    const chord = sqrt<f64>(max<f64>(0, <f64>(RIM - dy2)));
    const begin = min<i32>(width, max<i32>(0, <i32>((-chord - x) / stepX)));
    const end = min<i32>(width, max<i32>(begin, <i32>((chord - x) / stepX) + 2));
    memory.fill(at, 0, <usize>begin << 2);
    at += <usize>begin << 2;
    let column = begin;
    for (; column + 4 <= end; column += 4) {
      const dx = f32x4.add(f32x4.splat(<f32>(x + <f64>column * stepX)), lanes);
      const t2 = f32x4.add(f32x4.mul(dx, dx), dys);
      const u = f32x4.mul(f32x4.pmax(zero, f32x4.sub(one, f32x4.sqrt(t2))), scales);
      let w = f32x4.mul(f32x4.mul(u, u), f32x4.sub(three, f32x4.mul(two, u)));
      w = v128.bitselect(one, w, f32x4.le(t2, inners));
      w = v128.bitselect(zero, w, f32x4.gt(t2, rim));
      v128.store(at, f32x4.mul(w, strengths));
      at += 16;
    }
    for (; column < end; column++) {
      const dx = <f32>(x + <f64>column * stepX);
      store<f32>(at, shoulder(dx * dx + dy2, inner, scale) * strength);
      at += 4;
    }
    memory.fill(at, 0, <usize>(width - end) << 2);
  }
}

/** Running means over 2·radius + 1 samples along rows: `width` in, `width` − 2·radius out. */
export function brushMeanRows(source: usize, out: usize, width: i32, height: i32, radius: i32): void {
  const share: f64 = 1 / <f64>(2 * radius + 1);
  const narrow = width - 2 * radius;
  const ahead = <usize>(2 * radius) << 2;
  for (let row = 0; row < height; row++) {
    let from = source + ((<usize>row * <usize>width) << 2);
    let to = out + ((<usize>row * <usize>narrow) << 2);
    let sum: f64 = 0;
    for (let i: usize = 0; i < ahead; i += 4) sum += <f64>load<f32>(from + i);
    for (let x = 0; x < narrow; x++) {
      sum += <f64>load<f32>(from + ahead);
      store<f32>(to, <f32>(sum * share));
      sum -= <f64>load<f32>(from);
      from += 4;
      to += 4;
    }
  }
}

/** The same along columns: `height` in, `height` − 2·radius out. `sums`: room for `width` doubles, and two more. */
export function brushMeanColumns(source: usize, out: usize, sums: usize, width: i32, height: i32, radius: i32): void {
  const share = f64x2.splat(1 / <f64>(2 * radius + 1));
  const row4 = <usize>width << 2;
  memory.fill(sums, 0, (<usize>width + 2) << 3);
  for (let row = 0; row < 2 * radius; row++) {
    const from = source + <usize>row * row4;
    for (let x: usize = 0; x < <usize>width; x++) {
      const s = sums + (x << 3);
      store<f64>(s, load<f64>(s) + <f64>load<f32>(from + (x << 2)));
    }
  }
  for (let row = 0; row < height - 2 * radius; row++) {
    const enters = source + <usize>(row + 2 * radius) * row4;
    const leaves = source + <usize>row * row4;
    const to = out + <usize>row * row4;
    let x: usize = 0;
    for (; x + 2 <= <usize>width; x += 2) {
      const s = sums + (x << 3);
      const at = x << 2;
      const sum = f64x2.add(v128.load(s), f64x2.promote_low_f32x4(v128.load64_zero(enters + at)));
      v128.store64_lane(to + at, f32x4.demote_f64x2_zero(f64x2.mul(sum, share)), 0);
      v128.store(s, f64x2.sub(sum, f64x2.promote_low_f32x4(v128.load64_zero(leaves + at))));
    }
    for (; x < <usize>width; x++) {
      const s = sums + (x << 3);
      const sum = load<f64>(s) + <f64>load<f32>(enters + (x << 2));
      store<f32>(to + (x << 2), <f32>(sum * f64x2.extract_lane(share, 0)));
      store<f64>(s, sum - <f64>load<f32>(leaves + (x << 2)));
    }
  }
}

@inline
function fade(t: f32): f32 {
  return t * t * t * (t * (t * 6 - 15) + 10);
}

@inline
function hashed(x: i32, y: i32, seed: i32): f32 {
  let h = (x * 0x27d4eb2f) ^ (y * 0x165667b1) ^ (seed * 0x9e3779b1);
  h = (h ^ (h >>> 15)) * 0x85ebca6b;
  h = (h ^ (h >>> 13)) * 0xc2b2ae35;
  return <f32>(<u32>(h ^ (h >>> 16))) * 4.656612873e-10 - 1;
}

/**
 * Adds smooth noise of −amount to amount between the points of a lattice. (x, y): the first
 * sample in cells of the lattice; the same wherever the rectangle begins.
 */
export function brushNoise(out: usize, width: i32, height: i32, x: f64, y: f64, stepX: f64, stepY: f64, amount: f32, seed: i32): void {
  for (let row = 0; row < height; row++) {
    const py = y + <f64>row * stepY;
    const y0 = <i32>Math.floor(py);
    const v = fade(<f32>(py - <f64>y0));
    let at = out + ((<usize>row * <usize>width) << 2);
    let cell: i32 = i32.MIN_VALUE;
    let west: f32 = 0;
    let east: f32 = 0;
    for (let column = 0; column < width; column++) {
      const px = x + <f64>column * stepX;
      const x0 = <i32>Math.floor(px);
      if (x0 != cell) {
        cell = x0;
        const a = hashed(x0, y0, seed);
        const b = hashed(x0 + 1, y0, seed);
        west = a + (hashed(x0, y0 + 1, seed) - a) * v;
        east = b + (hashed(x0 + 1, y0 + 1, seed) - b) * v;
      }
      const u = fade(<f32>(px - <f64>x0));
      store<f32>(at, load<f32>(at) + amount * (west + (east - west) * u));
      at += 4;
    }
  }
}

/** Adds `count` floats a row, `rows` of them: to[row · toStride + i] += from[row · fromStride + i]. */
export function brushAdd(to: usize, toStride: i32, from: usize, fromStride: i32, count: i32, rows: i32): void {
  for (let row = 0; row < rows; row++) {
    let a = to + ((<usize>row * <usize>toStride) << 2);
    let b = from + ((<usize>row * <usize>fromStride) << 2);
    let i = 0;
    for (; i + 4 <= count; i += 4) {
      v128.store(a, f32x4.add(v128.load(a), v128.load(b)));
      a += 16;
      b += 16;
    }
    for (; i < count; i++) {
      store<f32>(a, load<f32>(a) + load<f32>(b));
      a += 4;
      b += 4;
    }
  }
}

/** Whether any of the floats, `count` a row, `rows` of them, is not zero. */
export function brushAny(from: usize, stride: i32, count: i32, rows: i32): boolean {
  for (let row = 0; row < rows; row++) {
    const at = from + ((<usize>row * <usize>stride) << 2);
    for (let i = 0; i < count; i++) if (load<f32>(at + (<usize>i << 2)) != 0) return true;
  }
  return false;
}

/** Weights become changes: a share, strength · weight and at most all, of the way from `now` to `target`. All arrays begin at multiples of 16 bytes. */
export function brushTowards(weights: usize, target: usize, now: usize, count: i32, strength: f32): void {
  const s = f32x4.splat(strength);
  const one = f32x4.splat(1);
  const end = (<usize>count + 3) & ~3;
  for (let i: usize = 0; i < end << 2; i += 16) {
    const share = f32x4.pmin(one, f32x4.mul(s, v128.load(weights + i)));
    v128.store(weights + i, f32x4.mul(share, f32x4.sub(v128.load(target + i), v128.load(now + i))));
  }
}
