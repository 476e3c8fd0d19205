// Gradient noise on a hashed lattice, four samples at a time.

// Constants of the inner loop, four times over each. Read from memory: engines put a vector
// constant together anew at every use, which took as long as the arithmetic.
const TABLE: usize = memory.data<f32>([
  6, 6, 6, 6, 15, 15, 15, 15, 10, 10, 10, 10, 1, 1, 1, 1, 0.775, 0.775, 0.775, 0.775, 0.225, 0.225, 0.225, 0.225,
  9.313225746154785e-10, 9.313225746154785e-10, 9.313225746154785e-10, 9.313225746154785e-10,
  1.41421356, 1.41421356, 1.41421356, 1.41421356, 2, 2, 2, 2,
], 16);
const WHOLES: usize = memory.data<i32>([
  0x1b873593, 0x1b873593, 0x1b873593, 0x1b873593, 0x2545f491, 0x2545f491, 0x2545f491, 0x2545f491,
  0x2c1b3c6d, 0x2c1b3c6d, 0x2c1b3c6d, 0x2c1b3c6d, 0x297a2d39, 0x297a2d39, 0x297a2d39, 0x297a2d39,
], 16);

/** Perlin 2002: 6t⁵ − 15t⁴ + 10t³. */
@inline
function fade4(t: v128): v128 {
  const inner = f32x4.add(f32x4.mul(t, f32x4.sub(f32x4.mul(t, v128.load(TABLE)), v128.load(TABLE, 16))), v128.load(TABLE, 32));
  return f32x4.mul(f32x4.mul(f32x4.mul(t, t), t), inner);
}

@inline
function lerp4(t: v128, a: v128, b: v128): v128 {
  return f32x4.add(a, f32x4.mul(t, f32x4.sub(b, a)));
}

/** The same without its last step, for who needs the upper bits only. */
@inline
function upper4(h: v128): v128 {
  h = v128.xor(h, i32x4.shr_u(h, 15));
  h = i32x4.mul(h, v128.load(WHOLES, 32));
  h = v128.xor(h, i32x4.shr_u(h, 12));
  return i32x4.mul(h, v128.load(WHOLES, 48));
}

/** Mixes the lattice point's partial hash until every bit depends on every input bit. */
@inline
function mix4(h: v128): v128 {
  h = v128.xor(h, i32x4.shr_u(h, 15));
  h = i32x4.mul(h, v128.load(WHOLES, 32));
  h = v128.xor(h, i32x4.shr_u(h, 12));
  h = i32x4.mul(h, v128.load(WHOLES, 48));
  return v128.xor(h, i32x4.shr_u(h, 15));
}

/** A parabola brought nearer to the sine: y·(0.775 + 0.225·|y|), amplitude within 0.1 %. */
@inline
function refined4(y: v128): v128 {
  return f32x4.mul(y, f32x4.add(v128.load(TABLE, 64), f32x4.mul(v128.load(TABLE, 80), f32x4.abs(y))));
}

/** Quarter turns from −2 to 2 by the upper bits of a lattice point's hash: the angle of its gradient, a whole circle. */
@inline
function turn4(hash: v128): v128 {
  return f32x4.mul(f32x4.convert_i32x4_s(upper4(hash)), v128.load(TABLE, 96));
}

/** The sine of quarter turns z: the parabola z·(2 − |z|). */
@inline
function sine4(z: v128): v128 {
  const one = v128.load(TABLE, 48);
  return refined4(f32x4.mul(z, f32x4.add(one, f32x4.sub(one, f32x4.abs(z)))));
}

/** Their cosine: the sine of 1 − |z|. */
@inline
function cosine4(z: v128): v128 {
  const rest = f32x4.sub(v128.load(TABLE, 48), f32x4.abs(z));
  return refined4(f32x4.mul(rest, f32x4.sub(v128.load(TABLE, 128), f32x4.abs(rest))));
}

/** The gradient of the lattice point with this hash, dotted with the offset (x, y). */
@inline
function dot4(hash: v128, x: v128, y: v128): v128 {
  const z = turn4(hash);
  return f32x4.add(f32x4.mul(cosine4(z), x), f32x4.mul(sine4(z), y));
}

/** Bytes that the gradients of the last cells take: which cells, and of each corner the cosines and sines. */
export const LAST_CELLS: usize = 160;

/** Cells that no place lies in, as the last ones. */
@inline
export function forgetCells(last: usize): void {
  v128.store(last, i32x4.splat(i32.MIN_VALUE));
  v128.store(last, i32x4.splat(i32.MIN_VALUE), 16);
}

@inline
function keepCorner(at: usize, hash: v128): void {
  const z = turn4(hash);
  v128.store(at, cosine4(z));
  v128.store(at, sine4(z), 16);
}

@inline
function cornerAt(at: usize, x: v128, y: v128): v128 {
  return f32x4.add(f32x4.mul(v128.load(at), x), f32x4.mul(v128.load(at, 16), y));
}

/**
 * Gradient noise at four places given by whole cell (ix, iy) and place in the cell (fx, fy).
 * Scaled so that it reaches about −1 to 1 (the raw bound for unit gradients is ±√½). Places side by side mostly lie in the cells of those
 * before them: the gradients at their corners are kept at `last`, which belongs to this seed.
 */
@inline
export function noise4(ix: v128, iy: v128, fx: v128, fy: v128, seed: v128, last: usize): v128 {
  const u = fade4(fx);
  const v = fade4(fy);
  const one = v128.load(TABLE, 48);
  if (!i32x4.all_true(v128.and(i32x4.eq(ix, v128.load(last)), i32x4.eq(iy, v128.load(last, 16))))) {
    v128.store(last, ix);
    v128.store(last, iy, 16);
    const hx0 = i32x4.mul(ix, v128.load(WHOLES));
    const hx1 = i32x4.add(hx0, v128.load(WHOLES));
    const south = i32x4.mul(iy, v128.load(WHOLES, 16));
    const hy0 = v128.xor(south, seed);
    const hy1 = v128.xor(i32x4.add(south, v128.load(WHOLES, 16)), seed);
    keepCorner(last + 32, i32x4.add(hx0, hy0));
    keepCorner(last + 64, i32x4.add(hx1, hy0));
    keepCorner(last + 96, i32x4.add(hx0, hy1));
    keepCorner(last + 128, i32x4.add(hx1, hy1));
  }
  const gx = f32x4.sub(fx, one);
  const gy = f32x4.sub(fy, one);
  const n00 = cornerAt(last + 32, fx, fy);
  const n10 = cornerAt(last + 64, gx, fy);
  const n01 = cornerAt(last + 96, fx, gy);
  const n11 = cornerAt(last + 128, gx, gy);
  return f32x4.mul(lerp4(v, lerp4(u, n00, n10), lerp4(u, n01, n11)), v128.load(TABLE, 112));
}

/** One corner of the simplex: (½ − r²)⁴ times the gradient dotted with the offset, nothing beyond r² = ½. */
@inline
function corner4(hash: v128, x: v128, y: v128): v128 {
  const r = f32x4.sub(f32x4.splat(0.5), f32x4.add(f32x4.mul(x, x), f32x4.mul(y, y)));
  const t = f32x4.pmax(f32x4.splat(0), r);
  const t2 = f32x4.mul(t, t);
  return f32x4.mul(f32x4.mul(t2, t2), dot4(hash, x, y));
}

const UNSKEW: f32 = 0.21132486540518713;

/**
 * Simplex noise (Gustavson 2005) at four places: (ix, iy) the whole skewed cell, (x, y) the
 * offset from its first corner. Scaled so that it reaches about −1 to 1 for unit gradients.
 */
@inline
export function simplex4(ix: v128, iy: v128, x: v128, y: v128, seed: v128): v128 {
  const one = f32x4.splat(1);
  // The middle corner lies to the east where x > y, to the south elsewhere.
  const eastward = f32x4.gt(x, y);
  const stepX = v128.and(eastward, one);
  const stepY = v128.andnot(one, eastward);
  const g = f32x4.splat(UNSKEW);
  const g2 = f32x4.splat(2 * UNSKEW - 1);
  const hx0 = i32x4.mul(ix, i32x4.splat(0x1b873593));
  const hx1 = i32x4.mul(i32x4.add(ix, i32x4.splat(1)), i32x4.splat(0x1b873593));
  const hy0 = v128.xor(i32x4.mul(iy, i32x4.splat(0x2545f491)), seed);
  const hy1 = v128.xor(i32x4.mul(i32x4.add(iy, i32x4.splat(1)), i32x4.splat(0x2545f491)), seed);
  const middle = i32x4.add(v128.bitselect(hx1, hx0, eastward), v128.bitselect(hy0, hy1, eastward));
  const n0 = corner4(i32x4.add(hx0, hy0), x, y);
  const n1 = corner4(middle, f32x4.add(f32x4.sub(x, stepX), g), f32x4.add(f32x4.sub(y, stepY), g));
  const n2 = corner4(i32x4.add(hx1, hy1), f32x4.add(x, g2), f32x4.add(y, g2));
  return f32x4.mul(f32x4.add(n0, f32x4.add(n1, n2)), f32x4.splat(99.2));
}

/** Squared distance from (fx, fy) to the feature point of the cell (dx, dy) away. */
@inline
function cell4(ix: v128, iy: v128, fx: v128, fy: v128, seed: v128, dx: i32, dy: i32): v128 {
  const hx = i32x4.mul(i32x4.add(ix, i32x4.splat(dx)), i32x4.splat(0x1b873593));
  const hy = v128.xor(i32x4.mul(i32x4.add(iy, i32x4.splat(dy)), i32x4.splat(0x2545f491)), seed);
  const h = mix4(i32x4.add(hx, hy));
  const unit = f32x4.splat(1.52587890625e-5);
  const px = f32x4.mul(f32x4.convert_i32x4_s(v128.and(h, i32x4.splat(0xffff))), unit);
  const py = f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_u(h, 16)), unit);
  const x = f32x4.sub(f32x4.add(px, f32x4.splat(<f32>dx)), fx);
  const y = f32x4.sub(f32x4.add(py, f32x4.splat(<f32>dy)), fy);
  return f32x4.add(f32x4.mul(x, x), f32x4.mul(y, y));
}

/**
 * Cellular noise (Worley 1996) at four places: one feature point a cell; `which` 0: distance to
 * the nearest (F1), 1: to the second (F2), 2: F2 − F1, in cells. The eight cells around are
 * looked at first, the sixteen beyond them only where one of theirs could be nearer.
 */
export function cellular4(ix: v128, iy: v128, fx: v128, fy: v128, seed: v128, which: i32): v128 {
  let f1 = f32x4.splat(16);
  let f2 = f32x4.splat(16);
  for (let dy = -1; dy <= 1; dy++) {
    for (let dx = -1; dx <= 1; dx++) {
      const d = cell4(ix, iy, fx, fy, seed, dx, dy);
      f2 = f32x4.pmin(f2, f32x4.pmax(f1, d));
      f1 = f32x4.pmin(f1, d);
    }
  }
  const one = f32x4.splat(1);
  const rim = f32x4.add(
    one,
    f32x4.pmin(f32x4.pmin(fx, f32x4.sub(one, fx)), f32x4.pmin(fy, f32x4.sub(one, fy))),
  );
  if (v128.any_true(f32x4.gt(f2, f32x4.mul(rim, rim)))) {
    for (let dy = -2; dy <= 2; dy++) {
      for (let dx = -2; dx <= 2; dx++) {
        if (dx > -2 && dx < 2 && dy > -2 && dy < 2) continue;
        const d = cell4(ix, iy, fx, fy, seed, dx, dy);
        f2 = f32x4.pmin(f2, f32x4.pmax(f1, d));
        f1 = f32x4.pmin(f1, d);
      }
    }
  }
  if (which == 0) return f32x4.sqrt(f1);
  if (which == 1) return f32x4.sqrt(f2);
  return f32x4.sub(f32x4.sqrt(f2), f32x4.sqrt(f1));
}

@inline
function fade(t: f64): f64 {
  return t * t * t * (t * (t * 6 - 15) + 10);
}

@inline
function lerp(t: f64, a: f64, b: f64): f64 {
  return a + t * (b - a);
}

@inline
function grad(hash: i32, x: f64, y: f64, z: f64): f64 {
  const h = hash & 15;
  const u = h < 8 ? x : y;
  const v = h < 4 ? y : h == 12 || h == 14 ? x : z;
  return ((h & 1) == 0 ? u : -u) + ((h & 2) == 0 ? v : -v);
}

/**
 * Perlin's published three-dimensional noise over a permutation of 256 bytes, given twice over
 * at `table`. The yardstick for the fade and the corner mixing above.
 */
export function publishedNoise(table: usize, x: f64, y: f64, z: f64): f64 {
  const fx = Math.floor(x);
  const fy = Math.floor(y);
  const fz = Math.floor(z);
  const cx = <i32>fx & 255;
  const cy = <i32>fy & 255;
  const cz = <i32>fz & 255;
  x -= fx;
  y -= fy;
  z -= fz;
  const u = fade(x);
  const v = fade(y);
  const w = fade(z);
  const a = <i32>load<u8>(table + cx) + cy;
  const aa = <i32>load<u8>(table + a) + cz;
  const ab = <i32>load<u8>(table + a + 1) + cz;
  const b = <i32>load<u8>(table + cx + 1) + cy;
  const ba = <i32>load<u8>(table + b) + cz;
  const bb = <i32>load<u8>(table + b + 1) + cz;
  return lerp(
    w,
    lerp(
      v,
      lerp(u, grad(load<u8>(table + aa), x, y, z), grad(load<u8>(table + ba), x - 1, y, z)),
      lerp(u, grad(load<u8>(table + ab), x, y - 1, z), grad(load<u8>(table + bb), x - 1, y - 1, z)),
    ),
    lerp(
      v,
      lerp(u, grad(load<u8>(table + aa + 1), x, y, z - 1), grad(load<u8>(table + ba + 1), x - 1, y, z - 1)),
      lerp(u, grad(load<u8>(table + ab + 1), x, y - 1, z - 1), grad(load<u8>(table + bb + 1), x - 1, y - 1, z - 1)),
    ),
  );
}
