import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band } from '../program';
import { bytesOf, type Grid } from './levels';

/** Samples that a kernel works on before others are heard. */
const BUDGET = 400_000;
const ROWS_AT_ONCE = 256;

/** The border that `assembly/flow.ts` wants. */
export const FLOW_BORDER = { left: 1, above: 1, aligned: 1 } as const;

/** Byte offsets, from the arena's start, of what routing needs for the largest grid. */
export interface Routing {
  height: number;
  /** With `receiver` also where samples are sorted: 8 bytes each. */
  filled: number;
  receiver: number;
  /** Also the flood's queue. */
  order: number;
  /** With `second` also where samples are sorted. */
  area: number;
  second: number;
  state: number;
  /** Also the bits of those that wait. */
  donors: number;
  counts: number;
  control: number;
}

/** Room for routing grids up to `grid`. */
export function claimRouting(claim: (bytes: number) => number, grid: Grid): Routing {
  const size = (bytesOf(grid) + 63) & ~63;
  const [height, order] = [claim(size), claim(size)];
  const filled = claim(2 * size);
  const area = claim(2 * size);
  const [state, donors] = [claim(size / 4), claim(size / 4 + 64)];
  return {
    height,
    order,
    filled,
    receiver: filled + size,
    area,
    second: area + size,
    state,
    donors,
    counts: claim(3 * 8192),
    control: claim(64 + 4 * MOST_BANDS),
  };
}

/** Where each band leaves a word. */
const MOST_BANDS = 256;

/**
 * Finds the way of the water over `height`: fills `filled`, gives every sample its receiver, adds
 * `area` up and writes `order` (sources first). `state` holds bases, borders and zeros;
 * `wander` lets the way over level ground wander; `weigh` writes what each sample stands for into `area`. Yields where bands meet.
 */
export function* route(
  kernels: KernelExports,
  arena: Arena,
  at: Routing,
  grid: Grid,
  band: Band,
  how: { wander: boolean; receive: (from: number, to: number) => void; weigh: (from: number, to: number) => void },
): Generator<void, void, void> {
  const { stride, down } = grid;
  const samples = stride * (down + 2);
  const a = arena.start;
  const word = new Int32Array(arena.buffer, a + at.control, 16 + MOST_BANDS);
  const { from, to } = rowsOf(down, band);
  word[16 + band.index] = kernels.hollows(a + at.height, a + at.filled, a + at.state, a + at.receiver, bottomsOf(a, at, stride, from), stride, from, to);
  yield;
  let hollow = 0;
  for (let b = 0; b < band.count; b++) hollow += word[16 + b];
  if (hollow > 0) yield* fill(kernels, arena, at, grid, band, how.wander, hollow);
  how.receive(from, to);
  how.weigh(from, to);
  if (band.index === 0) new Uint8Array(arena.buffer, a + at.donors, samples).fill(0);
  yield;
  for (let row = 0; row < down; row += 4 * ROWS_AT_ONCE) {
    if (band.index === 0) kernels.countDonors(a + at.receiver, a + at.donors, stride, row, Math.min(down, row + 4 * ROWS_AT_ONCE));
    yield;
  }
  const parts = partsOf(grid);
  const counts = new Int32Array(arena.buffer, a + at.counts, MOST_PARTS);
  yield* eachPart(parts, band, (part, k) => {
    const order = a + at.order + 4 * part.first;
    counts[k] = kernels.gatherPart(a + at.receiver, a + at.donors, a + at.area, order, stride, part.from, part.to);
  });
  if (band.index === 0) kernels.gatherRest(a + at.receiver, a + at.donors, a + at.area, a + at.order, a + at.counts, stride, down, parts[0].to);
  yield;
}

/** Rows of which the order from the sources to the mouths is found apart from other rows. */
interface Part {
  from: number;
  to: number;
  /** Where its share of the order begins and ends. */
  first: number;
  end: number;
}

const MOST_PARTS = 8;
/** On grids of fewer rows there is one part. */
const FEWEST_ROWS = 32 * MOST_PARTS;

/** The parts of a grid; however many bands there are, they are the same. */
function partsOf({ across, down }: Grid): Part[] {
  const each = down < FEWEST_ROWS ? down : Math.ceil(down / MOST_PARTS);
  return Array.from({ length: Math.ceil(down / each) }, (_, k) => {
    const [from, to] = [k * each, Math.min(down, (k + 1) * each)];
    return { from, to, first: from * across, end: to * across };
  });
}

/** Each part by one band; they meet after each. */
function* eachPart(parts: readonly Part[], band: Band, work: (part: Part, k: number) => void): Generator<void, void, void> {
  for (let k = band.index; k - band.index < parts.length; k += band.count) {
    if (k < parts.length) work(parts[k], k);
    yield;
  }
}

/** Where a band lists the bottoms of its hollows. */
const bottomsOf = (start: number, at: Routing, stride: number, fromRow: number) => start + at.area + 4 * fromRow * stride;

/** Of all samples so many are looked at, at most, where hollows are filled one by one: beyond that the flood of the whole is the shorter way. */
const MOST_LOOKED = 0.6;

/** Fills `hollow` hollows up to where they spill: one by one where they are few, else by a flood of the whole. */
function* fill(kernels: KernelExports, arena: Arena, at: Routing, grid: Grid, band: Band, wander: boolean, hollow: number): Generator<void, void, void> {
  const { down, stride } = grid;
  const a = arena.start;
  const samples = stride * (down + 2);
  const most = Math.floor(samples * MOST_LOOKED);
  const first = band.index === 0;
  // Eight bytes for each bottom and for each sample that waits, four for what a hollow covers and for what waits to be led.
  const [heap, list, bottoms, queue] = [a + at.area, a + at.second, a + at.order, a + at.order + 4 * Math.ceil(samples / 4)];
  const word = new Int32Array(arena.buffer, a + at.control, 16 + MOST_BANDS);
  if (first) {
    word[0] = word[1] = 0;
    word[8] = 8 * hollow <= samples ? 1 : -1;
    for (let b = 0; word[8] === 1 && b < band.count; b++) {
      const { from } = rowsOf(down, { ...band, index: b });
      kernels.hollowsBegin(a + at.height, bottomsOf(a, at, stride, from), word[16 + b], bottoms, a + at.control);
    }
  }
  yield;
  // Only the first band knows how often it goes on; the others read it between two meetings.
  while (word[8] === 1) {
    yield;
    if (first) {
      word[8] = kernels.fillHollows(
        a + at.filled,
        a + at.state,
        a + at.receiver,
        bottoms,
        heap,
        list,
        queue,
        a + at.control,
        stride,
        BUDGET,
        most,
        samples >> 1,
        wander ? 1 : 0,
      );
    }
    yield;
  }
  const outcome = word[8];
  yield;
  if (outcome < 0) yield* flood(kernels, arena, at, grid, band, wander);
}

/** Sorts the samples by height and fills hollows up to where they spill. */
function* flood(kernels: KernelExports, arena: Arena, at: Routing, { across, down, stride }: Grid, band: Band, wander: boolean): Generator<void, void, void> {
  const a = arena.start;
  const samples = stride * (down + 2);
  const count = across * down;
  const first = band.index === 0;
  if (first) {
    new Uint8Array(arena.buffer, a + at.counts, 3 * 8192).fill(0);
    new Uint8Array(arena.buffer, a + at.donors, samples).fill(0);
  }
  for (let row = 0; row < down; row += 2 * ROWS_AT_ONCE) {
    if (first) kernels.sortBegin(a + at.height, a + at.area, a + at.counts, stride, row, Math.min(down, row + 2 * ROWS_AT_ONCE));
    yield;
  }
  if (first) kernels.sortPlaces(a + at.counts);
  for (let pass = 0; pass < 3; pass++) {
    const [source, out] = pass === 1 ? [at.filled, at.area] : [at.area, at.filled];
    for (let from = 0; from < count; from += 4 * BUDGET) {
      if (first) kernels.sortPass(a + source, a + out, a + at.counts, pass, from, Math.min(count, from + 4 * BUDGET));
      yield;
    }
  }
  for (let from = 0; from < count; from += 4 * BUDGET) {
    if (first) kernels.sortEnd(a + at.filled, a + at.area, a + at.second, from, Math.min(count, from + 4 * BUDGET));
    yield;
  }
  if (first) {
    wallRows(floats(arena, a + at.filled, samples), stride, down);
    kernels.floodBegin(a + at.height, a + at.filled, a + at.state, a + at.receiver, a + at.second, a + at.donors, a + at.control, stride, down);
  }
  // Only the first band knows how often the flood goes on; the others read it between two meetings.
  const word = new Int32Array(arena.buffer, a + at.control, 16);
  if (first) word[8] = 1;
  yield;
  while (word[8] === 1) {
    yield;
    if (first) {
      word[8] = kernels.floodSome(
        a + at.height,
        a + at.filled,
        a + at.state,
        a + at.receiver,
        a + at.area,
        a + at.second,
        a + at.donors,
        a + at.order,
        a + at.control,
        stride,
        samples,
        BUDGET,
        wander ? 1 : 0,
      );
    }
    yield;
  }
}

/** The border of a grid is a wall. */
function wallRows(grid: Float32Array, stride: number, down: number): void {
  grid.fill(WALL, 0, stride);
  grid.fill(WALL, (down + 1) * stride);
  for (let row = 1; row <= down; row++) {
    grid[row * stride] = WALL;
    grid[(row + 1) * stride - 1] = WALL;
  }
}

/**
 * Calls `work` for the samples of the order in pieces (by their places), from the mouths up: first those whose water passes through several parts, on the first band, then
 * each part's own. Yields between them.
 */
export function* upstream(arena: Arena, at: Routing, grid: Grid, band: Band, work: (first: number, last: number) => void): Generator<void, void, void> {
  const { parts, counts } = orderOf(arena, at, grid);
  if (band.index === 0) for (let k = parts.length - 1; k >= 0; k--) work(parts[k].end - 1, parts[k].first + counts[k]);
  yield;
  yield* eachPart(parts, band, ({ first }, k) => work(first + counts[k] - 1, first));
}

/** The same from the sources down: each part's own, then the rest. */
export function* downstream(arena: Arena, at: Routing, grid: Grid, band: Band, work: (first: number, end: number) => void): Generator<void, void, void> {
  const { parts, counts } = orderOf(arena, at, grid);
  yield* eachPart(parts, band, ({ first }, k) => work(first, first + counts[k]));
  if (band.index === 0) for (const [k, { first, end }] of parts.entries()) work(first + counts[k], end);
  yield;
}

const orderOf = (arena: Arena, at: Routing, grid: Grid): { parts: Part[]; counts: Int32Array } => ({
  parts: partsOf(grid),
  counts: new Int32Array(arena.buffer, arena.start + at.counts, MOST_PARTS),
});

/** The samples of a grid from the sources to the mouths. */
export function sourcesFirst(arena: Arena, at: Routing, grid: Grid): Int32Array<ArrayBuffer> {
  const { parts, counts } = orderOf(arena, at, grid);
  const from = new Int32Array(arena.buffer, arena.start + at.order, grid.across * grid.down);
  const out = new Int32Array(from.length);
  let place = 0;
  const take = (first: number, end: number) => {
    out.set(from.subarray(first, end), place);
    place += end - first;
  };
  parts.forEach(({ first }, k) => take(first, first + counts[k]));
  parts.forEach(({ first, end }, k) => take(first + counts[k], end));
  return out;
}

/** Writes what each sample stands for: a whole cell, under point registration half of one at the rim and a quarter in the corners. */
export function weighRows(arena: Arena, offset: number, grid: Grid, point: boolean, from: number, to: number): void {
  const { across, down, stride } = grid;
  const area = floats(arena, arena.start + offset, stride * (down + 2));
  for (let row = from; row < to; row++) {
    const first = (row + 1) * stride + 1;
    const here = point && (row === 0 || row === down - 1) ? 0.5 : 1;
    area.fill(here, first, first + across);
    if (!point) continue;
    area[first] *= 0.5;
    area[first + across - 1] *= 0.5;
  }
}

const BASE = 2;
/** Higher than any ground. */
const WALL = 1e30;

/** Sets the border beside the rows `from` to `to` of a grid to a wall, where something else was written over it. */
export function wallBorder(grid: Float32Array, { across, down, stride }: Grid, from: number, to: number): void {
  if (from === 0) grid.fill(WALL, 0, stride);
  if (to === down) grid.fill(WALL, (down + 1) * stride);
  for (let row = from; row < to; row++) {
    grid[(row + 1) * stride] = WALL;
    grid[(row + 1) * stride + across + 1] = WALL;
  }
}

/** Clears rows of the state, the border around them included: water leaves where `bed` lies under the sea, and at `bases`. */
export function stateRows(
  kernels: KernelExports,
  arena: Arena,
  at: Routing,
  grid: Grid,
  { bed, sea }: { bed: number; sea: number },
  { from, to }: { from: number; to: number },
  bases: Iterable<number>,
): void {
  const { down, stride } = grid;
  const a = arena.start;
  if (to > from) kernels.stateRows(a + bed, sea, a + at.state, a + at.filled, a + at.height, stride, down, from, to);
  const state = new Uint8Array(arena.buffer, a + at.state, stride * (down + 2));
  for (const p of bases) state[p] = BASE;
}

/** The samples on the rim of a grid, of some rows. */
export function* rimOf({ across, down, stride }: Grid, { from, to }: { from: number; to: number }): Generator<number, void, void> {
  for (let row = from; row < to; row++) {
    const first = (row + 1) * stride + 1;
    const step = row === 0 || row === down - 1 ? 1 : Math.max(1, across - 1);
    for (let column = 0; column < across; column += step) yield first + column;
  }
}
