// A triangulation of a grid of heights that grows where it is most wrong: the sample with the
// largest vertical error is put in, and the triangles around it are made Delaunay again
// (Garland & Heckbert 1995; Guibas & Stolfi 1985 for the circle test).
//
// Samples are named by row × 65 536 + column, which comes apart without a division.
//
// A triangle t has the half-edges 3t, 3t + 1, 3t + 2; `corner` of a half-edge is the sample it
// leaves from, `twin` the half-edge of the neighbour, −1 on the rim. Triangles turn so that
// `turn` of their corners is above 0 (rows count downwards, so clockwise on the map's paper).

let heights: usize = 0;
let across: i32 = 0;
let down: i32 = 0;
let corner: usize = 0;
let twin: usize = 0;
let worst: usize = 0;
let error: usize = 0;
let place: usize = 0;
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
function errorOf(t: i32): f32 {
  return load<f32>(error + (<usize>t << 2));
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
  return e % 3 == 2 ? e - 2 : e + 1;
}

// @ts-ignore: decorator
@inline
function previous(e: i32): i32 {
  return e % 3 == 0 ? e + 2 : e - 1;
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

// A heap of the triangles, the most wrong on top.

function rise(from: i32): void {
  let i = from;
  const t = at(heap, i);
  const e = errorOf(t);
  while (i > 0) {
    const up = (i - 1) >> 1;
    const other = at(heap, up);
    if (errorOf(other) >= e) break;
    put(heap, i, other);
    put(place, other, i);
    i = up;
  }
  put(heap, i, t);
  put(place, t, i);
}

function sink(from: i32): void {
  let i = from;
  const t = at(heap, i);
  const e = errorOf(t);
  for (;;) {
    let child = 2 * i + 1;
    if (child >= queued) break;
    if (child + 1 < queued && errorOf(at(heap, child + 1)) > errorOf(at(heap, child))) child++;
    const other = at(heap, child);
    if (errorOf(other) <= e) break;
    put(heap, i, other);
    put(place, other, i);
    i = child;
  }
  put(heap, i, t);
  put(place, t, i);
}

function leave(t: i32): void {
  const i = at(place, t);
  queued--;
  put(place, t, NOWHERE);
  if (i == queued) return;
  const moved = at(heap, queued);
  put(heap, i, moved);
  put(place, moved, i);
  rise(i);
  sink(at(place, moved));
}

/** Writes a triangle with its neighbours; it waits to be looked through again. */
function lay(t: i32, a: i32, b: i32, c: i32, ab: i32, bc: i32, ca: i32): void {
  const e = 3 * t;
  put(corner, e, a);
  put(corner, e + 1, b);
  put(corner, e + 2, c);
  put(twin, e, ab);
  put(twin, e + 1, bc);
  put(twin, e + 2, ca);
  if (ab >= 0) put(twin, ab, e);
  if (bc >= 0) put(twin, bc, e + 1);
  if (ca >= 0) put(twin, ca, e + 2);
  const now = at(place, t);
  if (now == WAITING) return;
  if (now >= 0) leave(t);
  put(place, t, WAITING);
  put(waiting, held++, t);
}

function fresh(): i32 {
  put(place, triangles, NOWHERE);
  return triangles++;
}

/** Turns edges over until the circle through no triangle around the new point holds another's corner. */
function legalise(first: i32): void {
  let depth = 0;
  put(stack, depth++, first);
  while (depth > 0) {
    const e = at(stack, --depth);
    const f = at(twin, e);
    if (f < 0) continue;
    const right = at(corner, e);
    const left = at(corner, next(e));
    const near = at(corner, previous(e));
    const far = at(corner, previous(f));
    if (!within(right, left, near, far)) continue;
    const t = e / 3;
    const u = f / 3;
    const leftNear = at(twin, next(e));
    const nearRight = at(twin, previous(e));
    const rightFar = at(twin, next(f));
    const farLeft = at(twin, previous(f));
    lay(t, near, right, far, nearRight, rightFar, 3 * u + 2);
    lay(u, far, left, near, farLeft, leftNear, 3 * t + 2);
    put(stack, depth++, 3 * t + 1);
    put(stack, depth++, 3 * u);
  }
}

function splitFace(t: i32, p: i32): void {
  const e = 3 * t;
  const a = at(corner, e);
  const b = at(corner, e + 1);
  const c = at(corner, e + 2);
  const ab = at(twin, e);
  const bc = at(twin, e + 1);
  const ca = at(twin, e + 2);
  const u = fresh();
  const v = fresh();
  lay(t, a, b, p, ab, 3 * u + 2, 3 * v + 1);
  lay(u, b, c, p, bc, 3 * v + 2, 3 * t + 1);
  lay(v, c, a, p, ca, 3 * t + 2, 3 * u + 1);
  legalise(3 * t);
  legalise(3 * u);
  legalise(3 * v);
}

function splitEdge(e: i32, p: i32): void {
  const t = e / 3;
  const a = at(corner, e);
  const b = at(corner, next(e));
  const c = at(corner, previous(e));
  const bc = at(twin, next(e));
  const ca = at(twin, previous(e));
  const f = at(twin, e);
  const v = fresh();
  if (f < 0) {
    lay(t, a, p, c, -1, 3 * v + 2, ca);
    lay(v, p, b, c, -1, bc, 3 * t + 1);
    legalise(3 * t + 2);
    legalise(3 * v + 1);
    return;
  }
  const u = f / 3;
  const d = at(corner, previous(f));
  const ad = at(twin, next(f));
  const db = at(twin, previous(f));
  const w = fresh();
  lay(t, a, p, c, 3 * w, 3 * v + 2, ca);
  lay(v, p, b, c, 3 * u, bc, 3 * t + 1);
  lay(u, b, p, d, 3 * v, 3 * w + 2, db);
  lay(w, p, a, d, 3 * t, ad, 3 * u + 1);
  legalise(3 * t + 2);
  legalise(3 * v + 1);
  legalise(3 * u + 2);
  legalise(3 * w + 1);
}

/** Puts a sample in that lies in or on a triangle; one that is a corner of it already is left alone. */
function split(t: i32, p: i32): void {
  const e = 3 * t;
  const a = at(corner, e);
  const b = at(corner, e + 1);
  const c = at(corner, e + 2);
  if (p == a || p == b || p == c) return;
  points++;
  if (turn(a, b, p) == 0) splitEdge(e, p);
  else if (turn(b, c, p) == 0) splitEdge(e + 1, p);
  else if (turn(c, a, p) == 0) splitEdge(e + 2, p);
  else splitFace(t, p);
}

// @ts-ignore: decorator
@inline
function floorOf(a: i32, b: i32): i32 {
  // b > 0
  return a >= 0 ? a / b : -((b - 1 - a) / b);
}

/** Looks through the samples under a triangle for the one that is most off. */
function look(t: i32): void {
  const e = 3 * t;
  const a = at(corner, e);
  const b = at(corner, e + 1);
  const c = at(corner, e + 2);
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
  let best: f64 = 0;
  let found = a;
  const firstRow = min(ay, min(by, cy));
  const lastRow = max(ay, max(by, cy));
  const firstColumn = min(ax, min(bx, cx));
  const lastColumn = max(ax, max(bx, cx));
  if ((lastRow - firstRow) * (lastColumn - firstColumn) <= SMALL) {
    // Few samples: each is asked on which side of the edges it lies.
    const top = fixed ? max(firstRow, 1) : firstRow;
    const end = fixed ? min(lastRow, down - 2) : lastRow;
    const left = fixed ? max(firstColumn, 1) : firstColumn;
    const right = fixed ? min(lastColumn, across - 2) : lastColumn;
    for (let row = top; row <= end; row++) {
      let ab = (bx - ax) * (row - ay) - (by - ay) * (left - ax);
      let bc = (cx - bx) * (row - by) - (cy - by) * (left - bx);
      let ca = (ax - cx) * (row - cy) - (ay - cy) * (left - cx);
      let z = ha + alongX * <f64>(left - ax) + alongY * <f64>(row - ay);
      let read = heights + (<usize>(row * across + left) << 2);
      for (let x = left; x <= right; x++, read += 4) {
        if ((ab | bc | ca) >= 0) {
          const off = abs(<f64>load<f32>(read) - z);
          if (off > best) {
            best = off;
            found = (row << 16) | x;
          }
        }
        z += alongX;
        ab -= by - ay;
        bc -= cy - by;
        ca -= ay - cy;
      }
    }
    queue(t, best, found, a, b, c);
    return;
  }
  for (let row = firstRow; row <= lastRow; row++) {
    if (fixed && (row == 0 || row == down - 1)) continue;
    // The stretch of the row that lies within: each edge that this row crosses bounds it.
    let from = i32.MAX_VALUE;
    let to = i32.MIN_VALUE;
    for (let k = 0; k < 3; k++) {
      const px = k == 0 ? ax : k == 1 ? bx : cx;
      const py = k == 0 ? ay : k == 1 ? by : cy;
      const qx = k == 0 ? bx : k == 1 ? cx : ax;
      const qy = k == 0 ? by : k == 1 ? cy : ay;
      if (py == qy) {
        if (py == row) {
          from = min(from, min(px, qx));
          to = max(to, max(px, qx));
        }
        continue;
      }
      const low = min(py, qy);
      const high = max(py, qy);
      if (row < low || row > high) continue;
      const tx = py < qy ? px : qx;
      const wx = py < qy ? qx : px;
      // x at this row = tx + (wx − tx)(row − low)/(high − low), rounded inwards afterwards.
      const over = (wx - tx) * (row - low);
      const size = high - low;
      const below = floorOf(over, size);
      const above = below * size == over ? below : below + 1;
      from = min(from, tx + above);
      to = max(to, tx + below);
    }
    if (fixed) {
      from = max(from, 1);
      to = min(to, across - 2);
    }
    if (from > to) continue;
    let z = ha + alongX * <f64>(from - ax) + alongY * <f64>(row - ay);
    const start = row * across;
    let read = heights + (<usize>(start + from) << 2);
    for (let x = from; x <= to; x++, read += 4, z += alongX) {
      const off = abs(<f64>load<f32>(read) - z);
      if (off > best) {
        best = off;
        found = (row << 16) | x;
      }
    }
  }
  queue(t, best, found, a, b, c);
}

function queue(t: i32, best: f64, found: i32, a: i32, b: i32, c: i32): void {
  put(worst, t, found);
  // What adding up a slope along a row leaves at a corner is not an error of the mesh.
  store<f32>(error + (<usize>t << 2), found == a || found == b || found == c ? 0 : <f32>best);
  put(heap, queued, t);
  put(place, t, queued);
  rise(queued++);
}

function lookAtWaiting(): void {
  for (let i = 0; i < held; i++) {
    const t = at(waiting, i);
    put(place, t, NOWHERE);
    look(t);
  }
  held = 0;
}

/**
 * Begins with two triangles over a grid of heights (f32). `room`: 44 bytes for each of `limit`
 * triangles, which are the most there will be, and 4 096 more. `rim` not 0: samples on the rim are
 * put in by `greedyPut` only.
 */
export function greedyBegin(height: usize, columns: i32, rows: i32, room: usize, limit: i32, rim: i32): void {
  heights = height;
  across = columns;
  down = rows;
  most = limit;
  const words = <usize>limit << 2;
  corner = room;
  twin = corner + 3 * words;
  worst = twin + 3 * words;
  error = worst + words;
  place = error + words;
  heap = place + words;
  waiting = heap + words;
  stack = waiting + words;
  triangles = 0;
  queued = 0;
  held = 0;
  points = 4;
  fixed = rim != 0;
  last = 0;
  const east = columns - 1;
  const south = (rows - 1) << 16;
  const t = fresh();
  const u = fresh();
  lay(t, 0, east, south | east, -1, -1, 3);
  lay(u, 0, south | east, south, 2, -1, -1);
}

/** Puts one sample in, wherever it lies: walks there from the last one. Before the first `greedyGrow`. */
export function greedyPut(p: i32): void {
  let t = last;
  for (;;) {
    let over = -1;
    for (let e = 3 * t; e < 3 * t + 3; e++) {
      if (turn(at(corner, e), at(corner, next(e)), p) < 0 && at(twin, e) >= 0) {
        over = at(twin, e);
        break;
      }
    }
    if (over < 0) break;
    t = over / 3;
  }
  last = t;
  split(t, p);
}

/** The largest error there is now. */
export function greedyError(): f64 {
  lookAtWaiting();
  return queued > 0 ? <f64>errorOf(at(heap, 0)) : 0;
}

/**
 * Puts samples in until no error is above `bound`, there are `until` triangles, or `steps` samples
 * are in; returns the triangles there are, below 0 where the room is used up.
 */
export function greedyGrow(bound: f64, until: i32, steps: i32): i32 {
  lookAtWaiting();
  for (let n = 0; n < steps; n++) {
    if (queued == 0 || <f64>errorOf(at(heap, 0)) <= bound || triangles + 2 > until) break;
    if (triangles + 2 > most) return -triangles;
    const t = at(heap, 0);
    leave(t);
    // Its own place is free again; whatever it becomes waits to be looked through.
    split(t, at(worst, t));
    lookAtWaiting();
  }
  return triangles;
}

export function greedyPoints(): i32 {
  return points;
}
