import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band } from '../program';
import { bytesOf, type Border, type Grid } from './levels';

/** A grid of a ladder: where it lies on the ground, and how many samples it has there. */
export interface Rung extends Grid {
  /** Metres from one sample to the next. */
  spacingX: number;
  spacingY: number;
  /** Samples on the rim stand for half a cell. */
  point: boolean;
}

/** What a ladder is made for: a grid of samples with their spacing in metres. */
export interface OwnGrid {
  across: number;
  down: number;
  spacingX: number;
  spacingY: number;
  point: boolean;
}

/** Samples as a program lays them out, with the border that its kernels want. */
export const rungOf = (grid: OwnGrid, { left, above, aligned }: Border): Rung => ({
  ...grid,
  stride: Math.ceil((grid.across + 2 * left) / aligned) * aligned,
  left,
  above,
});

/**
 * Whether a rung is one of the ladder of `seen` too: the terrain's own samples, where work is done at others. Such rungs are
 * made from what is seen there, so that both go the same way to the bit and differ only in what finer grids add.
 */
export const isSharedWith = ({ spacingX, spacingY }: OwnGrid, seen: OwnGrid): boolean =>
  Math.max(spacingX, spacingY) >= LEAST_STEP * Math.max(seen.spacingX, seen.spacingY) * (1 - 1e-9);

/** Cells along the longer side of the coarsest rung. */
const COARSEST_CELLS = 32;
/** A rung is at least so many times as coarse as the ground's own grid. */
const LEAST_STEP = Math.SQRT2;

/**
 * Grids from the ground's own, the first, to one of 128 cells along the longer side. All but the
 * first divide the ground's sides in metres into 128, 256, 512 … cells, whatever count of samples
 * it has: 513, 1 017, 1 024 and 2 049 samples of the same ground walk the same rungs, and only what
 * the finest add differs. `coarsest`, where given, leaves out rungs that are coarser, metres.
 */
export function ladderOf({ across, down, spacingX, spacingY, point }: OwnGrid, border: Border, coarsest = Infinity): Rung[] {
  const gridOf = (samplesAcross: number, samplesDown: number, x: number, y: number, atEdge: boolean): Rung =>
    rungOf({ across: samplesAcross, down: samplesDown, spacingX: x, spacingY: y, point: atEdge }, border);
  const rungs: Rung[] = [];
  const width = spacingX * (point ? across - 1 : across);
  const depth = spacingY * (point ? down - 1 : down);
  const long = Math.max(width, depth);
  const own = gridOf(across, down, spacingX, spacingY, point);
  if (across < 3 || down < 3) return [own];
  const finest = LEAST_STEP * Math.max(spacingX, spacingY) * (1 - 1e-9);
  for (let cells = COARSEST_CELLS; long / cells >= finest; cells *= 2) {
    if (long / cells > coarsest * Math.SQRT2) continue;
    const [x, y] = [width, depth].map((side) => Math.max(2, Math.round((side / long) * cells)));
    rungs.unshift(gridOf(x + 1, y + 1, width / x, depth / y, true));
  }
  return [own, ...rungs];
}

/** Work that goes on over a window of a larger ground, whose coarser grids were worked on over the whole. */
export interface BegunArgs {
  /** The window at the samples of the grid that it goes on from. */
  grid: OwnGrid;
  /** Grids that the work has gone through, that one included. */
  grids: number;
  /** Metres from the whole ground's north-west corner to the window's, and along the whole ground's sides. */
  west: number;
  north: number;
  width: number;
  depth: number;
  /** The sides of the window that are the whole ground's own. */
  rim: { north: boolean; east: boolean; south: boolean; west: boolean };
}

/** The grids of a window from its own, the first, to the one that was worked on over the whole; each has twice the cells of the next. */
export function ladderBelow(own: OwnGrid, { grid }: BegunArgs, border: Border): Rung[] {
  const finest = LEAST_STEP * Math.max(own.spacingX, own.spacingY) * (1 - 1e-9);
  const rungs = [rungOf(grid, border)];
  for (let parts = 2; Math.max(grid.spacingX, grid.spacingY) / parts >= finest; parts *= 2) {
    const [across, down] = [parts * (grid.across - 1) + 1, parts * (grid.down - 1) + 1];
    rungs.unshift(rungOf({ across, down, spacingX: grid.spacingX / parts, spacingY: grid.spacingY / parts, point: true }, border));
  }
  return [rungOf(own, border), ...rungs];
}

/** Where a window's rung begins in the rung of the whole ground, counted in samples of it, and how many that one has across. */
export const placeInWhole = ({ west, north, width }: BegunArgs, { spacingX, spacingY }: OwnGrid): { left: number; top: number; across: number } => ({
  left: Math.round(west / spacingX),
  top: Math.round(north / spacingY),
  across: Math.round(width / spacingX) + 1,
});

/**
 * The shares of a whole that the rungs of a ladder have, the coarsest first: as they are listed; beyond the list each has half of what is left, and
 * the ground's own grid, the last, all of it.
 */
export function sharesOf(listed: readonly number[], count: number): number[] {
  const out: number[] = [];
  let left = 1;
  for (let k = 0; k < count; k++) {
    const share = k === count - 1 ? left : k < listed.length ? listed[k] : left / 2;
    left -= share;
    out.push(share);
  }
  return out;
}

/** Along one axis: so many samples are made of so many others, `taps` for each. */
interface Axis {
  count: number;
  spacing: number;
  point: boolean;
  from: { count: number; spacing: number; point: boolean };
  taps: number;
}

/** How the samples of one rung are made from another's: along x, then along y. */
export interface Passage {
  from: Rung;
  to: Rung;
  x: Axis;
  y: Axis;
  /** Over to a finer grid, or down to a coarser one. */
  finer: boolean;
}

function passageOf(from: Rung, to: Rung, finer: boolean, taps: (count: number, ratio: number) => number): Passage {
  const axis = (count: number, spacing: number, fromCount: number, fromSpacing: number): Axis => ({
    count,
    spacing,
    point: to.point,
    from: { count: fromCount, spacing: fromSpacing, point: from.point },
    taps: taps(fromCount, spacing / fromSpacing),
  });
  return { from, to, finer, x: axis(to.across, to.spacingX, from.across, from.spacingX), y: axis(to.down, to.spacingY, from.down, from.spacingY) };
}

/**
 * From a finer grid to a coarser one: weighted means by a cubic B-spline as wide as the
 * coarser spacing, mended so that a plane comes out as it is, at the edges too. Two sample counts
 * of one ground so give the same coarse grid, but for what lies between their samples.
 */
export const toCoarser = (from: Rung, to: Rung): Passage => passageOf(from, to, false, (count, ratio) => Math.min(count, Math.ceil(4 * ratio) + 1));

/** From a coarser grid to a finer one: Catmull–Rom, straight on at the edges. */
export const toFiner = (from: Rung, to: Rung): Passage => passageOf(from, to, true, (count) => Math.min(4, count));

/** What `pass` needs beside its grids: byte offsets from the arena's start. */
export interface PassRoom {
  /** Rows of the grid that is passed, on the other's columns. */
  rows: number;
  /** First samples and weights, along x and then along y. */
  weights: number;
}

/** A weight table's floats: at most six a sample of the finer grid and eight of the coarser (see the tests), and the first samples. */
const tableFloats = (samples: number) => 16 * (samples + 8);

/** Room to pass from a ladder's finest grid, or from what is seen, to each coarser one, and from each to the next finer. */
export function claimPass(claim: (bytes: number) => number, levels: readonly Rung[], seen?: Rung): PassRoom {
  const rows = Math.max(
    ...levels.map((level, l) => level.stride * Math.max(levels[0].down, l > 0 ? (seen?.down ?? 0) : 0, l < levels.length - 1 ? levels[l + 1].down : 0)),
  );
  const longest = Math.max(...[...levels, ...(seen ? [seen] : [])].map(({ across, down }) => Math.max(across, down)));
  return { rows: claim(4 * rows), weights: claim(8 * tableFloats(longest)) };
}

/** Writes a weight table: where each sum begins, and its weights in fours, which end with the row where they can. */
function writeTable(
  kernels: KernelExports,
  at: number,
  { count, spacing, point, from, taps }: Axis,
  finer: boolean,
): { first: number; weight: number; taps: number } {
  const fours = 4 * Math.ceil(taps / 4);
  const weight = at + 4 * count;
  kernels.passTable(finer ? 1 : 0, at, weight, count, spacing, point ? 1 : 0, from.count, from.spacing, from.point ? 1 : 0, taps, fours);
  return { first: at, weight, taps: fours };
}

/** Lays one grid's floats over another grid; byte offsets from the arena's start. Yields where bands meet. */
export function* pass(
  kernels: KernelExports,
  arena: Arena,
  { from, to, x, y, finer }: Passage,
  source: number,
  room: PassRoom,
  out: number,
  band: Band,
): Generator<void, void, void> {
  const a = arena.start;
  // Every band writes the same, so that none has to wait for another.
  const along = writeTable(kernels, a + room.weights, x, finer);
  const down = writeTable(kernels, a + room.weights + 4 * tableFloats(Math.max(from.across, to.across)), y, finer);
  const rows = rowsOf(from.down, band);
  kernels.passAlong(
    a + source,
    from.stride,
    from.left,
    from.above,
    from.across,
    along.first,
    along.weight,
    along.taps,
    to.across,
    a + room.rows,
    to.stride,
    rows.from,
    rows.to,
  );
  yield;
  const outRows = rowsOf(to.down, band);
  kernels.passDown(
    a + room.rows,
    to.stride,
    from.down,
    down.first,
    down.weight,
    down.taps,
    to.across,
    a + out,
    to.stride,
    to.left,
    to.above,
    outRows.from,
    outRows.to,
  );
  yield;
}

/** The same for shares of 0 to 1: a spline's weights leave them by a hair. */
export function* passShares(
  kernels: KernelExports,
  arena: Arena,
  passage: Passage,
  source: number,
  room: PassRoom,
  out: number,
  band: Band,
): Generator<void, void, void> {
  yield* pass(kernels, arena, passage, source, room, out, band);
  const { to } = passage;
  const rows = rowsOf(to.down, band);
  kernels.wholeShares(arena.start + out, (rows.from + to.above) * to.stride, (rows.to + to.above) * to.stride);
  yield;
}

/** What a grid's floats come to, each by the share of a cell that its sample stands for, times the cell: m³ where they are metres. */
export function volumeOf(arena: Arena, grid: Rung, at: number): number {
  const values = floats(arena, arena.start + at, bytesOf(grid) / 4);
  let sum = 0;
  for (let row = 0; row < grid.down; row++) {
    const first = (row + grid.above) * grid.stride + grid.left;
    const half = grid.point && (row === 0 || row === grid.down - 1) ? 0.5 : 1;
    let line = 0;
    for (let x = 0; x < grid.across; x++) line += values[first + x] * (grid.point && (x === 0 || x === grid.across - 1) ? 0.5 : 1);
    sum += half * line;
  }
  return sum * grid.spacingX * grid.spacingY;
}

/**
 * After a change was handed down: what gives no way (`ease` 0) is not cut, nothing is taken that is not
 * loose (`cover`), and what was laid down is scaled so that the volume is what the coarser grid had; null: it stays as it is. On one band.
 */
export function keepVolume(arena: Arena, grid: Rung, changeAt: number, volume: number | null, { ease = 0, cover = 0 } = {}): void {
  const size = bytesOf(grid) / 4;
  const change = floats(arena, arena.start + changeAt, size);
  const gives = ease ? floats(arena, arena.start + ease, size) : undefined;
  const lies = cover ? floats(arena, arena.start + cover, size) : undefined;
  let [cut, laid] = [0, 0];
  for (let row = 0; row < grid.down; row++) {
    const first = (row + grid.above) * grid.stride + grid.left;
    const half = grid.point && (row === 0 || row === grid.down - 1) ? 0.5 : 1;
    for (let x = 0; x < grid.across; x++) {
      const p = first + x;
      if (gives && gives[p] === 0 && change[p] < 0) change[p] = 0;
      if (lies && change[p] < -lies[p]) change[p] = -lies[p];
      const share = grid.point && (x === 0 || x === grid.across - 1) ? half / 2 : half;
      if (change[p] < 0) cut -= share * change[p];
      else laid += share * change[p];
    }
  }
  if (volume === null) return;
  const cell = grid.spacingX * grid.spacingY;
  // Where more was laid down than can be, less is; where nothing is laid down, less is cut.
  const wanted = volume / cell + cut;
  const scaleLaid = laid > 0 ? Math.max(0, wanted / laid) : 1;
  const scaleCut = laid > 0 && wanted >= 0 ? 1 : cut > 0 ? Math.max(0, -volume / cell / cut) : 1;
  if (scaleLaid === 1 && scaleCut === 1) return;
  for (let row = 0; row < grid.down; row++) {
    const first = (row + grid.above) * grid.stride + grid.left;
    for (let p = first; p < first + grid.across; p++) change[p] *= change[p] < 0 ? scaleCut : scaleLaid;
  }
}
