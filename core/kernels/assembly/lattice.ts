// Gradient noise on a hashed lattice, four samples at a time.

/** Perlin 2002: 6t⁵ − 15t⁴ + 10t³. */
@inline
function fade4(t: v128): v128 {
  const inner = f32x4.add(f32x4.mul(t, f32x4.sub(f32x4.mul(t, f32x4.splat(6)), f32x4.splat(15))), f32x4.splat(10));
  return f32x4.mul(f32x4.mul(f32x4.mul(t, t), t), inner);
}

@inline
function lerp4(t: v128, a: v128, b: v128): v128 {
  return f32x4.add(a, f32x4.mul(t, f32x4.sub(b, a)));
}

/** Mixes the lattice point's partial hash until every bit depends on every input bit. */
@inline
function mix4(h: v128): v128 {
  h = v128.xor(h, i32x4.shr_u(h, 15));
  h = i32x4.mul(h, i32x4.splat(0x2c1b3c6d));
  h = v128.xor(h, i32x4.shr_u(h, 12));
  h = i32x4.mul(h, i32x4.splat(0x297a2d39));
  return v128.xor(h, i32x4.shr_u(h, 15));
}

/** sin(π·a/2³¹) of a whole-circle integer angle: a parabola refined once, amplitude within 0.1 %. */
@inline
function sine4(angle: v128): v128 {
  const x = f32x4.mul(f32x4.convert_i32x4_s(angle), f32x4.splat(4.656612873077393e-10));
  const y = f32x4.mul(f32x4.mul(f32x4.splat(4), x), f32x4.sub(f32x4.splat(1), f32x4.abs(x)));
  return f32x4.add(f32x4.mul(f32x4.splat(0.225), f32x4.sub(f32x4.mul(y, f32x4.abs(y)), y)), y);
}

/** The gradient of the lattice point with this hash, dotted with the offset (x, y). */
@inline
function dot4(hash: v128, x: v128, y: v128): v128 {
  const h = mix4(hash);
  return f32x4.add(f32x4.mul(sine4(i32x4.add(h, i32x4.splat(0x40000000))), x), f32x4.mul(sine4(h), y));
}

/**
 * Gradient noise at four places given by whole cell (ix, iy) and place in the cell (fx, fy).
 * Scaled so that it reaches about −1 to 1 (the raw bound for unit gradients is ±√½).
 */
@inline
export function noise4(ix: v128, iy: v128, fx: v128, fy: v128, seed: v128): v128 {
  const u = fade4(fx);
  const v = fade4(fy);
  const one = f32x4.splat(1);
  const hx0 = i32x4.mul(ix, i32x4.splat(0x1b873593));
  const hx1 = i32x4.add(hx0, i32x4.splat(0x1b873593));
  const hy0 = v128.xor(i32x4.mul(iy, i32x4.splat(0x2545f491)), seed);
  const hy1 = v128.xor(i32x4.mul(i32x4.add(iy, i32x4.splat(1)), i32x4.splat(0x2545f491)), seed);
  const gx = f32x4.sub(fx, one);
  const gy = f32x4.sub(fy, one);
  const n00 = dot4(i32x4.add(hx0, hy0), fx, fy);
  const n10 = dot4(i32x4.add(hx1, hy0), gx, fy);
  const n01 = dot4(i32x4.add(hx0, hy1), fx, gy);
  const n11 = dot4(i32x4.add(hx1, hy1), gx, gy);
  return f32x4.mul(lerp4(v, lerp4(u, n00, n10), lerp4(u, n01, n11)), f32x4.splat(1.41421356));
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
