// Heights into whole codes, and codes held against the heights that they were made of: the operations of doubles that
// core/delivery/heights/encode.ts and proof.ts describe.

/** The codes of `count` heights, as 32-bit numbers at `out`: min + ⌊(h − low) · perMetre + ½⌋, set to the nearer end beyond 0 … span. How many were. */
export function putCodes(heights: usize, count: i32, low: f64, perMetre: f64, span: f64, min: f64, out: usize): i32 {
  let clipped = 0;
  for (let i = 0; i < count; i++) {
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
  for (let i = 0; i < count; i++) {
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
