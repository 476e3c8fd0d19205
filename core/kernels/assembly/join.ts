// What came before joined with what a step gave, sample by sample, in doubles like a script's numbers, two at a time.

// @ts-ignore: decorator
@inline
function two(at: usize): v128 {
  return f64x2.promote_low_f32x4(v128.load64_zero(at));
}

// @ts-ignore: decorator
@inline
function pick(yes: v128, no: v128, where: v128): v128 {
  return v128.bitselect(yes, no, where);
}

/** What the rounding of the corner adds: a quarter of the width at most. */
// @ts-ignore: decorator
@inline
function corner(apart: v128, width: f64): v128 {
  const near = f64x2.sub(f64x2.splat(width), f64x2.abs(apart));
  const added = f64x2.div(f64x2.mul(near, near), f64x2.splat(4 * width));
  return v128.and(added, f64x2.gt(near, f64x2.splat(0)));
}

/** As `core/course/join.ts` numbers the ways. */
const REPLACE = 0;
const ADD = 1;
const SUBTRACT = 2;
const MULTIPLY = 3;
const HIGHER = 4;
const LOWER = 5;
const SMOOTH_HIGHER = 6;
const SMOOTH_LOWER = 7;
const MEAN = 8;

// @ts-ignore: decorator
@inline
function joined(mode: i32, a: v128, b: v128, width: f64, zero: f64, scale: f64, datum: f64): v128 {
  if (mode == REPLACE) return b;
  if (mode == ADD) return f64x2.add(a, b);
  if (mode == SUBTRACT) return f64x2.sub(a, b);
  if (mode == MULTIPLY) {
    const share = f64x2.mul(f64x2.sub(b, f64x2.splat(zero)), f64x2.splat(scale));
    const most = pick(f64x2.splat(1), share, f64x2.gt(share, f64x2.splat(1)));
    const within = pick(f64x2.splat(0), most, f64x2.lt(share, f64x2.splat(0)));
    return f64x2.sub(f64x2.mul(f64x2.add(a, f64x2.splat(datum)), within), f64x2.splat(datum));
  }
  if (mode == HIGHER) return pick(a, b, f64x2.gt(a, b));
  if (mode == LOWER) return pick(a, b, f64x2.lt(a, b));
  if (mode == SMOOTH_HIGHER) return f64x2.add(pick(a, b, f64x2.gt(a, b)), corner(f64x2.sub(a, b), width));
  if (mode == SMOOTH_LOWER) return f64x2.sub(pick(a, b, f64x2.lt(a, b)), corner(f64x2.sub(a, b), width));
  if (mode == MEAN) return f64x2.mul(f64x2.add(a, b), f64x2.splat(0.5));
  // The difference.
  return f64x2.sub(f64x2.abs(f64x2.sub(a, b)), f64x2.splat(datum));
}

// @ts-ignore: decorator
@inline
function joinRun(mode: i32, weighed: i32, a: usize, b: usize, mask: usize, out: usize, count: i32, move: f64, width: f64, zero: f64, scale: f64, datum: f64, strength: f64): void {
  const one = f64x2.splat(1);
  const nothing = f64x2.splat(0);
  const moves = f64x2.splat(move);
  for (let i = 0; i < count; i += 2) {
    const at = <usize>i << 2;
    const before = two(a + at);
    let made = f32x4.demote_f64x2_zero(joined(mode, before, f64x2.add(two(b + at), moves), width, zero, scale, datum));
    if (weighed) {
      const whole = f64x2.promote_low_f32x4(made);
      const weight = weighed == 2 ? f64x2.mul(two(mask + at), f64x2.splat(strength)) : f64x2.splat(strength);
      let mixed = f64x2.add(before, f64x2.mul(f64x2.sub(whole, before), weight));
      if (weighed == 2) mixed = pick(pick(mixed, before, f64x2.gt(weight, nothing)), whole, f64x2.lt(weight, one));
      made = f32x4.demote_f64x2_zero(mixed);
    }
    v128.store64_lane(out + at, made, 0);
  }
}

// @ts-ignore: decorator
@inline
function joinBy(mode: i32, weighed: i32, a: usize, b: usize, mask: usize, out: usize, count: i32, move: f64, width: f64, zero: f64, scale: f64, datum: f64, strength: f64): void {
  if (weighed == 0) joinRun(mode, 0, a, b, mask, out, count, move, width, zero, scale, datum, strength);
  else if (weighed == 1) joinRun(mode, 1, a, b, mask, out, count, move, width, zero, scale, datum, strength);
  else joinRun(mode, 2, a, b, mask, out, count, move, width, zero, scale, datum, strength);
}

/**
 * Joins `count` floats (rounded up to an even number) at `a` with those at `b`, which are moved first; `weighed`: 0 whole, 1 at a strength, 2 at a strength within
 * the mask, as mix(in, join(in, out), strength × mask), exact at weights of 0 and of 1 and more.
 */
export function joinFloats(mode: i32, weighed: i32, a: usize, b: usize, mask: usize, out: usize, count: i32, move: f64, width: f64, zero: f64, scale: f64, datum: f64, strength: f64): void {
  switch (mode) {
    case REPLACE: return joinBy(REPLACE, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case ADD: return joinBy(ADD, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case SUBTRACT: return joinBy(SUBTRACT, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case MULTIPLY: return joinBy(MULTIPLY, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case HIGHER: return joinBy(HIGHER, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case LOWER: return joinBy(LOWER, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case SMOOTH_HIGHER: return joinBy(SMOOTH_HIGHER, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case SMOOTH_LOWER: return joinBy(SMOOTH_LOWER, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    case MEAN: return joinBy(MEAN, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
    default: return joinBy(9, weighed, a, b, mask, out, count, move, width, zero, scale, datum, strength);
  }
}
