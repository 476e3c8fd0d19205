// Outlets of hollows: from each lowest sample the least costly way to where the ground lies lower (Dijkstra), and its bed along that way.
//
//   mark: 0 · 1 water leaves the ground here · 2 on an outlet, or at the bottom of a hollow that was looked at

const LEAVES: u8 = 1;
const SEEN: u8 = 2;

/** A sample's place in the heap, from 1 on; 0: not reached yet. */
const SETTLED: i32 = -1;

/** Bytes into `control`: the next bottom, and how many keep their dam. */
const NEXT = 0;
const KEPT = 4;

/** Bytes of the search, from the arena's start, and what a way costs. */
let level: usize = 0;
let mark: usize = 0;
let cost: usize = 0;
let place: usize = 0;
let heap: usize = 0;
let size: i32 = 0;

// @ts-ignore: decorator
@inline
function costOf(p: i32): f32 {
  return load<f32>(cost + (<usize>p << 2));
}

// @ts-ignore: decorator
@inline
function put(p: i32, at: i32): void {
  store<i32>(heap + (<usize>at << 2), p);
  store<i32>(place + (<usize>p << 2), at + 1);
}

/** Sets `p`, which is `at` or above it, where its cost belongs. */
function rise(p: i32, at: i32): void {
  const c = costOf(p);
  while (at > 0) {
    const above = (at - 1) >> 1;
    const other = load<i32>(heap + (<usize>above << 2));
    if (costOf(other) <= c) break;
    put(other, at);
    at = above;
  }
  put(p, at);
}

/** Takes the sample of the least cost. */
function take(): i32 {
  const least = load<i32>(heap);
  store<i32>(place + (<usize>least << 2), SETTLED);
  size--;
  if (size == 0) return least;
  const p = load<i32>(heap + (<usize>size << 2));
  const c = costOf(p);
  let at = 0;
  for (;;) {
    let below = 2 * at + 1;
    if (below >= size) break;
    let next = load<i32>(heap + (<usize>below << 2));
    if (below + 1 < size) {
      const other = load<i32>(heap + (<usize>(below + 1) << 2));
      if (costOf(other) < costOf(next)) {
        next = other;
        below++;
      }
    }
    if (c <= costOf(next)) break;
    put(next, at);
    at = below;
  }
  put(p, at);
  return least;
}

/** Whether a way from a bottom at `floor` ends at `p`. */
// @ts-ignore: decorator
@inline
function ends(p: i32, floor: f32): bool {
  const m = load<u8>(mark + p);
  const h = load<f32>(level + (<usize>p << 2));
  return m == LEAVES || h < floor || (m == SEEN && h <= floor);
}

/**
 * Cuts outlets for bottoms, in their order, until `budget` samples were looked at; returns how many are left. A step costs its length times the
 * sample's `weight` times `even` and what has to be cut there, all in metres; nothing is cut by more than `deepest`.
 * `way` and `touched` have room for every sample, `place` is 0.
 */
export function breachHollows(
  levelAt: usize,
  markAt: usize,
  weight: usize,
  costAt: usize,
  placeAt: usize,
  way: usize,
  heapAt: usize,
  touched: usize,
  bottoms: usize,
  control: usize,
  count: i32,
  across: i32,
  down: i32,
  dx: f64,
  dy: f64,
  deepest: f64,
  even: f64,
  budget: i32,
): i32 {
  level = levelAt;
  mark = markAt;
  cost = costAt;
  place = placeAt;
  heap = heapAt;
  const slant = sqrt(dx * dx + dy * dy);
  let next = load<i32>(control, NEXT);
  for (; next < count && budget > 0; next++) {
    const bottom = load<i32>(bottoms + (<usize>next << 2));
    const floor = load<f32>(level + (<usize>bottom << 2));
    let reached = 1;
    let end = -1;
    store<i32>(touched, bottom);
    store<f32>(cost + (<usize>bottom << 2), 0);
    size = 1;
    put(bottom, 0);
    while (size > 0) {
      const p = take();
      if (p != bottom && ends(p, floor)) {
        end = p;
        break;
      }
      const row = p / across;
      const column = p - row * across;
      const before = <f64>costOf(p);
      for (let v = -1; v <= 1; v++) {
        if (row + v < 0 || row + v >= down) continue;
        for (let u = -1; u <= 1; u++) {
          if ((u == 0 && v == 0) || column + u < 0 || column + u >= across) continue;
          const n = p + v * across + u;
          const at = <usize>n << 2;
          const found = load<i32>(place + at);
          if (found == SETTLED) continue;
          const cut = <f64>load<f32>(level + at) - <f64>floor;
          if (cut > deepest) continue;
          const run = u == 0 ? dy : v == 0 ? dx : slant;
          const w = <f64>load<f32>(weight + at);
          const c = <f32>(before + run * w * (w * even + max<f64>(0, cut)));
          if (found > 0) {
            if (c >= load<f32>(cost + at)) continue;
          } else store<i32>(touched + (<usize>(reached++) << 2), n);
          store<f32>(cost + at, c);
          store<u8>(way + n, <u8>((v + 1) * 3 + u + 1));
          rise(n, found > 0 ? found - 1 : size++);
        }
      }
    }
    if (end < 0) store<i32>(control, load<i32>(control, KEPT) + 1, KEPT);
    else cutWay(way, bottom, end, across, floor, deepest);
    if (load<u8>(mark + bottom) == 0) store<u8>(mark + bottom, SEEN);
    for (let i = 0; i < reached; i++) store<i32>(place + (<usize>load<i32>(touched + (<usize>i << 2)) << 2), 0);
    budget -= reached;
  }
  store<i32>(control, next, NEXT);
  return count - next;
}

/** Lays the bed from `end` back to `bottom`: evenly from one level to the other, and nowhere deeper than allowed. */
function cutWay(way: usize, bottom: i32, end: i32, across: i32, floor: f32, deepest: f64): void {
  let steps = 0;
  for (let p = end; p != bottom; p = cameFrom(way, p, across)) steps++;
  const low = min<f32>(load<f32>(level + (<usize>end << 2)), floor);
  let least: f64 = <f64>low;
  let k = 0;
  for (let p = end; p != bottom; p = cameFrom(way, p, across)) {
    const at = level + (<usize>p << 2);
    const h = load<f32>(at);
    least = max<f64>(least, <f64>h - deepest);
    const bed = <f32>max<f64>(least, <f64>low + ((<f64>floor - <f64>low) * <f64>k) / <f64>steps);
    if (bed < h) store<f32>(at, bed);
    if (load<u8>(mark + p) == 0) store<u8>(mark + p, SEEN);
    k++;
  }
}

// @ts-ignore: decorator
@inline
function cameFrom(way: usize, p: i32, across: i32): i32 {
  const step = <i32>load<u8>(way + p);
  return p - (step / 3 - 1) * across - ((step % 3) - 1);
}
