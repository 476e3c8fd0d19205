// A triangulation of a grid of heights that grows where it is most wrong: the sample with the
// largest vertical error is put in, and the triangles around it are made Delaunay again
// (Garland & Heckbert 1995; Guibas & Stolfi 1985 for the circle test).
//
// Samples are named by row × 65 536 + column, which comes apart without a division.
//
// A triangle t has the half-edges 4t, 4t + 1, 4t + 2; `corner` of a half-edge is the sample it
// leaves from, `twin` the half-edge of the neighbour, −1 on the rim. Triangles turn so that
// `turn` of their corners is above 0 (rows count downwards, so clockwise on the map's paper).
//
// All of a triangle lies together in 32 bytes, so that the processor fetches it at once: three corners, its
// place in the heap, three twins, and the sample that it is most off at.

let heights: usize = 0;
let across: i32 = 0;
let down: i32 = 0;
let records: usize = 0;
let error: usize = 0;
let heap: usize = 0;
let waiting: usize = 0;
let stack: usize = 0;

let triangles: i32 = 0;
let points: i32 = 0;
let most: i32 = 0;
let queued: i32 = 0;
let held: i32 = 0;
let fixed: bool = false;
let last: i32 = 0;
let allowed: f64 = 0;

const WAITING: i32 = -2;
const NOWHERE: i32 = -1;

/** Cells of a triangle's bounds up to which its samples are asked one by one. */
const SMALL: i32 = 100;

// @ts-ignore: decorator
@inline
function at(base: usize, index: i32): i32 {
  return load<i32>(base + (<usize>index << 2));
}

// @ts-ignore: decorator
@inline
function put(base: usize, index: i32, value: i32): void {
  store<i32>(base + (<usize>index << 2), value);
}

// @ts-ignore: decorator
@inline
function record(t: i32): usize {
  return records + (<usize>t << 5);
}

// @ts-ignore: decorator
@inline
function halfEdge(e: i32): usize {
  return records + (<usize>(e & ~3) << 3) + (<usize>(e & 3) << 2);
}

// @ts-ignore: decorator
@inline
function corner(e: i32): i32 {
  return load<i32>(halfEdge(e));
}

// @ts-ignore: decorator
@inline
function twin(e: i32): i32 {
  return load<i32>(halfEdge(e), 16);
}

// @ts-ignore: decorator
@inline
function place(t: i32): i32 {
  return load<i32>(record(t), 12);
}

// @ts-ignore: decorator
@inline
function setPlace(t: i32, i: i32): void {
  store<i32>(record(t), i, 12);
}

// @ts-ignore: decorator
@inline
function worst(t: i32): i32 {
  return load<i32>(record(t), 28);
}

// @ts-ignore: decorator
@inline
function errorOf(t: i32): f32 {
  return load<f32>(error + (<usize>t << 2));
}

/** The triangle that is most wrong, of those that are more so than is allowed. */
// @ts-ignore: decorator
@inline
function first(): i32 {
  return <i32>load<u64>(heap);
}

// @ts-ignore: decorator
@inline
function columnOf(p: i32): i32 {
  return p & 0xffff;
}

// @ts-ignore: decorator
@inline
function rowOf(p: i32): i32 {
  return p >>> 16;
}

// @ts-ignore: decorator
@inline
function heightOf(p: i32): f64 {
  return <f64>load<f32>(heights + (<usize>(rowOf(p) * across + columnOf(p)) << 2));
}

// @ts-ignore: decorator
@inline
function next(e: i32): i32 {
  return (e & 3) == 2 ? e - 2 : e + 1;
}

// @ts-ignore: decorator
@inline
function previous(e: i32): i32 {
  return (e & 3) == 0 ? e + 2 : e - 1;
}

/** Twice the area that three samples turn around, in cells. */
function turn(a: i32, b: i32, c: i32): i64 {
  const ax = columnOf(a);
  const ay = rowOf(a);
  return <i64>(columnOf(b) - ax) * <i64>(rowOf(c) - ay) - <i64>(rowOf(b) - ay) * <i64>(columnOf(c) - ax);
}

/** Whether d lies within the circle through a, b and c, which turn above 0; exact in whole numbers. */
function within(a: i32, b: i32, c: i32, d: i32): bool {
  const dx = columnOf(d);
  const dy = rowOf(d);
  const ax = <i64>(columnOf(a) - dx);
  const ay = <i64>(rowOf(a) - dy);
  const bx = <i64>(columnOf(b) - dx);
  const by = <i64>(rowOf(b) - dy);
  const cx = <i64>(columnOf(c) - dx);
  const cy = <i64>(rowOf(c) - dy);
  const aa = ax * ax + ay * ay;
  const bb = bx * bx + by * by;
  const cc = cx * cx + cy * cy;
  return ax * (by * cc - bb * cy) - ay * (bx * cc - bb * cx) + aa * (bx * cy - by * cx) > 0;
}

// A heap of the triangles that are more wrong than is allowed, the most wrong on top. An entry is the error's bits, which order as
// errors above 0 do, over the triangle's number: what is asked of it lies in it.

// @ts-ignore: decorator
@inline
function entry(i: i32): u64 {
  return load<u64>(heap + (<usize>i << 3));
}

// @ts-ignore: decorator
@inline
function seat(i: i32, one: u64): void {
  store<u64>(heap + (<usize>i << 3), one);
  setPlace(<i32>one, i);
}

function rise(from: i32, one: u64): void {
  let i = from;
  while (i > 0) {
    const up = (i - 1) >> 1;
    const other = entry(up);
    if (other >= one) break;
    seat(i, other);
    i = up;
  }
  seat(i, one);
}

function sink(from: i32, one: u64): void {
  let i = from;
  for (;;) {
    let child = 2 * i + 1;
    if (child >= queued) break;
    let other = entry(child);
    if (child + 1 < queued) {
      // Which of the two is larger cannot be foreseen: it is selected.
      const second = entry(child + 1);
      child += i32(second > other);
      other = select(second, other, second > other);
    }
    if (other <= one) break;
    seat(i, other);
    i = child;
  }
  seat(i, one);
}

function leave(t: i32): void {
  const i = place(t);
  queued--;
  setPlace(t, NOWHERE);
  if (i == queued) return;
  const moved = entry(queued);
  if (i > 0 && entry((i - 1) >> 1) < moved) rise(i, moved);
  else sink(i, moved);
}

/** Writes a triangle with its neighbours; it waits to be looked through again. */
function lay(t: i32, a: i32, b: i32, c: i32, ab: i32, bc: i32, ca: i32): void {
  const to = record(t);
  store<i32>(to, a);
  store<i32>(to, b, 4);
  store<i32>(to, c, 8);
  store<i32>(to, ab, 16);
  store<i32>(to, bc, 20);
  store<i32>(to, ca, 24);
  const e = t << 2;
  if (ab >= 0) store<i32>(halfEdge(ab), e, 16);
  if (bc >= 0) store<i32>(halfEdge(bc), e + 1, 16);
  if (ca >= 0) store<i32>(halfEdge(ca), e + 2, 16);
  const now = place(t);
  if (now == WAITING) return;
  if (now >= 0) leave(t);
  setPlace(t, WAITING);
  put(waiting, held++, t);
}

function fresh(): i32 {
  setPlace(triangles, NOWHERE);
  return triangles++;
}

/** Turns edges over until the circle through no triangle around the new point holds another's corner. */
function legalise(begin: i32): void {
  let depth = 0;
  put(stack, depth++, begin);
  while (depth > 0) {
    const e = at(stack, --depth);
    const f = twin(e);
    if (f < 0) continue;
    const right = corner(e);
    const left = corner(next(e));
    const near = corner(previous(e));
    const far = corner(previous(f));
    if (!within(right, left, near, far)) continue;
    const t = e >> 2;
    const u = f >> 2;
    const leftNear = twin(next(e));
    const nearRight = twin(previous(e));
    const rightFar = twin(next(f));
    const farLeft = twin(previous(f));
    lay(t, near, right, far, nearRight, rightFar, 4 * u + 2);
    lay(u, far, left, near, farLeft, leftNear, 4 * t + 2);
    put(stack, depth++, 4 * t + 1);
    put(stack, depth++, 4 * u);
  }
}

function splitFace(t: i32, p: i32): void {
  const e = 4 * t;
  const a = corner(e);
  const b = corner(e + 1);
  const c = corner(e + 2);
  const ab = twin(e);
  const bc = twin(e + 1);
  const ca = twin(e + 2);
  const u = fresh();
  const v = fresh();
  lay(t, a, b, p, ab, 4 * u + 2, 4 * v + 1);
  lay(u, b, c, p, bc, 4 * v + 2, 4 * t + 1);
  lay(v, c, a, p, ca, 4 * t + 2, 4 * u + 1);
  legalise(4 * t);
  legalise(4 * u);
  legalise(4 * v);
}

function splitEdge(e: i32, p: i32): void {
  const t = e >> 2;
  const a = corner(e);
  const b = corner(next(e));
  const c = corner(previous(e));
  const bc = twin(next(e));
  const ca = twin(previous(e));
  const f = twin(e);
  const v = fresh();
  if (f < 0) {
    lay(t, a, p, c, -1, 4 * v + 2, ca);
    lay(v, p, b, c, -1, bc, 4 * t + 1);
    legalise(4 * t + 2);
    legalise(4 * v + 1);
    return;
  }
  const u = f >> 2;
  const d = corner(previous(f));
  const ad = twin(next(f));
  const db = twin(previous(f));
  const w = fresh();
  lay(t, a, p, c, 4 * w, 4 * v + 2, ca);
  lay(v, p, b, c, 4 * u, bc, 4 * t + 1);
  lay(u, b, p, d, 4 * v, 4 * w + 2, db);
  lay(w, p, a, d, 4 * t, ad, 4 * u + 1);
  legalise(4 * t + 2);
  legalise(4 * v + 1);
  legalise(4 * u + 2);
  legalise(4 * w + 1);
}

/** Puts a sample in that lies in or on a triangle; one that is a corner of it already is left alone. */
function split(t: i32, p: i32): void {
  const e = 4 * t;
  const a = corner(e);
  const b = corner(e + 1);
  const c = corner(e + 2);
  if (p == a || p == b || p == c) return;
  points++;
  if (turn(a, b, p) == 0) splitEdge(e, p);
  else if (turn(b, c, p) == 0) splitEdge(e + 1, p);
  else if (turn(c, a, p) == 0) splitEdge(e + 2, p);
  else splitFace(t, p);
}

/** What `look` has found so far under a triangle. */
let best: f64 = 0;
let found: i32 = 0;

/** The edges of the triangle that is looked through, as rows cross them: f64 column at the upper end, columns a row, upper and lower end. */
const EDGES = memory.data(96);

function layEdge(k: i32, px: i32, py: i32, qx: i32, qy: i32): void {
  const to = EDGES + 32 * <usize>k;
  const upper = py < qy;
  store<i32>(to, upper ? px : qx);
  store<i32>(to, upper ? qx - px : px - qx, 4);
  store<i32>(to, upper ? py : qy, 8);
  store<i32>(to, upper ? qy : py, 12);
  store<f64>(to, py == qy ? 0 : 1 / <f64>abs(qy - py), 16);
}

/** A share of a column that no quotient of columns and rows lies nearer to a whole number by, and no rounding further. */
const HAIR: f64 = 1.0 / 1048576;

/** Looks through the samples `from` … `to` of a row for one that is more off than the best so far; `z` is the plane at the first, `along` what it rises by a column. */
// @ts-ignore: decorator
@inline
function lookAlong(row: i32, from: i32, to: i32, z: f64, along: f64): void {
  let read = heights + (<usize>(row * across + from) << 2);
  let z2 = f64x2(z, z + along);
  const two = f64x2.splat(2 * along);
  let most2 = f64x2.splat(0);
  let x = from;
  // Four at a time: the largest first, and where it lies only if it is more than the best.
  for (; x + 3 <= to; x += 4, read += 16) {
    const v = v128.load(read);
    most2 = f64x2.pmax(most2, f64x2.abs(f64x2.sub(f64x2.promote_low_f32x4(v), z2)));
    z2 = f64x2.add(z2, two);
    most2 = f64x2.pmax(most2, f64x2.abs(f64x2.sub(f64x2.promote_low_f32x4(v128.shuffle<i32>(v, v, 2, 3, 2, 3)), z2)));
    z2 = f64x2.add(z2, two);
  }
  let most = max(f64x2.extract_lane(most2, 0), f64x2.extract_lane(most2, 1));
  for (; x <= to; x += 2, read += 8) {
    const off2 = f64x2.abs(f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(read)), z2));
    most = max(most, f64x2.extract_lane(off2, 0));
    if (x < to) most = max(most, f64x2.extract_lane(off2, 1));
    z2 = f64x2.add(z2, two);
  }
  if (most <= best) return;
  best = most;
  // Again in the same way, to where it was met.
  const met2 = f64x2.splat(most);
  read = heights + (<usize>(row * across + from) << 2);
  z2 = f64x2(z, z + along);
  for (x = from; x <= to; x += 2, read += 8) {
    const off2 = f64x2.abs(f64x2.sub(f64x2.promote_low_f32x4(v128.load64_zero(read)), z2));
    const which = i64x2.bitmask(f64x2.eq(off2, met2));
    if (which) {
      found = (row << 16) | (x + ctz(which));
      return;
    }
    z2 = f64x2.add(z2, two);
  }
}

/** Looks through the samples under a triangle for the one that is most off. */
function look(t: i32): void {
  const e = 4 * t;
  const a = corner(e);
  const b = corner(e + 1);
  const c = corner(e + 2);
  const ax = columnOf(a);
  const ay = rowOf(a);
  const bx = columnOf(b);
  const by = rowOf(b);
  const cx = columnOf(c);
  const cy = rowOf(c);
  const ha = heightOf(a);
  const area = <f64>turn(a, b, c);
  const hb = heightOf(b) - ha;
  const hc = heightOf(c) - ha;
  // The plane through the corners: metres a column and a row.
  const alongX = (hb * <f64>(cy - ay) - hc * <f64>(by - ay)) / area;
  const alongY = (hc * <f64>(bx - ax) - hb * <f64>(cx - ax)) / area;
  best = 0;
  found = a;
  const rim = fixed ? 1 : 0;
  const firstRow = min(ay, min(by, cy));
  const lastRow = max(ay, max(by, cy));
  const firstColumn = min(ax, min(bx, cx));
  const lastColumn = max(ax, max(bx, cx));
  const top = max(firstRow, rim);
  const end = min(lastRow, down - 1 - rim);
  const left = max(firstColumn, rim);
  const right = min(lastColumn, across - 1 - rim);
  if ((lastRow - firstRow) * (lastColumn - firstColumn) <= SMALL) {
    // Few samples: each is asked on which side of the edges it lies, four at a time.
    const lanes = i32x4(0, 1, 2, 3);
    const abX = i32x4.splat(ay - by);
    const bcX = i32x4.splat(by - cy);
    const caX = i32x4.splat(cy - ay);
    const abX4 = i32x4.shl(abX, 2);
    const bcX4 = i32x4.shl(bcX, 2);
    const caX4 = i32x4.shl(caX, 2);
    const abLanes = i32x4.mul(abX, lanes);
    const bcLanes = i32x4.mul(bcX, lanes);
    const caLanes = i32x4.mul(caX, lanes);
    const two = f64x2.splat(2 * alongX);
    const firstZ = f64x2(0, alongX);
    for (let row = top; row <= end; row++) {
      let ab4 = i32x4.add(i32x4.splat((bx - ax) * (row - ay) - (by - ay) * (left - ax)), abLanes);
      let bc4 = i32x4.add(i32x4.splat((cx - bx) * (row - by) - (cy - by) * (left - bx)), bcLanes);
      let ca4 = i32x4.add(i32x4.splat((ax - cx) * (row - cy) - (ay - cy) * (left - cx)), caLanes);
      let z2 = f64x2.add(f64x2.splat(ha + alongX * <f64>(left - ax) + alongY * <f64>(row - ay)), firstZ);
      let read = heights + (<usize>(row * across + left) << 2);
      for (let x = left; x <= right; x += 4, read += 16) {
        const v = v128.load(read);
        const low2 = f64x2.abs(f64x2.sub(f64x2.promote_low_f32x4(v), z2));
        z2 = f64x2.add(z2, two);
        const high2 = f64x2.abs(f64x2.sub(f64x2.promote_low_f32x4(v128.shuffle<i32>(v, v, 2, 3, 2, 3)), z2));
        z2 = f64x2.add(z2, two);
        const best2 = f64x2.splat(best);
        const more = v128.shuffle<i32>(f64x2.gt(low2, best2), f64x2.gt(high2, best2), 0, 2, 4, 6);
        // Below 0 where it lies beyond an edge.
        const beyond = v128.or(v128.or(ab4, bc4), ca4);
        let which = i32x4.bitmask(v128.andnot(more, beyond));
        while (which) {
          const k = ctz(which);
          which &= which - 1;
          const off = k < 2 ? (k == 0 ? f64x2.extract_lane(low2, 0) : f64x2.extract_lane(low2, 1)) : k == 2 ? f64x2.extract_lane(high2, 0) : f64x2.extract_lane(high2, 1);
          if (off > best && x + k <= right) {
            best = off;
            found = (row << 16) | (x + k);
          }
        }
        ab4 = i32x4.add(ab4, abX4);
        bc4 = i32x4.add(bc4, bcX4);
        ca4 = i32x4.add(ca4, caX4);
      }
    }
    queue(t, a, b, c);
    return;
  }
  layEdge(0, ax, ay, bx, by);
  layEdge(1, bx, by, cx, cy);
  layEdge(2, cx, cy, ax, ay);
  for (let row = top; row <= end; row++) {
    // The stretch of the row that lies within: each edge that this row crosses bounds it.
    let from = i32.MAX_VALUE;
    let to = i32.MIN_VALUE;
    for (let k = 0, edge = EDGES; k < 3; k++, edge += 32) {
      const low = load<i32>(edge, 8);
      const high = load<i32>(edge, 12);
      if (row < low || row > high) continue;
      const x = load<i32>(edge);
      const by = load<i32>(edge, 4);
      if (low == high) {
        from = min(from, min(x, x + by));
        to = max(to, max(x, x + by));
        continue;
      }
      // Where the edge crosses, rounded inwards: the quotient is off by less than a hair, and a hair from any whole number that it is not.
      const over = by * (row - low);
      const below = <i32>Math.floor(<f64>over * load<f64>(edge, 16) + HAIR);
      from = min(from, x + below + i32(below * (high - low) != over));
      to = max(to, x + below);
    }
    from = max(from, left);
    to = min(to, right);
    if (from > to) continue;
    lookAlong(row, from, to, ha + alongX * <f64>(from - ax) + alongY * <f64>(row - ay), alongX);
  }
  queue(t, a, b, c);
}

function queue(t: i32, a: i32, b: i32, c: i32): void {
  store<i32>(record(t), found, 28);
  // What adding up a slope along a row leaves at a corner is not an error of the mesh.
  const off: f32 = found == a || found == b || found == c ? 0 : <f32>best;
  store<f32>(error + (<usize>t << 2), off);
  if (<f64>off > allowed) rise(queued++, (<u64>reinterpret<u32>(off) << 32) | <u64>(<u32>t));
}

function lookAtWaiting(): void {
  for (let i = 0; i < held; i++) {
    const t = at(waiting, i);
    setPlace(t, NOWHERE);
    look(t);
  }
  held = 0;
}

/**
 * Begins with two triangles over a grid of heights (f32). `room`: 52 bytes for each of `limit`
 * triangles, which are the most there will be, and 4 096 more. `rim` not 0: samples on the rim are
 * put in by `greedyPut` only. `bound`: triangles that are not off by more are good enough.
 */
export function greedyBegin(height: usize, columns: i32, rows: i32, room: usize, limit: i32, rim: i32, bound: f64): void {
  heights = height;
  across = columns;
  down = rows;
  most = limit;
  const words = <usize>limit << 2;
  records = (room + 31) & ~31;
  heap = records + 8 * words;
  error = heap + 2 * words;
  waiting = error + words;
  stack = waiting + words;
  triangles = 0;
  queued = 0;
  held = 0;
  points = 4;
  fixed = rim != 0;
  allowed = bound;
  last = 0;
  const east = columns - 1;
  const south = (rows - 1) << 16;
  const t = fresh();
  const u = fresh();
  lay(t, 0, east, south | east, -1, -1, 4 * u);
  lay(u, 0, south | east, south, 4 * t + 2, -1, -1);
}

/** Puts one sample in, wherever it lies: walks there from the last one. Before the first `greedyGrow`. */
export function greedyPut(p: i32): void {
  let t = last;
  for (;;) {
    let over = -1;
    for (let e = 4 * t; e < 4 * t + 3; e++) {
      if (turn(corner(e), corner(next(e)), p) < 0 && twin(e) >= 0) {
        over = twin(e);
        break;
      }
    }
    if (over < 0) break;
    t = over >> 2;
  }
  last = t;
  split(t, p);
}

/** The largest error there is now. */
export function greedyError(): f64 {
  lookAtWaiting();
  if (queued > 0) return <f64>errorOf(first());
  let most: f32 = 0;
  for (let t = 0; t < triangles; t++) most = max(most, errorOf(t));
  return <f64>most;
}

/**
 * Puts samples in until no error is above the bound, there are `until` triangles, or `steps` samples
 * are in; returns the triangles there are, below 0 where the room is used up.
 */
export function greedyGrow(until: i32, steps: i32): i32 {
  lookAtWaiting();
  for (let n = 0; n < steps; n++) {
    if (queued == 0 || triangles + 2 > until) break;
    if (triangles + 2 > most) return -triangles;
    const t = first();
    leave(t);
    // Its own place is free again; whatever it becomes waits to be looked through.
    split(t, worst(t));
    lookAtWaiting();
  }
  return triangles;
}

export function greedyPoints(): i32 {
  return points;
}
