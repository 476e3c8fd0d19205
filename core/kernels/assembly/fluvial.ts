// Stream power on a routed ground, implicit in the order from the mouths upstream (Braun &
// Willett 2013), and the creep of slopes. Grids as in `flow.ts`.

import { power } from './math';

/**
 * What one step of time takes from each sample on its way down: pull = e · k · A^m / distance to
 * the receiver, where A counts only beyond the catchment at which streams begin:
 * A²/(A + head). `area` in samples, `cell` and `head` in square metres; `ease` is how easily
 * the rock gives way, 0 to 1. To 2e-6 of itself.
 */
export function pullRows(
  receiver: usize,
  area: usize,
  ease: usize,
  pull: usize,
  stride: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  cell: f32,
  head: f32,
  k: f64,
  m: f64,
): void {
  const diagonal: f32 = sqrt<f32>(dx * dx + dy * dy);
  for (let row = from; row < to; row++) {
    const end = (row + 2) * stride - 1;
    let p = (row + 1) * stride + 1;
    for (; p + 4 <= end; p += 4) pullFour(receiver, area, ease, pull, p, stride, dx, dy, diagonal, cell, head, <f32>k, <f32>m);
    // The last ones again with those before them; a row that is shorter reaches into its border, which counts for nothing.
    if (p < end) pullFour(receiver, area, ease, pull, max(end - 4, (row + 1) * stride), stride, dx, dy, diagonal, cell, head, <f32>k, <f32>m);
  }
}

// @ts-ignore: decorator
@inline
function pullFour(receiver: usize, area: usize, ease: usize, pull: usize, p: i32, stride: i32, dx: f32, dy: f32, diagonal: f32, cell: f32, head: f32, k: f32, m: f32): void {
  const off = <usize>p << 2;
  const e = v128.load(ease + off);
  const aside = i32x4.abs(i32x4.sub(v128.load(receiver + off), i32x4.add(i32x4.splat(p), i32x4(0, 1, 2, 3))));
  const goes = v128.andnot(f32x4.ne(e, f32x4.splat(0)), i32x4.eq(aside, i32x4.splat(0)));
  if (!v128.any_true(goes)) {
    v128.store(pull + off, f32x4.splat(0));
    return;
  }
  const a = f32x4.mul(v128.load(area + off), f32x4.splat(cell));
  const straight = v128.bitselect(f32x4.splat(dx), f32x4.splat(diagonal), i32x4.eq(aside, i32x4.splat(1)));
  const far = v128.bitselect(f32x4.splat(dy), straight, i32x4.eq(aside, i32x4.splat(stride)));
  const drive = f32x4.div(f32x4.mul(a, a), f32x4.add(a, f32x4.splat(head)));
  const taken = f32x4.div(f32x4.mul(f32x4.mul(e, f32x4.splat(k)), power(drive, f32x4.splat(m))), far);
  v128.store(pull + off, v128.and(taken, goes));
}

/**
 * One step of time for the samples `first` down to `last` of the order: each is drawn towards
 * its receiver's new height, h = (h + rise + laid + pull · receiver) / (1 + pull). `laid` is what
 * settles in it (0 in place of an address: nothing).
 */
export function wearDown(order: usize, receiver: usize, before: usize, height: usize, pull: usize, laid: usize, first: i32, last: i32, rise: f32): void {
  for (let i = first; i >= last; i--) {
    const p = load<i32>(order + (<usize>i << 2));
    const off = <usize>p << 2;
    const r = load<i32>(receiver + off);
    if (r == p) continue;
    let h = load<f32>(before + off) + rise;
    if (laid != 0) h += load<f32>(laid + off);
    const below = load<f32>(height + (<usize>r << 2));
    if (h > below) h = below + (h - below) / (1 + load<f32>(pull + off));
    store<f32>(height + off, h);
  }
}

/**
 * Cuts the ways out of hollows down to what has to drain through them, samples in the order from
 * the sources down: no receiver lies higher than what it receives from, but for what would have to be
 * cut by more than `depth` (metres under `filled`, the surface that the flood left). As far as the rock gives way (`ease`).
 * Source: Lindsay 2016, "Efficient hybrid breaching-filling sink removal methods".
 */
export function breach(order: usize, receiver: usize, height: usize, filled: usize, ease: usize, first: i32, end: i32, depth: f32): void {
  for (let i = first; i < end; i++) {
    const off = <usize>load<i32>(order + (<usize>i << 2)) << 2;
    const down = <usize>load<i32>(receiver + off) << 2;
    const gives = load<f32>(ease + down);
    if (down == off || gives == 0) continue;
    const h = load<f32>(height + off);
    const below = load<f32>(height + down);
    if (below <= h) continue;
    // Where water leaves over the edge, nothing but this cuts the ground: its ease is next to nothing.
    const base = <usize>load<i32>(receiver + down) << 2 == down;
    const to = max<f32>(h, load<f32>(filled + down) - depth * (base ? 1 : gives));
    if (to < below) store<f32>(height + down, to);
  }
}

/**
 * Fills what lies below its way out with a fan that rises by `grade` (rise over run) away from it, and on
 * upstream until the fan meets the ground. Samples `first` down to `last` of the order; `fan` was
 * zeroed and is 1 where something was laid down. As far as the ground gives way.
 */
export function fanUp(order: usize, receiver: usize, height: usize, area: usize, ease: usize, fan: usize, stride: i32, first: i32, last: i32, dx: f32, dy: f32, cell: f32, grade: f32): void {
  const diagonal: f32 = sqrt<f32>(dx * dx + dy * dy);
  for (let i = first; i >= last; i--) {
    const p = load<i32>(order + (<usize>i << 2));
    const off = <usize>p << 2;
    const r = load<i32>(receiver + off);
    if (r == p || load<f32>(ease + off) == 0) continue;
    const below = load<f32>(height + (<usize>r << 2));
    const h = load<f32>(height + off);
    if (h >= below && load<f32>(fan + (<usize>r << 2)) == 0) continue;
    const aside = abs(r - p);
    const square: f32 = 10_000 / (load<f32>(area + off) * cell);
    const level = below + grade * sqrt<f32>(min<f32>(1, square)) * (aside == 1 ? dx : aside == stride ? dy : diagonal);
    if (h >= level) continue;
    store<f32>(height + off, level);
    store<f32>(fan + off, 1);
  }
}

/**
 * What settles on each sample of what was worn away above it (Davy & Lague 2009, as in Yuan et
 * al. 2019): `amount` · the sediment that passes / the catchment. `load_` was zeroed; samples in
 * the order from the sources down.
 */
export function settleBelow(
  order: usize,
  receiver: usize,
  before: usize,
  height: usize,
  carried: usize,
  area: usize,
  weight: usize,
  laid: usize,
  ease: usize,
  first: i32,
  last: i32,
  rise: f32,
  amount: f32,
): void {
  for (let i = first; i < last; i++) {
    const p = load<i32>(order + (<usize>i << 2));
    const off = <usize>p << 2;
    const r = load<i32>(receiver + off);
    if (r == p) continue;
    const worn = (load<f32>(before + off) + rise - load<f32>(height + off)) * load<f32>(weight + off);
    const above = load<f32>(carried + off);
    const all = max<f32>(0, above + worn);
    const at = carried + (<usize>r << 2);
    store<f32>(at, load<f32>(at) + all);
    store<f32>(laid + off, ((amount * max<f32>(0, above)) / load<f32>(area + off)) * load<f32>(ease + off));
  }
}

/** What stands steeper than the critical slope slides so much faster still, by the square of its excess; more would swing. */
const SLIDE: f32 = 1.5;

/**
 * How near to the critical slope the law's 1 / (1 − (S/S_c)²) is taken in one step of time, as the least of 1 − (S/S_c)². The passage is held while the
 * step lasts; where it grows faster with the slope than the step can damp, the shortest waves (four times the rate) swing and leave ripples:
 * 8 r (1 − u) ≤ 2 u² + 4 r u. As steps grow shorter it goes to the law itself.
 */
// @ts-ignore: decorator
@inline
function nearest(rate: f32): f32 {
  return <f32>0.25 * (sqrt<f32>(144 * rate * rate + 64 * rate) - 12 * rate);
}

/**
 * How readily soil passes between neighbours in one step of time: κ·t / spacing² / (1 − (S/S_c)²)
 * (Roering, Kirchner & Dietrich 1999), S the length of the whole gradient between the two, never the drop to
 * one neighbour. `east` is given the faces between a sample and the one east of it, `south` those to the
 * south; times the smaller `ease` of the two. `bank`: S_c of every sample, rise over run.
 * `rateX`, `rateY`: κ·t / spacing². Rows `from` to `to`.
 */
export function hillslopeFaces(
  height: usize,
  ease: usize,
  bank: usize,
  state: usize,
  east: usize,
  south: usize,
  stride: i32,
  rows: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  rateX: f32,
  rateY: f32,
): void {
  const across = stride - 2;
  const perX: f32 = 1 / dx;
  const perY: f32 = 1 / dy;
  const row4 = <usize>stride << 2;
  const leastX = nearest(rateX);
  const leastY = nearest(rateY);
  for (let row = from; row < to; row++) {
    const up = row > 0 ? row4 : 0;
    const down = row < rows - 1 ? row4 : 0;
    const perRows: f32 = up + down == 0 ? 0 : (<f32>row4 / (<f32>2 * <f32>(up + down))) * perY;
    for (let x = 0; x < across; x++) {
      const off = <usize>((row + 1) * stride + 1 + x) << 2;
      const at = height + off;
      // Four at a time where each has both neighbours.
      if (x > 0 && x + 5 <= across) {
        const h = v128.load(at);
        const right = v128.load(at + 4);
        const critical = v128.load(bank + off);
        const half = f32x4.splat(0.5);
        const gx = f32x4.mul(f32x4.sub(right, h), f32x4.splat(perX));
        const across2 = f32x4.sub(f32x4.sub(f32x4.add(v128.load(at + down), v128.load(at + down + 4)), v128.load(at - up)), v128.load(at - up + 4));
        const gy = f32x4.mul(across2, f32x4.splat(perRows));
        const most = f32x4.mul(half, f32x4.add(critical, v128.load(bank + off + 4)));
        v128.store(east + off, f32x4.mul(betweenFour(ease, state, off, 4), passesFour(gx, gy, most, rateX, leastX)));
        if (down == 0) v128.store(south + off, f32x4.splat(0));
        else {
          const below = v128.load(at + row4);
          const aside = f32x4.sub(f32x4.sub(f32x4.add(right, v128.load(at + row4 + 4)), v128.load(at - 4)), v128.load(at + row4 - 4));
          const goes = f32x4.mul(f32x4.sub(below, h), f32x4.splat(perY));
          const beside = f32x4.mul(aside, f32x4.splat(<f32>0.25 * perX));
          const steepest = f32x4.mul(half, f32x4.add(critical, v128.load(bank + off + row4)));
          v128.store(south + off, f32x4.mul(betweenFour(ease, state, off, row4), passesFour(beside, goes, steepest, rateY, leastY)));
        }
        x += 3;
        continue;
      }
      const h = load<f32>(at);
      const last = x == across - 1;
      const e: usize = last ? 0 : 4;
      const w: usize = x == 0 ? 0 : 4;
      const critical = load<f32>(bank + off);
      if (last) store<f32>(east + off, 0);
      else {
        const gx = (load<f32>(at + 4) - h) * perX;
        const gy = (load<f32>(at + down) + load<f32>(at + down + 4) - load<f32>(at - up) - load<f32>(at - up + 4)) * perRows;
        const most: f32 = <f32>0.5 * (critical + load<f32>(bank + off + 4));
        store<f32>(east + off, between(ease, state, off, 4) * passes((gx * gx + gy * gy) / (most * most), rateX, leastX));
      }
      if (down == 0) store<f32>(south + off, 0);
      else {
        const perColumns: f32 = e + w == 0 ? 0 : (<f32>4 / (<f32>2 * <f32>(e + w))) * perX;
        const gy = (load<f32>(at + row4) - h) * perY;
        const gx = (load<f32>(at + e) + load<f32>(at + row4 + e) - load<f32>(at - w) - load<f32>(at + row4 - w)) * perColumns;
        const most: f32 = <f32>0.5 * (critical + load<f32>(bank + off + row4));
        store<f32>(south + off, between(ease, state, off, row4) * passes((gx * gx + gy * gy) / (most * most), rateY, leastY));
      }
    }
  }
}

// @ts-ignore: decorator
@inline
function basesOf(state: usize): v128 {
  return i32x4.eq(v128.extend_low<u16>(v128.extend_low<u8>(v128.load_zero<u32>(state))), i32x4.splat(<i32>BASE));
}

/** between() of four samples. */
// @ts-ignore: decorator
@inline
function betweenFour(ease: usize, state: usize, off: usize, by: usize): v128 {
  const one = v128.load(ease + off);
  const other = v128.load(ease + off + by);
  const both = v128.bitselect(one, f32x4.min(one, other), basesOf(state + ((off + by) >> 2)));
  return v128.bitselect(other, both, basesOf(state + (off >> 2)));
}

/** passes() of four gradients over their critical slopes. */
// @ts-ignore: decorator
@inline
function passesFour(gx: v128, gy: v128, most: v128, rate: f32, least: f32): v128 {
  const one = f32x4.splat(1);
  const squared = f32x4.div(f32x4.add(f32x4.mul(gx, gx), f32x4.mul(gy, gy)), f32x4.mul(most, most));
  const slow = rate == 0 ? f32x4.splat(0) : f32x4.div(f32x4.splat(rate), f32x4.max(f32x4.splat(least), f32x4.sub(one, squared)));
  const steep = f32x4.gt(squared, one);
  if (!v128.any_true(steep)) return slow;
  const excess = f32x4.sub(one, f32x4.div(one, f32x4.sqrt(squared)));
  return v128.bitselect(f32x4.add(slow, f32x4.mul(f32x4.mul(f32x4.splat(SLIDE), excess), excess)), slow, steep);
}

/** The smaller ease of two samples; a base takes whatever comes to it. */
// @ts-ignore: decorator
@inline
function between(ease: usize, state: usize, off: usize, by: usize): f32 {
  const one = load<f32>(ease + off);
  const other = load<f32>(ease + off + by);
  if (load<u8>(state + (off >> 2)) == BASE) return other;
  if (load<u8>(state + ((off + by) >> 2)) == BASE) return one;
  return min<f32>(one, other);
}

const BASE: u8 = 2;
/** A base weighs so much more than what comes to it: it stays where it is. */
const BASE_WEIGHT: f32 = 1e8;

/** By the square of the slope over the critical one. */
// @ts-ignore: decorator
@inline
function passes(squared: f32, rate: f32, least: f32): f32 {
  const slow: f32 = rate == 0 ? <f32>0 : rate / max<f32>(least, 1 - squared);
  if (squared <= 1) return slow;
  const excess: f32 = 1 - 1 / sqrt<f32>(squared);
  return slow + SLIDE * excess * excess;
}

/**
 * Soil passes along x by one implicit step (backward Euler), rows `from` to `to`. `faces`: how
 * readily, between each sample and the next. Nothing passes the edge; volume is kept but for what comes to bases, samples
 * at the rim weighing half where `half` is 1. `held`: this share of a face's passage goes against the drop as it is, so that what passes is the rest of it. `c` and `d` are scratch of a row for each band.
 */
export function hillslopeRows(height: usize, faces: usize, state: usize, c: usize, d: usize, stride: i32, from: i32, to: i32, half: i32, held: f32): void {
  const count = stride - 2;
  let row = from;
  for (; row + 4 <= to; row += 4) {
    const start = <usize>((row + 1) * stride + 1) << 2;
    sweepFour(height + start, faces + start, state + (start >> 2), c, d, stride, count, half, held);
  }
  for (; row < to; row++) {
    const start = <usize>((row + 1) * stride + 1) << 2;
    sweep(height + start, faces + start, state + (start >> 2), c, d, 4, count, half, held);
  }
}

/** The values of four rows in one column. */
// @ts-ignore: decorator
@inline
function columnOf(at: usize, row4: usize): v128 {
  const two = v128.load_lane<f32>(at + row4, v128.load_zero<f32>(at), 1);
  return v128.load_lane<f32>(at + 3 * row4, v128.load_lane<f32>(at + 2 * row4, two, 2), 3);
}

/** The values of four rows in four columns from `from` on, to `to` column by column. */
// @ts-ignore: decorator
@inline
function turnToColumns(from: usize, row4: usize, to: usize): void {
  const a = v128.load(from);
  const b = v128.load(from + row4);
  const c = v128.load(from + 2 * row4);
  const d = v128.load(from + 3 * row4);
  const ab = v128.shuffle<i32>(a, b, 0, 4, 1, 5);
  const cd = v128.shuffle<i32>(c, d, 0, 4, 1, 5);
  const abAfter = v128.shuffle<i32>(a, b, 2, 6, 3, 7);
  const cdAfter = v128.shuffle<i32>(c, d, 2, 6, 3, 7);
  v128.store(to, v128.shuffle<i64>(ab, cd, 0, 2));
  v128.store(to + 16, v128.shuffle<i64>(ab, cd, 1, 3));
  v128.store(to + 32, v128.shuffle<i64>(abAfter, cdAfter, 0, 2));
  v128.store(to + 48, v128.shuffle<i64>(abAfter, cdAfter, 1, 3));
}

/** Which of four rows stand still in one column. */
// @ts-ignore: decorator
@inline
function basesDown(state: usize, stride: usize): v128 {
  const kinds = i32x4.splat(<i32>load<u8>(state));
  const two = i32x4.replace_lane(kinds, 1, <i32>load<u8>(state + stride));
  const three = i32x4.replace_lane(two, 2, <i32>load<u8>(state + 2 * stride));
  return i32x4.eq(i32x4.replace_lane(three, 3, <i32>load<u8>(state + 3 * stride)), i32x4.splat(<i32>BASE));
}

/** sweep() along four rows at once: each waits for its divisions only. The rows lie in the scratch column by column meanwhile. */
function sweepFour(h: usize, faces: usize, state: usize, c: usize, d: usize, stride: i32, count: i32, half: i32, held: f32): void {
  const row4 = <usize>stride << 2;
  const one = f32x4.splat(1);
  const zero = f32x4.splat(0);
  const base = columnOf(h, row4);
  const whole = (count - 1) & ~3;
  let anyBase: u32 = 0;
  for (let i = 0; i < whole; i += 4) {
    const at = <usize>i << 2;
    turnToColumns(faces + at, row4, c + (<usize>i << 4));
    turnToColumns(h + at + 4, row4, d + (<usize>i << 4));
    const s = state + <usize>i;
    anyBase |= load<u32>(s) | load<u32>(s + <usize>stride) | load<u32>(s + <usize>(2 * stride)) | load<u32>(s + <usize>(3 * stride));
  }
  for (let i = whole; i < count; i++) {
    const at = <usize>i << 2;
    v128.store(c + (<usize>i << 4), i < count - 1 ? columnOf(faces + at, row4) : zero);
    v128.store(d + (<usize>i << 4), i < count - 1 ? columnOf(h + at + 4, row4) : zero);
  }
  const bases = (anyBase & (<u32>BASE * 0x01010101)) != 0;
  let here = base;
  let link = zero;
  let before = zero;
  let value = zero;
  let came = zero;
  for (let i = 0; i < count; i++) {
    const into = <usize>i << 4;
    const next = v128.load(c + into);
    const beside = v128.load(d + into);
    const goes = held != 0 && i < count - 1 ? f32x4.mul(f32x4.mul(f32x4.splat(held), next), f32x4.sub(beside, here)) : zero;
    const share = half && (i == 0 || i == count - 1) ? f32x4.splat(0.5) : one;
    const own = bases || i >= whole ? v128.bitselect(f32x4.splat(BASE_WEIGHT), share, basesDown(state + <usize>i, <usize>stride)) : share;
    const scale = f32x4.div(one, f32x4.sub(f32x4.add(f32x4.add(own, link), next), f32x4.mul(link, before)));
    value = f32x4.mul(f32x4.add(f32x4.add(f32x4.mul(own, f32x4.sub(here, base)), f32x4.sub(came, goes)), f32x4.mul(link, value)), scale);
    came = goes;
    before = f32x4.mul(next, scale);
    v128.store(c + into, before);
    v128.store(d + into, value);
    link = next;
    here = beside;
  }
  for (let i = count - 1; i >= 0; i--) {
    const into = <usize>i << 4;
    if (i < count - 1) value = f32x4.add(v128.load(d + into), f32x4.mul(v128.load(c + into), value));
    v128.store(d + into, f32x4.add(value, base));
  }
  const turned = count & ~3;
  for (let i = 0; i < turned; i += 4) {
    const at = h + (<usize>i << 2);
    turnToColumns(d + (<usize>i << 4), 16, c);
    v128.store(at, v128.load(c));
    v128.store(at + row4, v128.load(c + 16));
    v128.store(at + 2 * row4, v128.load(c + 32));
    v128.store(at + 3 * row4, v128.load(c + 48));
  }
  for (let i = turned; i < count; i++) {
    const at = h + (<usize>i << 2);
    const out = v128.load(d + (<usize>i << 4));
    v128.store_lane<f32>(at, out, 0);
    v128.store_lane<f32>(at + row4, out, 1);
    v128.store_lane<f32>(at + 2 * row4, out, 2);
    v128.store_lane<f32>(at + 3 * row4, out, 3);
  }
}

function sweep(h: usize, faces: usize, state: usize, c: usize, d: usize, step: usize, count: i32, half: i32, held: f32): void {
  // Counted from the line's first height, so that level ground stays so to the bit.
  const base = load<f32>(h);
  let link: f32 = 0;
  let before: f32 = 0;
  let value: f32 = 0;
  let came: f32 = 0;
  for (let i = 0; i < count; i++) {
    const at = <usize>i * step;
    const next: f32 = i < count - 1 ? load<f32>(faces + at) : 0;
    const goes: f32 = held != 0 && i < count - 1 ? held * next * (load<f32>(h + at + step) - load<f32>(h + at)) : 0;
    const own: f32 = load<u8>(state + (at >> 2)) == BASE ? BASE_WEIGHT : half && (i == 0 || i == count - 1) ? 0.5 : 1;
    const scale: f32 = 1 / (own + link + next - link * before);
    value = (own * (load<f32>(h + at) - base) + (came - goes) + link * value) * scale;
    came = goes;
    before = next * scale;
    store<f32>(c + (<usize>i << 2), before);
    store<f32>(d + (<usize>i << 2), value);
    link = next;
  }
  for (let i = count - 1; i >= 0; i--) {
    const at = <usize>i * step;
    if (i < count - 1) value = load<f32>(d + (<usize>i << 2)) + load<f32>(c + (<usize>i << 2)) * value;
    store<f32>(h + at, value + base);
  }
}

/** The same along y for the columns `from` to `to` (multiples of four, counted from the first of a row), eight or four at a time. `c` and `d` have eight floats a row. */
export function hillslopeColumns(height: usize, faces: usize, state: usize, c: usize, d: usize, stride: i32, rows: i32, from: i32, to: i32, half: i32, held: f32): void {
  const row4 = <usize>stride << 2;
  const across = stride - 2;
  for (let column = from; column < to; column += 4) {
    if (column + 4 > across) {
      // What is left of a row goes column by column.
      for (let x = column; x < min(to, across); x++) {
        const start = <usize>(stride + 1 + x) << 2;
        sweep(height + start, faces + start, state + (start >> 2), c, d, row4, rows, half, held);
      }
      break;
    }
    const start = <usize>(stride + 1 + column) << 2;
    if (column + 8 <= min(to, across)) {
      sweepColumns(height + start, faces + start, state + (start >> 2), c, d, row4, rows, half, held, 2);
      column += 4;
    } else sweepColumns(height + start, faces + start, state + (start >> 2), c, d, row4, rows, half, held, 1);
  }
}

/** sweep() down eight columns (`lanes` 2) or four, two fours at once so that neither waits for the other's divisions. */
// @ts-ignore: decorator
@inline
function sweepColumns(h: usize, faces: usize, state: usize, c: usize, d: usize, row4: usize, rows: i32, half: i32, held: f32, lanes: i32): void {
  const two = lanes == 2;
  const one = f32x4.splat(1);
  const zero = f32x4.splat(0);
  const heavy = f32x4.splat(BASE_WEIGHT);
  const base0 = v128.load(h);
  const base1 = two ? v128.load(h + 16) : zero;
  let link0 = zero;
  let link1 = zero;
  let before0 = zero;
  let before1 = zero;
  let value0 = zero;
  let value1 = zero;
  let came0 = zero;
  let came1 = zero;
  for (let i = 0; i < rows; i++) {
    const at = <usize>i * row4;
    const inner = i < rows - 1;
    const share = half && (i == 0 || !inner) ? f32x4.splat(0.5) : one;
    const into = <usize>i << 5;
    const here0 = v128.load(h + at);
    const next0 = inner ? v128.load(faces + at) : zero;
    const goes0 = held != 0 && inner ? f32x4.mul(f32x4.mul(f32x4.splat(held), next0), f32x4.sub(v128.load(h + at + row4), here0)) : zero;
    const own0 = v128.bitselect(heavy, share, basesOf(state + (at >> 2)));
    const scale0 = f32x4.div(one, f32x4.sub(f32x4.add(own0, f32x4.add(link0, next0)), f32x4.mul(link0, before0)));
    value0 = f32x4.mul(f32x4.add(f32x4.add(f32x4.mul(own0, f32x4.sub(here0, base0)), f32x4.sub(came0, goes0)), f32x4.mul(link0, value0)), scale0);
    came0 = goes0;
    before0 = f32x4.mul(next0, scale0);
    v128.store(c + into, before0);
    v128.store(d + into, value0);
    link0 = next0;
    if (!two) continue;
    const here1 = v128.load(h + at + 16);
    const next1 = inner ? v128.load(faces + at + 16) : zero;
    const goes1 = held != 0 && inner ? f32x4.mul(f32x4.mul(f32x4.splat(held), next1), f32x4.sub(v128.load(h + at + row4 + 16), here1)) : zero;
    const own1 = v128.bitselect(heavy, share, basesOf(state + (at >> 2) + 4));
    const scale1 = f32x4.div(one, f32x4.sub(f32x4.add(own1, f32x4.add(link1, next1)), f32x4.mul(link1, before1)));
    value1 = f32x4.mul(f32x4.add(f32x4.add(f32x4.mul(own1, f32x4.sub(here1, base1)), f32x4.sub(came1, goes1)), f32x4.mul(link1, value1)), scale1);
    came1 = goes1;
    before1 = f32x4.mul(next1, scale1);
    v128.store(c + into + 16, before1);
    v128.store(d + into + 16, value1);
    link1 = next1;
  }
  for (let i = rows - 1; i >= 0; i--) {
    const at = h + <usize>i * row4;
    const from = <usize>i << 5;
    if (i < rows - 1) value0 = f32x4.add(v128.load(d + from), f32x4.mul(v128.load(c + from), value0));
    v128.store(at, f32x4.add(value0, base0));
    if (!two) continue;
    if (i < rows - 1) value1 = f32x4.add(v128.load(d + from + 16), f32x4.mul(v128.load(c + from + 16), value1));
    v128.store(at + 16, f32x4.add(value1, base1));
  }
}

/**
 * The ground that a finer grid begins with, samples `from` to `to`: the coarser one's as it was (`was`) and its change, and of the finer bed's own detail as much as was not worn
 * off: half of it where the ground was lowered by 1 / `perDepth`. Nothing is worn below `sea`, and nothing changes where the rock gives no way.
 */
export function beginFiner(height: usize, bed: usize, ease: usize, was: usize, change: usize, from: i32, to: i32, perDepth: f32, sea: f32): void {
  const one = f32x4.splat(1);
  const level = f32x4.splat(sea);
  const end = <usize>to << 2;
  for (let off = <usize>from << 2; off < end; off += 16) {
    // The last four may reach beyond: they are the same every time.
    if (off + 16 > end) off = max(<usize>from << 2, end - 16);
    const ground = v128.load(bed + off);
    const coarse = v128.load(was + off);
    const by = v128.load(change + off);
    const worn = f32x4.div(one, f32x4.sub(one, f32x4.mul(f32x4.min(f32x4.splat(0), by), f32x4.splat(perDepth))));
    const detail = f32x4.mul(worn, f32x4.sub(ground, coarse));
    const h = f32x4.add(f32x4.add(coarse, by), detail);
    const drowned = v128.and(f32x4.lt(h, level), f32x4.ge(ground, level));
    const now = v128.bitselect(level, h, drowned);
    v128.store(height + off, v128.bitselect(ground, now, f32x4.eq(v128.load(ease + off), f32x4.splat(0))));
  }
}

/** In the sea, rows `from` to `to`: rivers run to its level, and nothing gives way there. */
export function standInSea(height: usize, bed: usize, ease: usize, sea: f64, stride: i32, from: i32, to: i32): void {
  for (let row = from + 1; row <= to; row++) {
    for (let p = row * stride + 1; p < (row + 1) * stride - 1; p++) {
      const off = <usize>p << 2;
      if (!(<f64>load<f32>(bed + off) < sea)) continue;
      store<f32>(height + off, <f32>sea);
      store<f32>(ease + off, 0);
    }
  }
}

/** What is handed down of a channel along a diagonal is only 1/√2 of a cell wide: there `worn` is brought nearer to what it was before it was smoothed (`low`). */
export function narrowDiagonals(worn: usize, low: usize, receiver: usize, stride: i32, from: i32, to: i32): void {
  const by = Math.SQRT2 - 1;
  for (let row = from + 1; row <= to; row++) {
    for (let p = row * stride + 1; p < (row + 1) * stride - 1; p++) {
      const off = <usize>p << 2;
      const aside = abs<i32>(load<i32>(receiver + off) - p);
      if (aside <= 1 || aside == stride) continue;
      const here = <f64>load<f32>(worn + off);
      const was = <f64>load<f32>(low + off);
      if (here < was) store<f32>(worn + off, <f32>(here + by * (here - was)));
    }
  }
}

/** Faces between samples of which both are laid down, samples `from` to `to` of a grid. */
export function fanFaces(laid: usize, east: usize, south: usize, stride: i32, from: i32, to: i32): void {
  for (let p = from; p < to; p++) {
    const off = <usize>p << 2;
    const here = load<f32>(laid + off);
    store<f32>(east + off, here * load<f32>(laid + off + 4));
    store<f32>(south + off, here * load<f32>(laid + off + (<usize>stride << 2)));
  }
}

/** What the flood marked of samples `from` to `to` is unmarked again; bases and borders stay. */
export function clearReached(state: usize, from: i32, to: i32): void {
  let p = from;
  for (; p + 16 <= to; p += 16) {
    const marks = v128.load(state + p);
    v128.store(state + p, v128.andnot(marks, i8x16.eq(marks, i8x16.splat(1))));
  }
  for (; p < to; p++) if (load<u8>(state + p) == 1) store<u8>(state + p, 0);
}
