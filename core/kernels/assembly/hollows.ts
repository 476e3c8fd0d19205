// Hollows of a ground filled one by one, each from its lowest sample up to where it spills. The lowest surface that drains everywhere is
// the same as a flood's from the rim (see `flood.ts`); what it takes is a matter of what lies under water, not of the whole ground.
//
//   state: 0 · 1 waits or is part of the hollow in hand · 2 a base: the water leaves here · 3 border · 4 led to the spill · 5 a base that waits

import { mix, neighbour, ordered } from './flow';

const WAITS: u8 = 1;
const BASE: u8 = 2;
const LED: u8 = 4;
const BASE_WAITS: u8 = 5;

/** One hollow has so many samples at most: a larger one would keep others waiting too long. */
const LARGEST = 1_048_576;

/** Bytes into `control`: how many bottoms are left, and how many samples were looked at so far. */
const BOTTOMS = 0;
const LOOKED = 4;

/**
 * Samples of the rows `from` to `to` that have no lower neighbour and are no base: their indices are written to `bottoms`, and their number is
 * returned. Others get no receiver yet, and their height as their filled height: where there are none no flood is needed.
 */
export function hollows(height: usize, filled: usize, state: usize, receiver: usize, bottoms: usize, stride: i32, from: i32, to: i32): i32 {
  const row4 = <usize>stride << 2;
  const bases = i32x4.splat(<i32>BASE);
  let found = 0;
  for (let row = from; row < to; row++) {
    const end = (row + 2) * stride - 1;
    let p = (row + 1) * stride + 1;
    for (; p + 4 <= end; p += 4) {
      const at = height + (<usize>p << 2);
      const h = v128.load(at);
      v128.store(filled + (<usize>p << 2), h);
      const base = i32x4.eq(v128.extend_low<u16>(v128.extend_low<u8>(v128.load_zero<u32>(state + p))), bases);
      v128.store(receiver + (<usize>p << 2), v128.and(base, i32x4.add(i32x4.splat(p), i32x4(0, 1, 2, 3))));
      const north = f32x4.min(v128.load(at - row4), f32x4.min(v128.load(at - row4 - 4), v128.load(at - row4 + 4)));
      const south = f32x4.min(v128.load(at + row4), f32x4.min(v128.load(at + row4 - 4), v128.load(at + row4 + 4)));
      const least = f32x4.min(f32x4.min(north, south), f32x4.min(v128.load(at - 4), v128.load(at + 4)));
      let lowest = i32x4.bitmask(v128.andnot(v128.not(base), f32x4.lt(least, h)));
      for (; lowest; lowest &= lowest - 1) store<i32>(bottoms + (<usize>(found++) << 2), p + ctz<i32>(lowest));
    }
    for (; p < end; p++) {
      const at = height + (<usize>p << 2);
      const h = load<f32>(at);
      store<f32>(filled + (<usize>p << 2), h);
      if (load<u8>(state + p) == BASE) {
        store<i32>(receiver + (<usize>p << 2), p);
        continue;
      }
      store<i32>(receiver + (<usize>p << 2), 0);
      const north = min<f32>(load<f32>(at - row4), min<f32>(load<f32>(at - row4 - 4), load<f32>(at - row4 + 4)));
      const south = min<f32>(load<f32>(at + row4), min<f32>(load<f32>(at + row4 - 4), load<f32>(at + row4 + 4)));
      const least = min<f32>(min<f32>(north, south), min<f32>(load<f32>(at - 4), load<f32>(at + 4)));
      if (!(least < h)) store<i32>(bottoms + (<usize>(found++) << 2), p);
    }
  }
  return found;
}

/** A heap of keys of which the least comes first: a key more. */
function push(heap: usize, size: i32, key: u64): void {
  let at = size;
  while (at > 0) {
    const above = (at - 1) >> 1;
    const other = load<u64>(heap + (<usize>above << 3));
    if (other <= key) break;
    store<u64>(heap + (<usize>at << 3), other);
    at = above;
  }
  store<u64>(heap + (<usize>at << 3), key);
}

/** Takes the least key out of a heap of `size`. */
function pop(heap: usize, size: i32): u64 {
  const least = load<u64>(heap);
  const left = size - 1;
  const key = load<u64>(heap + (<usize>left << 3));
  let at = 0;
  for (;;) {
    let below = 2 * at + 1;
    if (below >= left) break;
    let next = load<u64>(heap + (<usize>below << 3));
    if (below + 1 < left) {
      const other = load<u64>(heap + (<usize>(below + 1) << 3));
      if (other < next) {
        next = other;
        below++;
      }
    }
    if (key <= next) break;
    store<u64>(heap + (<usize>at << 3), next);
    at = below;
  }
  if (left > 0) store<u64>(heap + (<usize>at << 3), key);
  return least;
}

// @ts-ignore: decorator
@inline
function keyOf(h: f32, p: i32): u64 {
  return (<u64>ordered(h) << 32) | <u64>p;
}

/** Bottoms found by `hollows` join those that wait in `heap`: the highest come first, so that a hollow within another is full before that one rises over it. */
export function hollowsBegin(height: usize, bottoms: usize, count: i32, heap: usize, control: usize): void {
  let size = load<i32>(control, BOTTOMS);
  for (let i = 0; i < count; i++) {
    const p = load<i32>(bottoms + (<usize>i << 2));
    push(heap, size++, (<u64>~ordered(load<f32>(height + (<usize>p << 2))) << 32) | <u64>p);
  }
  store<i32>(control, size, BOTTOMS);
}

let waiting: i32 = 0;
let listed: i32 = 0;
let queued: i32 = 0;

/** Unmarks what belonged to the hollow in hand. */
function release(state: usize, heap: usize, list: usize): void {
  for (let i = 0; i < waiting; i++) unmark(state + <usize>(<u32>load<u64>(heap + (<usize>i << 3))));
  for (let i = 0; i < listed; i++) unmark(state + <usize>load<u32>(list + (<usize>i << 2)));
}

// @ts-ignore: decorator
@inline
function unmark(at: usize): void {
  store<u8>(at, load<u8>(at) == BASE_WAITS ? BASE : 0);
}

/**
 * Fills hollows until `budget` samples were looked at: 1 while there are more, 0 when all are full, −1 where it came to more than `most` samples in
 * all, or one of them is very large, and a flood of the whole is the shorter way. `filled` and `receiver` are as `hollows` left them; `heap` has room for `room`
 * samples, `list` and `queue` for `most` each. What lies under water or level with it gets the neighbour nearer to the spill as its receiver;
 * `wander`: by wandering, not the shortest way.
 */
export function fillHollows(
  filled: usize,
  state: usize,
  receiver: usize,
  bottoms: usize,
  heap: usize,
  list: usize,
  queue: usize,
  control: usize,
  stride: i32,
  budget: i32,
  most: i32,
  room: i32,
  wander: i32,
): i32 {
  let left = load<i32>(control, BOTTOMS);
  let looked = load<i32>(control, LOOKED);
  const until = looked + budget;
  while (left > 0) {
    const bottom = <i32>(<u32>pop(bottoms, left--));
    // Part of a hollow that is full by now.
    if (load<i32>(receiver + (<usize>bottom << 2)) != 0) continue;
    waiting = 0;
    listed = 0;
    const spill = rise(bottom, filled, state, heap, list, stride, min(LARGEST, most - looked), room - 8);
    looked += listed;
    if (spill > 0) looked += lead(spill, filled, state, receiver, list, queue, stride, most - looked, wander);
    release(state, heap, list);
    if (spill == 0 || looked >= most) return -1;
    if (looked >= until) break;
  }
  store<i32>(control, left, BOTTOMS);
  store<i32>(control, looked, LOOKED);
  return left > 0 ? 1 : 0;
}

/** Water rises from `bottom` until it finds a way down: the sample that it leaves by; 0 where that took more than `most` samples, or more than `room` waited. What it has covered is listed. */
function rise(bottom: i32, filled: usize, state: usize, heap: usize, list: usize, stride: i32, most: i32, room: i32): i32 {
  store<u8>(state + bottom, WAITS);
  push(heap, waiting++, keyOf(load<f32>(filled + (<usize>bottom << 2)), bottom));
  while (waiting > 0 && waiting < room && listed < most) {
    const p = <i32>(<u32>pop(heap, waiting--));
    store<i32>(list + (<usize>(listed++) << 2), p);
    if (load<u8>(state + p) == BASE_WAITS) return p;
    const level = load<f32>(filled + (<usize>p << 2));
    for (let k = 0; k < 8; k++) {
      const n = p + neighbour(k, stride);
      const mark = load<u8>(state + n);
      if (mark != 0 && mark != BASE) continue;
      const h = load<f32>(filled + (<usize>n << 2));
      if (h < level) return p;
      store<u8>(state + n, mark == 0 ? WAITS : BASE_WAITS);
      push(heap, waiting++, keyOf(h, n));
    }
  }
  return 0;
}

/** Raises what `rise` covered to the level of its spill and leads it there, with all that lies level with it. Returns how many samples that were, `most` where there are more. */
function lead(spill: i32, filled: usize, state: usize, receiver: usize, list: usize, queue: usize, stride: i32, most: i32, wander: i32): i32 {
  const level = load<f32>(filled + (<usize>spill << 2));
  if (load<u8>(state + spill) != BASE_WAITS) {
    store<u8>(state + spill, LED);
    // Its own way is found by slope.
    store<i32>(receiver + (<usize>spill << 2), 0);
  }
  store<i32>(queue, spill);
  queued = 1;
  let head = 0;
  let led = 0;
  let draw = <u32>spill * 0x9e3779b1;
  while (head < queued && led < most) {
    let p: i32;
    if (wander) {
      // Any of those that wait: the last takes its place.
      const at = queue + (<usize>(mix(draw++) % <u32>queued) << 2);
      p = load<i32>(at);
      queued--;
      store<i32>(at, load<i32>(queue + (<usize>queued << 2)));
    } else {
      p = load<i32>(queue + (<usize>head << 2));
      head++;
    }
    for (let k = 0; k < 8; k++) {
      const n = p + neighbour(k, stride);
      const mark = load<u8>(state + n);
      if (mark > WAITS) continue;
      const at = filled + (<usize>n << 2);
      const h = load<f32>(at);
      if (h > level || (mark == 0 && h < level)) continue;
      // Level ground beside the hollow: a hollow that was full before may have drained over what is under water now.
      if (mark == 0) store<i32>(list + (<usize>(listed++) << 2), n);
      store<u8>(state + n, LED);
      store<f32>(at, level);
      store<i32>(receiver + (<usize>n << 2), p);
      store<i32>(queue + (<usize>queued << 2), n);
      queued++;
      led++;
    }
  }
  return led;
}
