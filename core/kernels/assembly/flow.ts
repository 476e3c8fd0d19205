// How water finds its way over a ground: a receiver for every sample, an order from source to mouth, and what gathers on the way.
// Depressions are filled before: one by one (`hollows.ts`), or by a flood of the whole (`flood.ts`).
//
// Grids have one sample of border around the ground (`stride` = across + 2), so that the
// eight neighbours of every sample exist. The border is marked done and never entered.
//
//   state: 0 not reached · 1 reached · 2 a base: the water leaves here · 3 border

const BASE: u8 = 2;
const BORDER: u8 = 3;
/** Higher than any ground. */
const WALL: f32 = 1e30;

/**
 * Marks rows `from` to `to` of a ground of `rows`: a base where `bed` lies under the sea, nothing elsewhere; the border beside them, of the heights
 * and the filled heights too, is a wall.
 */
export function stateRows(bed: usize, sea: f64, state: usize, filled: usize, height: usize, stride: i32, rows: i32, from: i32, to: i32): void {
  if (from == 0) wallRow(state, filled, height, 0, stride);
  if (to == rows) wallRow(state, filled, height, (rows + 1) * stride, stride);
  for (let row = from + 1; row <= to; row++) {
    const end = (row + 1) * stride - 1;
    wallRow(state, filled, height, row * stride, 1);
    wallRow(state, filled, height, end, 1);
    for (let p = row * stride + 1; p < end; p++) store<u8>(state + p, <f64>load<f32>(bed + (<usize>p << 2)) < sea ? BASE : 0);
  }
}

function wallRow(state: usize, filled: usize, height: usize, from: i32, count: i32): void {
  for (let p = from; p < from + count; p++) {
    store<u8>(state + p, BORDER);
    store<f32>(filled + (<usize>p << 2), WALL);
    store<f32>(height + (<usize>p << 2), WALL);
  }
}

// @ts-ignore: decorator
@inline
export function neighbour(k: i32, stride: i32): i32 {
  switch (k) {
    case 0:
      return -1;
    case 1:
      return 1;
    case 2:
      return -stride;
    case 3:
      return stride;
    case 4:
      return -stride - 1;
    case 5:
      return -stride + 1;
    case 6:
      return stride - 1;
    default:
      return stride + 1;
  }
}

/** A float's bits in an order that integers share. */
// @ts-ignore: decorator
@inline
export function ordered(value: f32): u32 {
  const bits = reinterpret<u32>(value);
  return bits & 0x80000000 ? ~bits : bits | 0x80000000;
}

// @ts-ignore: decorator
@inline
export function mix(h: u32): u32 {
  h ^= h >>> 15;
  h *= 0x2c1b3c6d;
  h ^= h >>> 12;
  h *= 0x297a2d39;
  return h ^ (h >>> 15);
}

/** The steepest descent over four facets, squared and with its sign: down the facet, or along the side that bounds it. */
// @ts-ignore: decorator
@inline
function overFacet(here: v128, near: v128, far: v128, per1: v128, per2: v128, perDiagonal: v128): v128 {
  const s1 = f32x4.mul(f32x4.sub(here, near), per1);
  const s2 = f32x4.mul(f32x4.sub(near, far), per2);
  const askew = f32x4.mul(f32x4.sub(here, far), perDiagonal);
  const along = f32x4.mul(s1, f32x4.abs(s1));
  const diagonal = f32x4.mul(askew, f32x4.abs(askew));
  const between = f32x4.add(f32x4.mul(s1, s1), f32x4.mul(s2, s2));
  const inner = v128.bitselect(diagonal, between, f32x4.ge(f32x4.mul(s2, per2), f32x4.mul(s1, per1)));
  return v128.bitselect(along, inner, f32x4.le(s2, f32x4.splat(0)));
}

/** mix() of four. */
// @ts-ignore: decorator
@inline
function mixFour(h: v128): v128 {
  h = v128.xor(h, i32x4.shr_u(h, 15));
  h = i32x4.mul(h, i32x4.splat(0x2c1b3c6d));
  h = v128.xor(h, i32x4.shr_u(h, 12));
  h = i32x4.mul(h, i32x4.splat(0x297a2d39));
  return v128.xor(h, i32x4.shr_u(h, 15));
}

/**
 * The receivers of samples that slope: by the steepest of the eight facets (Tarboton 1997), of
 * whose two samples one is drawn by its share of the way, so that the water runs down the true
 * slope on the mean and not along the grid. The draw depends on the sample and the seed only:
 * samples are counted from `drawFrom` in rows of `drawStride`, so that a window of a larger grid draws as that one does.
 * The border of `filled` holds 1e30.
 */
export function receiveByFacet(
  filled: usize,
  receiver: usize,
  stride: i32,
  from: i32,
  to: i32,
  dx: f32,
  dy: f32,
  seed: u32,
  stray: f32,
  drawFrom: i32,
  drawStride: i32,
): void {
  const perDiagonal: f32 = 1 / sqrt<f32>(dx * dx + dy * dy);
  for (let row = from; row < to; row++) {
    const end = (row + 2) * stride - 1;
    const shift = drawFrom + (row + 1) * (drawStride - stride);
    for (let p = (row + 1) * stride + 1; p < end; p += 4)
      receiveFour(filled, receiver, stride, p, min(4, end - p), dx, dy, perDiagonal, seed, stray, shift);
  }
}

function receiveFour(
  filled: usize,
  receiver: usize,
  stride: i32,
  p: i32,
  count: i32,
  dx: f32,
  dy: f32,
  perDiagonal: f32,
  seed: u32,
  stray: f32,
  shift: i32,
): void {
  const into = receiver + (<usize>p << 2);
  const zero = f32x4.splat(0);
  const one = f32x4.splat(1);
  const wanted = i32x4.bitmask(i32x4.eq(v128.load(into), zero)) & ((1 << count) - 1);
  if (wanted == 0) return;
  const row4 = <usize>stride << 2;
  const at = filled + (<usize>p << 2);
  const here = v128.load(at);
  const w = v128.load(at - 4);
  const e = v128.load(at + 4);
  const n = v128.load(at - row4);
  const s = v128.load(at + row4);
  const nw = v128.load(at - row4 - 4);
  const ne = v128.load(at - row4 + 4);
  const sw = v128.load(at + row4 - 4);
  const se = v128.load(at + row4 + 4);
  const acrossX = f32x4.splat(dx);
  const acrossY = f32x4.splat(dy);
  const perX = f32x4.splat(1 / dx);
  const perY = f32x4.splat(1 / dy);
  const per = f32x4.splat(perDiagonal);
  const facet0 = overFacet(here, w, nw, perX, perY, per);
  const facet1 = overFacet(here, w, sw, perX, perY, per);
  const facet2 = overFacet(here, e, ne, perX, perY, per);
  const facet3 = overFacet(here, e, se, perX, perY, per);
  const facet4 = overFacet(here, n, nw, perY, perX, per);
  const facet5 = overFacet(here, n, ne, perY, perX, per);
  const facet6 = overFacet(here, s, sw, perY, perX, per);
  const facet7 = overFacet(here, s, se, perY, perX, per);
  const most = f32x4.max(
    f32x4.max(f32x4.max(facet0, facet1), f32x4.max(facet2, facet3)),
    f32x4.max(f32x4.max(facet4, facet5), f32x4.max(facet6, facet7)),
  );
  // The first of the steepest: the height and the direction of its near sample, the height of the far one and the side it lies on.
  let nearHeight = s;
  let farHeight = se;
  let nearWay = i32x4.splat(6);
  let farSide = i32x4.splat(1);
  let is = zero;
  is = f32x4.eq(facet6, most);
  nearHeight = v128.bitselect(s, nearHeight, is);
  farHeight = v128.bitselect(sw, farHeight, is);
  nearWay = v128.bitselect(i32x4.splat(6), nearWay, is);
  farSide = v128.bitselect(i32x4.splat(-1), farSide, is);
  is = f32x4.eq(facet5, most);
  nearHeight = v128.bitselect(n, nearHeight, is);
  farHeight = v128.bitselect(ne, farHeight, is);
  nearWay = v128.bitselect(i32x4.splat(2), nearWay, is);
  farSide = v128.bitselect(i32x4.splat(-1), farSide, is);
  is = f32x4.eq(facet4, most);
  nearHeight = v128.bitselect(n, nearHeight, is);
  farHeight = v128.bitselect(nw, farHeight, is);
  nearWay = v128.bitselect(i32x4.splat(2), nearWay, is);
  farSide = v128.bitselect(i32x4.splat(1), farSide, is);
  is = f32x4.eq(facet3, most);
  nearHeight = v128.bitselect(e, nearHeight, is);
  farHeight = v128.bitselect(se, farHeight, is);
  nearWay = v128.bitselect(i32x4.splat(0), nearWay, is);
  farSide = v128.bitselect(i32x4.splat(-1), farSide, is);
  is = f32x4.eq(facet2, most);
  nearHeight = v128.bitselect(e, nearHeight, is);
  farHeight = v128.bitselect(ne, farHeight, is);
  nearWay = v128.bitselect(i32x4.splat(0), nearWay, is);
  farSide = v128.bitselect(i32x4.splat(1), farSide, is);
  is = f32x4.eq(facet1, most);
  nearHeight = v128.bitselect(w, nearHeight, is);
  farHeight = v128.bitselect(sw, farHeight, is);
  nearWay = v128.bitselect(i32x4.splat(4), nearWay, is);
  farSide = v128.bitselect(i32x4.splat(1), farSide, is);
  is = f32x4.eq(facet0, most);
  nearHeight = v128.bitselect(w, nearHeight, is);
  farHeight = v128.bitselect(nw, farHeight, is);
  nearWay = v128.bitselect(i32x4.splat(4), nearWay, is);
  farSide = v128.bitselect(i32x4.splat(-1), farSide, is);
  // West and east lie dx away, the others dy.
  const sideways = i32x4.eq(v128.and(nearWay, i32x4.splat(3)), zero);
  const d1 = v128.bitselect(acrossX, acrossY, sideways);
  const d2 = v128.bitselect(acrossY, acrossX, sideways);
  const s1 = f32x4.mul(f32x4.sub(here, nearHeight), d2);
  const s2 = f32x4.mul(f32x4.sub(nearHeight, farHeight), d1);
  // (s2 / d2) / (s1 / d1) is the tangent of the descent's angle; with the sides' ratio it is the far sample's share.
  const whole = f32x4.ge(f32x4.div(f32x4.mul(s2, d1), d2), f32x4.div(f32x4.mul(s1, d2), d1));
  const part = f32x4.div(f32x4.mul(f32x4.mul(s2, d1), d1), f32x4.mul(f32x4.mul(s1, d2), d2));
  const share = v128.bitselect(zero, v128.bitselect(one, part, whole), f32x4.le(s2, zero));
  const place = i32x4.add(i32x4.splat(p), i32x4(0, 1, 2, 3));
  const counted = i32x4.add(place, i32x4.splat(shift));
  const random = mixFour(v128.xor(i32x4.splat(<i32>seed), i32x4.mul(counted, i32x4.splat(<i32>0x9e3779b1))));
  const first = f32x4.mul(f32x4.convert_i32x4_s(i32x4.shr_u(random, 16)), f32x4.splat(PER_16));
  const second = f32x4.mul(f32x4.convert_i32x4_s(v128.and(random, i32x4.splat(0xffff))), f32x4.splat(PER_16));
  const turned = f32x4.add(f32x4.convert_i32x4_s(nearWay), f32x4.mul(f32x4.convert_i32x4_s(farSide), share));
  const strayed = f32x4.add(turned, f32x4.mul(f32x4.splat(stray), f32x4.sub(second, f32x4.splat(0.5))));
  const drawn = v128.and(i32x4.trunc_sat_f32x4_s(f32x4.floor(f32x4.add(strayed, first))), i32x4.splat(7));
  const far = f32x4.gt(share, f32x4.splat(0.5));
  const surest = v128.and(i32x4.add(nearWay, v128.and(far, farSide)), i32x4.splat(7));
  // Where what was drawn lies no lower, the nearer to the descent of the facet's two; where nothing is lower, none.
  const ways = i32x4.splat(stride);
  const down = i32x4.add(place, away(drawn, ways));
  const surely = i32x4.add(place, away(surest, ways));
  const lower = f32x4.lt(heightsOf(filled, surely), here);
  const found = v128.bitselect(down, v128.bitselect(surely, place, lower), f32x4.lt(heightsOf(filled, down), here));
  if (wanted == 15) {
    v128.store(into, found);
    return;
  }
  if (wanted & 1) v128.store_lane<i32>(into, found, 0);
  if (wanted & 2) v128.store_lane<i32>(into + 4, found, 1);
  if (wanted & 4) v128.store_lane<i32>(into + 8, found, 2);
  if (wanted & 8) v128.store_lane<i32>(into + 12, found, 3);
}

// @ts-ignore: decorator
@inline
function heightsOf(grid: usize, places: v128): v128 {
  const one = v128.load_zero<f32>(grid + (<usize>i32x4.extract_lane(places, 0) << 2));
  const two = v128.load_lane<f32>(grid + (<usize>i32x4.extract_lane(places, 1) << 2), one, 1);
  const three = v128.load_lane<f32>(grid + (<usize>i32x4.extract_lane(places, 2) << 2), two, 2);
  return v128.load_lane<f32>(grid + (<usize>i32x4.extract_lane(places, 3) << 2), three, 3);
}

/** The eight directions counted around, from the east by north, as steps of samples. */
// @ts-ignore: decorator
@inline
function away(directions: v128, stride: v128): v128 {
  const east = i8x16.swizzle(i8x16(1, 1, 0, -1, -1, -1, 0, 1, 0, 0, 0, 0, 0, 0, 0, 0), directions);
  const south = i8x16.swizzle(i8x16(0, -1, -1, -1, 0, 1, 1, 1, 0, 0, 0, 0, 0, 0, 0, 0), directions);
  const x = i32x4.shr_s(i32x4.shl(east, 24), 24);
  const y = i32x4.shr_s(i32x4.shl(south, 24), 24);
  return i32x4.add(x, i32x4.mul(y, stride));
}

const PER_16: f32 = 1.0 / 65536.0;

/** The receivers of samples that slope: the neighbour of the steepest drop over its distance (O'Callaghan & Mark 1984). The border of `filled` holds 1e30. */
export function receiveSteepest(filled: usize, receiver: usize, stride: i32, from: i32, to: i32, dx: f32, dy: f32): void {
  const perX: f32 = 1 / dx;
  const perY: f32 = 1 / dy;
  const perDiagonal: f32 = 1 / sqrt<f32>(dx * dx + dy * dy);
  const row4 = <usize>stride << 2;
  for (let row = from; row < to; row++) {
    for (let p = (row + 1) * stride + 1; p < (row + 2) * stride - 1; p++) {
      if (load<i32>(receiver + (<usize>p << 2)) != 0) continue;
      const at = filled + (<usize>p << 2);
      const here = load<f32>(at);
      let steepest = (here - load<f32>(at - 4)) * perX;
      let down: i32 = -1;
      let slope = (here - load<f32>(at + 4)) * perX;
      if (slope > steepest) {
        steepest = slope;
        down = 1;
      }
      slope = (here - load<f32>(at - row4)) * perY;
      if (slope > steepest) {
        steepest = slope;
        down = -stride;
      }
      slope = (here - load<f32>(at + row4)) * perY;
      if (slope > steepest) {
        steepest = slope;
        down = stride;
      }
      slope = (here - load<f32>(at - row4 - 4)) * perDiagonal;
      if (slope > steepest) {
        steepest = slope;
        down = -stride - 1;
      }
      slope = (here - load<f32>(at - row4 + 4)) * perDiagonal;
      if (slope > steepest) {
        steepest = slope;
        down = -stride + 1;
      }
      slope = (here - load<f32>(at + row4 - 4)) * perDiagonal;
      if (slope > steepest) {
        steepest = slope;
        down = stride - 1;
      }
      slope = (here - load<f32>(at + row4 + 4)) * perDiagonal;
      if (slope > steepest) down = stride + 1;
      store<i32>(receiver + (<usize>p << 2), p + down);
    }
  }
}

/** How many samples each one receives from, and what it stands for to begin with. `donors` was zeroed. */
export function countDonors(receiver: usize, donors: usize, stride: i32, from: i32, to: i32): void {
  for (let row = from; row < to; row++) {
    for (let p = (row + 1) * stride + 1; p < (row + 2) * stride - 1; p++) {
      const r = load<i32>(receiver + (<usize>p << 2));
      if (r != p) store<u8>(donors + r, load<u8>(donors + r) + 1);
    }
  }
}

/**
 * Orders samples from the sources to the mouths, adding up `area` along the way: those of the rows `from` to `to` whose water comes from these rows alone
 * and goes on in them. A sample comes when all that flow into it have come. Writes them to `order` and returns how many they are.
 */
export function gatherPart(receiver: usize, donors: usize, area: usize, order: usize, stride: i32, from: i32, to: i32): i32 {
  const first = (from + 1) * stride;
  const end = (to + 1) * stride;
  let count = 0;
  for (let row = from; row < to; row++) {
    for (let p = (row + 1) * stride + 1; p < (row + 2) * stride - 1; p++) {
      if (load<u8>(donors + p) != 0) continue;
      let c = p;
      for (;;) {
        const r = load<i32>(receiver + (<usize>c << 2));
        if (r < first || r >= end) break;
        store<u8>(donors + c, 255);
        store<i32>(order + (<usize>count << 2), c);
        count++;
        if (r == c) break;
        if (handOn(c, r, donors, area) != 0) break;
        c = r;
      }
    }
  }
  return count;
}

/** Adds a sample's area to its receiver's: how many of that one's donors have not come yet. */
// @ts-ignore: decorator
@inline
function handOn(c: i32, r: i32, donors: usize, area: usize): u8 {
  const at = area + (<usize>r << 2);
  store<f32>(at, load<f32>(at) + load<f32>(area + (<usize>c << 2)));
  const left = load<u8>(donors + r) - 1;
  store<u8>(donors + r, left);
  return left;
}

/**
 * Orders what `gatherPart` left: samples whose water comes from or goes on in other parts. Of each part of `each` rows the first `counts` places of its share
 * of `order` are taken; the rest is filled, part by part.
 */
export function gatherRest(receiver: usize, donors: usize, area: usize, order: usize, counts: usize, stride: i32, rows: i32, each: i32): void {
  const across = stride - 2;
  let part = 0;
  let place = load<i32>(counts);
  let end = min(rows, each) * across;
  for (let row = 0; row < rows; row++) {
    for (let p = (row + 1) * stride + 1; p < (row + 2) * stride - 1; p++) {
      if (load<u8>(donors + p) != 0) continue;
      let c = p;
      for (;;) {
        while (place == end) {
          part++;
          place = part * each * across + load<i32>(counts + (<usize>part << 2));
          end = min(rows, (part + 1) * each) * across;
        }
        store<u8>(donors + c, 255);
        store<i32>(order + (<usize>place << 2), c);
        place++;
        const r = load<i32>(receiver + (<usize>c << 2));
        if (r == c) break;
        if (handOn(c, r, donors, area) != 0) break;
        c = r;
      }
    }
  }
}
