// Transcendental functions that give the same bits in every engine: AssemblyScript's own ports
// of musl, compiled to WebAssembly. `Math.*` of the engines differ from one another.

export function sin(x: f64): f64 {
  return NativeMath.sin(x);
}

export function cos(x: f64): f64 {
  return NativeMath.cos(x);
}

export function tan(x: f64): f64 {
  return NativeMath.tan(x);
}

export function atan2(y: f64, x: f64): f64 {
  return NativeMath.atan2(y, x);
}

export function atan(x: f64): f64 {
  return NativeMath.atan(x);
}

export function exp(x: f64): f64 {
  return NativeMath.exp(x);
}

export function log(x: f64): f64 {
  return NativeMath.log(x);
}

export function pow(x: f64, y: f64): f64 {
  return NativeMath.pow(x, y);
}

const ROOT_HALF = 0x3f3504f3;
const TWO_PER_LN2: f32 = 2.8853900817779268;

/** x to the y of four positive floats, to 2e-6 of itself: the exponent taken apart, log₂ by the series of the inverse hyperbolic tangent, 2ᶠ by Taylor's. */
// @ts-ignore: decorator
@inline
export function power(x: v128, y: v128): v128 {
  const one = f32x4.splat(1);
  const exponent = i32x4.shr_s(i32x4.sub(x, i32x4.splat(ROOT_HALF)), 23);
  const mantissa = i32x4.sub(x, i32x4.shl(exponent, 23));
  const s = f32x4.div(f32x4.sub(mantissa, one), f32x4.add(mantissa, one));
  const squared = f32x4.mul(s, s);
  let series = f32x4.add(f32x4.splat(1.0 / 7), f32x4.mul(squared, f32x4.splat(1.0 / 9)));
  series = f32x4.add(f32x4.splat(1.0 / 5), f32x4.mul(squared, series));
  series = f32x4.add(f32x4.splat(1.0 / 3), f32x4.mul(squared, series));
  series = f32x4.add(one, f32x4.mul(squared, series));
  const log2 = f32x4.add(f32x4.convert_i32x4_s(exponent), f32x4.mul(f32x4.mul(f32x4.splat(TWO_PER_LN2), s), series));
  const all = f32x4.max(f32x4.splat(-126), f32x4.min(f32x4.splat(126), f32x4.mul(y, log2)));
  const whole = f32x4.nearest(all);
  const rest = f32x4.sub(all, whole);
  let two = f32x4.splat(1.5252733804059841e-5);
  two = f32x4.add(f32x4.splat(1.5403530393381608e-4), f32x4.mul(rest, two));
  two = f32x4.add(f32x4.splat(1.3333558146428443e-3), f32x4.mul(rest, two));
  two = f32x4.add(f32x4.splat(9.618129107628477e-3), f32x4.mul(rest, two));
  two = f32x4.add(f32x4.splat(5.550410866482158e-2), f32x4.mul(rest, two));
  two = f32x4.add(f32x4.splat(2.4022650695910072e-1), f32x4.mul(rest, two));
  two = f32x4.add(f32x4.splat(6.931471805599453e-1), f32x4.mul(rest, two));
  two = f32x4.add(one, f32x4.mul(rest, two));
  return i32x4.add(two, i32x4.shl(i32x4.trunc_sat_f32x4_s(whole), 23));
}
