// Heights into whole codes, and codes held against the heights that they were made of: the operations of doubles that
// core/delivery/heights/encode.ts and proof.ts describe.

/** The codes of `count` heights, as 32-bit numbers at `out`: min + ⌊(h − low) · perMetre + ½⌋, set to the nearer end beyond 0 … span. How many were. */
export function putCodes(heights: usize, count: i32, low: f64, perMetre: f64, span: f64, min: f64, out: usize): i32 {
  let clipped = 0;
  const lows = f64x2.splat(low);
  const rates = f64x2.splat(perMetre);
  const halves = f64x2.splat(0.5);
  const spans = f64x2.splat(span);
  const beyond = f64x2.splat(span + 1);
  const mins = f64x2.splat(min);
  const none = f64x2.splat(0);
  const pairs = count & ~1;
  for (let i = 0; i < pairs; i += 2) {
    const at = <usize>i << 2;
    const h = f64x2.promote_low_f32x4(v128.load64_zero(heights + at));
    const code = f64x2.add(f64x2.mul(f64x2.sub(h, lows), rates), halves);
    const fits = v128.and(f64x2.ge(code, none), f64x2.lt(code, beyond));
    clipped += 2 - popcnt(i64x2.bitmask(fits));
    const kept = f64x2.add(mins, v128.bitselect(f64x2.floor(code), v128.and(f64x2.gt(code, none), spans), fits));
    v128.store64_lane(out + at, min < 0 ? i32x4.trunc_sat_f64x2_s_zero(kept) : i32x4.trunc_sat_f64x2_u_zero(kept), 0);
  }
  for (let i = pairs; i < count; i++) {
    const at = <usize>i << 2;
    const code = (<f64>load<f32>(heights + at) - low) * perMetre + 0.5;
    const fits = code >= 0 && code < span + 1;
    if (!fits) clipped++;
    const kept = min + (fits ? Math.floor(code) : code > 0 ? span : 0);
    // Codes of 32 bits without a sign wrap, and come out right.
    store<i32>(out + at, <i32>(<i64>kept));
  }
  return clipped;
}

/**
 * How far `count` codes (32-bit numbers) lie from the heights that they were made of: the furthest, the sum of squares, and the
 * furthest height from 0, three doubles at `out`. 0 where a height is unknown or beyond `least` … `most`.
 */
export function measureCodes(
  codes: usize,
  heights: usize,
  count: i32,
  signed: bool,
  noData: f64,
  datum: f64,
  least: f64,
  most: f64,
  scale: f64,
  zero: f64,
  offset: f64,
  out: usize,
): i32 {
  let farthest: f64 = 0;
  let squares: f64 = 0;
  let far: f64 = 0;
  const data = f64x2.splat(datum);
  const unknown = f64x2.splat(noData);
  const lowest = f64x2.splat(least);
  const highest = f64x2.splat(most);
  const offsets = f64x2.splat(offset);
  const scales = f64x2.splat(scale);
  const zeros = f64x2.splat(zero);
  let fars = f64x2.splat(0);
  let farthests = f64x2.splat(0);
  const pairs = count & ~1;
  for (let i = 0; i < pairs; i += 2) {
    const at = <usize>i << 2;
    const whole = v128.load64_zero(codes + at);
    const code = signed ? f64x2.convert_low_i32x4_s(whole) : f64x2.convert_low_i32x4_u(whole);
    const truth = f64x2.add(f64x2.promote_low_f32x4(v128.load64_zero(heights + at)), data);
    const good = v128.andnot(v128.and(f64x2.ge(truth, lowest), f64x2.le(truth, highest)), f64x2.eq(code, unknown));
    if (i64x2.bitmask(good) != 3) return 0;
    fars = f64x2.pmax(fars, f64x2.abs(truth));
    const apart = f64x2.abs(f64x2.sub(f64x2.add(offsets, f64x2.mul(scales, f64x2.sub(code, zeros))), truth));
    farthests = f64x2.pmax(farthests, apart);
    const squared = f64x2.mul(apart, apart);
    // One after the other, as of one at a time.
    squares = squares + f64x2.extract_lane(squared, 0) + f64x2.extract_lane(squared, 1);
  }
  far = max(f64x2.extract_lane(fars, 0), f64x2.extract_lane(fars, 1));
  farthest = max(f64x2.extract_lane(farthests, 0), f64x2.extract_lane(farthests, 1));
  for (let i = pairs; i < count; i++) {
    const at = <usize>i << 2;
    const code = signed ? <f64>load<i32>(codes + at) : <f64>load<u32>(codes + at);
    const truth = <f64>load<f32>(heights + at) + datum;
    if (code == noData || !(truth >= least && truth <= most)) return 0;
    far = max(far, abs(truth));
    const apart = abs(offset + scale * (code - zero) - truth);
    farthest = max(farthest, apart);
    squares += apart * apart;
  }
  store<f64>(out, farthest);
  store<f64>(out, squares, 8);
  store<f64>(out, far, 16);
  return 1;
}
