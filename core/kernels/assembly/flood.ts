// A flood of the whole ground: depressions filled from the rim up (see `flow.ts` for the states and the border).

import { mix, neighbour, ordered } from './flow';

const BASE: u8 = 2;

/** Bytes into `control`: the place reached in the order of heights, the head and the tail of what is under water. */
const PLACE = 0;
const HEAD = 4;
const TAIL = 8;

const DIGIT: u32 = 2047;

/**
 * Begins to sort the samples by height, rows `from` to `to`: writes pairs of height and index to
 * `pairs` and counts digits of eleven bits into `counts` (three tables of 2 048 words, zeroed).
 */
export function sortBegin(height: usize, pairs: usize, counts: usize, stride: i32, from: i32, to: i32): void {
  let out = pairs + ((<usize>from * <usize>(stride - 2)) << 3);
  for (let row = from; row < to; row++) {
    for (let p = (row + 1) * stride + 1; p < (row + 2) * stride - 1; p++, out += 8) {
      const key = ordered(load<f32>(height + (<usize>p << 2)));
      store<u64>(out, (<u64>key << 32) | <u64>p);
      count(counts + (<usize>(key & DIGIT) << 2));
      count(counts + 8192 + (<usize>((key >> 11) & DIGIT) << 2));
      count(counts + 16384 + (<usize>(key >> 22) << 2));
    }
  }
}

// @ts-ignore: decorator
@inline
function count(at: usize): void {
  store<i32>(at, load<i32>(at) + 1);
}

/** Turns the counts of the three digits into the places where each digit's pairs begin. */
export function sortPlaces(counts: usize): void {
  for (let table = 0; table < 3; table++) {
    let sum = 0;
    for (let d = 0; d < 2048; d++) {
      const at = counts + (<usize>(table * 2048 + d) << 2);
      const n = load<i32>(at);
      store<i32>(at, sum);
      sum += n;
    }
  }
}

/** One pass of the sort over the pairs `first` to `last`: by digit `pass`, from `pairs` to `out`. */
export function sortPass(pairs: usize, out: usize, counts: usize, pass: i32, first: i32, last: i32): void {
  const table = counts + (<usize>pass << 13);
  const shift = <u64>(32 + 11 * pass);
  for (let i = first; i < last; i++) {
    const pair = load<u64>(pairs + (<usize>i << 3));
    const at = table + (<usize>((pair >> shift) & <u64>DIGIT) << 2);
    const place = load<i32>(at);
    store<i32>(at, place + 1);
    store<u64>(out + (<usize>place << 3), pair);
  }
}

/** The index of every place among the sorted pairs, and the place of every index. */
export function sortEnd(pairs: usize, sorted: usize, rank: usize, first: i32, last: i32): void {
  for (let i = first; i < last; i++) {
    const p = load<i32>(pairs + (<usize>i << 3));
    store<i32>(sorted + (<usize>i << 2), p);
    store<i32>(rank + (<usize>p << 2), i);
  }
}

/** Waits in the queue: one bit for each place in the order of heights. */
// @ts-ignore: decorator
@inline
function wait(bits: usize, rank: i32): void {
  const at = bits + (<usize>(rank >> 3));
  store<u8>(at, <u8>(<i32>load<u8>(at) | (1 << (rank & 7))));
}

/**
 * Sets a flood up: every base that has a neighbour which is none waits for its turn, and all are
 * their own receivers. `state` holds bases, borders and zeros, `bits` zeros; `filled` is given
 * the bases' heights.
 */
export function floodBegin(height: usize, filled: usize, state: usize, receiver: usize, rank: usize, bits: usize, control: usize, stride: i32, rows: i32): void {
  for (let row = 1; row <= rows; row++) {
    for (let p = row * stride + 1; p < (row + 1) * stride - 1; p++) {
      if (load<u8>(state + p) != BASE) continue;
      store<f32>(filled + (<usize>p << 2), load<f32>(height + (<usize>p << 2)));
      store<i32>(receiver + (<usize>p << 2), p);
      let inner = false;
      for (let k = 0; k < 8; k++) if (load<u8>(state + p + neighbour(k, stride)) == 0) inner = true;
      if (inner) wait(bits, load<i32>(rank + (<usize>p << 2)));
    }
  }
  store<i32>(control, 0, PLACE);
  store<i32>(control, 0, HEAD);
  store<i32>(control, 0, TAIL);
}

// What the flood is busy with; bands other than the first never come here.
let tail: i32 = 0;
let trace: i32 = 0;

// @ts-ignore: decorator
@inline
function flood(n: i32, p: i32, level: f32, height: usize, filled: usize, state: usize, receiver: usize, queue: usize, end: usize): void {
  if (load<u8>(state + n) != 0) return;
  store<u8>(state + n, 1);
  const off = <usize>n << 2;
  const h = load<f32>(height + off);
  if (h <= level) {
    store<f32>(filled + off, level);
    store<i32>(receiver + off, p);
    store<i32>(queue + (<usize>tail << 2), n);
    tail++;
  } else {
    store<f32>(filled + off, h);
    store<i32>(receiver + off, 0);
    trace++;
    store<i32>(end - (<usize>trace << 2), n);
  }
}

/** 1 where the neighbour is not reached and not higher: then the sample may be a spill. */
// @ts-ignore: decorator
@inline
function climb(n: i32, here: f32, height: usize, filled: usize, state: usize, receiver: usize, end: usize): i32 {
  if (load<u8>(state + n) != 0) return 0;
  const off = <usize>n << 2;
  const h = load<f32>(height + off);
  if (h <= here) return 1;
  store<u8>(state + n, 1);
  store<f32>(filled + off, h);
  store<i32>(receiver + off, 0);
  trace++;
  store<i32>(end - (<usize>trace << 2), n);
  return 0;
}

/**
 * Priority-Flood (Barnes, Lehman & Mulla 2014), in the form that keeps only possible spills
 * waiting (Zhou, Sun & Fu 2016). Since the samples are sorted by height beforehand, its priority
 * queue is a row of bits that is gone through once. `filled` becomes the lowest surface from
 * which every sample drains. Samples under water or on level ground get the neighbour that the
 * flood came from as their receiver; all others 0: theirs is found by slope. Works on some
 * `budget` samples and returns 1 while there are more.
 *
 * `wander`: water crosses level ground by wandering, not the shortest way. `queue` has room for
 * every sample: what is under water stands at its start, the trace grows down from its end.
 */
export function floodSome(
  height: usize,
  filled: usize,
  state: usize,
  receiver: usize,
  sorted: usize,
  rank: usize,
  bits: usize,
  queue: usize,
  control: usize,
  stride: i32,
  samples: i32,
  budget: i32,
  wander: i32,
): i32 {
  tail = load<i32>(control, TAIL);
  let head = load<i32>(control, HEAD);
  let place = load<i32>(control, PLACE);
  let left = budget;
  const end = queue + (<usize>samples << 2);
  while (left > 0) {
    let p: i32;
    if (head < tail) {
      if (wander) {
        // Any of those that wait: the last takes its place.
        const at = queue + (<usize>(<i32>(mix(<u32>left ^ <u32>place) % <u32>(tail - head)) + head) << 2);
        p = load<i32>(at);
        tail--;
        store<i32>(at, load<i32>(queue + (<usize>tail << 2)));
      } else {
        p = load<i32>(queue + (<usize>head << 2));
        head++;
      }
    } else {
      head = 0;
      tail = 0;
      // The next bit that is set, eight bytes at a time.
      let word = load<u64>(bits + ((<usize>place >> 6) << 3)) >> <u64>(place & 63);
      while (word == 0) {
        place = (place | 63) + 1;
        if (place >= samples) {
          store<i32>(control, place, PLACE);
          return 0;
        }
        word = load<u64>(bits + ((<usize>place >> 6) << 3));
      }
      place += <i32>ctz<u64>(word);
      p = load<i32>(sorted + (<usize>place << 2));
      place++;
    }
    left--;
    trace = 0;
    const level = load<f32>(filled + (<usize>p << 2));
    // The four at right angles first: floods spread rounder.
    flood(p - 1, p, level, height, filled, state, receiver, queue, end);
    flood(p + 1, p, level, height, filled, state, receiver, queue, end);
    flood(p - stride, p, level, height, filled, state, receiver, queue, end);
    flood(p + stride, p, level, height, filled, state, receiver, queue, end);
    flood(p - stride - 1, p, level, height, filled, state, receiver, queue, end);
    flood(p - stride + 1, p, level, height, filled, state, receiver, queue, end);
    flood(p + stride - 1, p, level, height, filled, state, receiver, queue, end);
    flood(p + stride + 1, p, level, height, filled, state, receiver, queue, end);
    // Everything that only rises from here drains by itself; no queue needs to know it.
    while (trace > 0) {
      const t = load<i32>(end - (<usize>trace << 2));
      trace--;
      left--;
      const here = load<f32>(height + (<usize>t << 2));
      const spill =
        climb(t - stride - 1, here, height, filled, state, receiver, end) |
        climb(t - stride, here, height, filled, state, receiver, end) |
        climb(t - stride + 1, here, height, filled, state, receiver, end) |
        climb(t - 1, here, height, filled, state, receiver, end) |
        climb(t + 1, here, height, filled, state, receiver, end) |
        climb(t + stride - 1, here, height, filled, state, receiver, end) |
        climb(t + stride, here, height, filled, state, receiver, end) |
        climb(t + stride + 1, here, height, filled, state, receiver, end);
      if (spill) wait(bits, load<i32>(rank + (<usize>t << 2)));
    }
  }
  store<i32>(control, place, PLACE);
  store<i32>(control, head, HEAD);
  store<i32>(control, tail, TAIL);
  return 1;
}

