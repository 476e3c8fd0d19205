import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band } from '../program';
import { feelBeds } from './beds';
import { downstream, route, stateRows, upstream, wallBorder, weighRows } from './flow';
import type { FluvialArgs, Level, Stint, Work } from './fluvial-plan';
import { passImplicit } from './implicit';
import { addInflows, placeInflows } from './inflows';
import { pass, placeInWhole, toFiner } from './ladder';
import { bytesOf, smooth } from './levels';
import { basesOf, leavesOver, markOutlets } from './outlets';

/**
 * What beds do to streams and slopes (from a trial beside real bedded country): hard ones are worn 0.12 times as fast and stand up to 1.5 times the
 * critical slope, soft ones slide at 0.65 of it.
 */
const BEDDED = { softEase: 1.3, hardEase: 0.03, softBank: 0.4, hardBank: 2.2 };

/** The draw strays by so many of the eight directions on either side, together: streams begin where chance has them begin. */
const STRAY = 0.5;
/** Fan after fan: how often what was laid down is smoothed. */
const FAN_SMOOTH = 6;
/** What still dams its water after that is given this share of a fan's grade. */
const LEAST_GRADE = 0.05;
/** How often what a grid hands down is smoothed. */
const HANDED_SMOOTH = 2;
/** Ground that was lowered by so many of a grid's spacings has lost half of the detail that it had before. */
export const WORN_OFF = 0.35;
/** An outlet gives way to a breach only. */
const OUTLET_EASE = 1e-9;

/** Slopes settle so many times in a step, rows first and then columns first: what is too steep slides by a bounded part of its excess each time, and no way of the grid comes last. */
const SLOPE_PARTS = 2;

/** A grid's ground to begin with: as it was, or what the coarser grid made of it with the finer one's own detail. */
export function* begin(
  kernels: KernelExports,
  arena: Arena,
  args: FluvialArgs,
  levels: Level[],
  l: number,
  at: Work,
  band: Band,
  routed: boolean,
): Generator<void, void, void> {
  const level = levels[l];
  const coarser = levels[l + 1];
  const { from, to } = rowsOf(level.down, band);
  const size = bytesOf(level) / 4;
  const [height, bed, ease] = [at.height, level.bed, level.ease].map((o) => floats(arena, arena.start + o, size));
  const first = (from + 1) * level.stride;
  const end = (to + 1) * level.stride;
  if (coarser) {
    const passage = toFiner(coarser, level);
    // A coarse grid's finest valleys lie along its rows and columns: only those that it resolves are handed down.
    const coarseSize = bytesOf(coarser) / 4;
    const worn = floats(arena, arena.start + at.height, coarseSize);
    const rows = rowsOf(coarser.down, band);
    kernels.takeOff(arena.start + at.height, arena.start + coarser.bed, (rows.from + 1) * coarser.stride, (rows.to + 1) * coarser.stride);
    yield;
    yield* smooth(kernels, arena, coarser, at.height, at.order, at.area, band);
    if (routed) kernels.narrowDiagonals(arena.start + at.height, arena.start + at.area, arena.start + at.receiver, coarser.stride, rows.from, rows.to);
    yield;
    // Where water leaves stays as low as it is: smoothed, it would rise with every grid, and all the land that drains through it.
    const outlets = leavesOver(args) ? basesOf(arena, args, coarser, at, rows).map((p) => [p, worn[p]]) : [];
    for (let i = 0; i < HANDED_SMOOTH; i++) yield* smooth(kernels, arena, coarser, at.height, at.order, at.height, band);
    for (const [p, change] of outlets) worn[p] = change;
    yield;
    yield* pass(kernels, arena, passage, coarser.bed, at.passing, at.order, band);
    yield* pass(kernels, arena, passage, at.height, at.passing, at.area, band);
    // Detail that a grid adds was worn off where the ground was lowered by much.
    const perDepth = 1 / (WORN_OFF * Math.max(coarser.spacingX, coarser.spacingY));
    const a = arena.start;
    kernels.beginFiner(a + at.height, a + level.bed, a + level.ease, a + at.order, a + at.area, first, end, perDepth, args.sea);
  } else height.set(bed.subarray(first, end), first);
  yield;
  if (band.index === 0) {
    markOutlets(arena, args, level, at);
    if (args.begun) placeInflows(arena, level, args.begun, at);
  }
  yield;
  // Bases stand still: where water leaves, and in the sea at its level while rivers run to it. Nothing creeps over them.
  kernels.standInSea(arena.start + at.height, arena.start + level.bed, arena.start + level.ease, args.sea, level.stride, from, to);
  const law = args.held || args.alone !== undefined;
  for (const p of basesOf(arena, args, level, at, { from, to })) {
    if (bed[p] < args.sea) continue;
    if (law) height[p] = bed[p];
    // Where no water leaves, the lowest place is filled as any other.
    if (law) ease[p] = 0;
    else if (leavesOver(args)) ease[p] = ease[p] > 0 ? OUTLET_EASE : 0;
  }
  yield;
}

/** `again`: the same grid was routed just before, and only what the flood marked has to be cleared. */
export function* findWay(
  kernels: KernelExports,
  arena: Arena,
  args: FluvialArgs,
  level: Level,
  at: Work,
  band: Band,
  salt: number,
  again = false,
): Generator<void, void, void> {
  const rows = rowsOf(level.down, band);
  const { from, to } = rows;
  if (again) {
    const size = level.stride * (level.down + 2);
    kernels.clearReached(arena.start + at.state, (from + 1) * level.stride, (to + 1) * level.stride);
    wallBorder(floats(arena, arena.start + at.filled, size), level, from, to);
  } else stateRows(kernels, arena, at, level, { bed: level.bed, sea: args.sea }, rows, basesOf(arena, args, level, at, rows));
  yield;
  const a = arena.start;
  const { left, top, across } = args.begun ? placeInWhole(args.begun, level) : { left: 0, top: 0, across: level.across };
  const drawStride = across + 2;
  yield* route(kernels, arena, at, level, band, {
    wander: true,
    receive: (first, end) =>
      kernels.receiveByFacet(
        a + at.filled,
        a + at.receiver,
        level.stride,
        first,
        end,
        level.spacingX,
        level.spacingY,
        (args.seed + Math.imul(salt, 0x9e3779b1)) >>> 0,
        STRAY,
        top * drawStride + left,
        drawStride,
      ),
    weigh: (first, end) => {
      weighRows(arena, at.area, level, level.point, first, end);
      if (args.begun) addInflows(arena, level, args.begun, at, first, end);
    },
  });
}

/** Back to the ground as it was, its way kept. */
export function* restart(arena: Arena, level: Level, at: Work, band: Band): Generator<void, void, void> {
  const { from, to } = rowsOf(level.down, band);
  const [height, bed] = [at.height, level.bed].map((o) => floats(arena, arena.start + o, bytesOf(level) / 4));
  height.set(bed.subarray((from + 1) * level.stride, (to + 1) * level.stride), (from + 1) * level.stride);
  yield;
}

/** A share of the time passes on one grid: hollows are breached, slopes creep and slide, rivers wear. */
export function* wear(
  kernels: KernelExports,
  arena: Arena,
  args: FluvialArgs,
  level: Level,
  at: Work,
  band: Band,
  { rivers, creep }: Pick<Stint, 'rivers' | 'creep'>,
  breaches: boolean,
): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down, spacingX: dx, spacingY: dy } = level;
  const { from, to } = rowsOf(down, band);
  const rise = args.uplift * rivers;
  if (args.beds) {
    const { ease: easeGiven, easeNow: ease, bank: bankGiven, bankNow: bank } = level;
    feelBeds(kernels, arena, args.beds, level, level.beds, { height: at.height, easeGiven, ease, bankGiven, bank }, BEDDED, band);
  }
  kernels.pullRows(
    a + at.receiver,
    a + at.area,
    a + level.easeNow,
    a + at.pull,
    stride,
    from,
    to,
    dx,
    dy,
    dx * dy,
    args.head,
    args.reach * rivers,
    args.exponent,
  );
  if (args.deposit > 0) {
    weighRows(arena, at.weight, level, level.point, from, to);
    floats(arena, a + at.laid, bytesOf(level) / 4).fill(0, (from + 1) * stride, (to + 1) * stride);
  }
  yield;
  if (breaches && args.breach > 0) {
    yield* downstream(arena, at, level, band, (first, end) =>
      kernels.breach(a + at.order, a + at.receiver, a + at.height, a + at.filled, a + level.ease, first, end, args.breach),
    );
  }
  for (let part = 0; part < SLOPE_PARTS; part++) yield* hillslopes(kernels, arena, args, level, at, band, creep / SLOPE_PARTS, part % 2 === 1);
  const solve = (before: number, laid: number) =>
    upstream(arena, at, level, band, (first, last) =>
      kernels.wearDown(a + at.order, a + at.receiver, a + before, a + at.height, a + at.pull, laid, first, last, rise),
    );
  if (args.deposit === 0) {
    yield* solve(at.height, 0);
    return;
  }
  const size = bytesOf(level) / 4;
  floats(arena, a + at.before, size).set(floats(arena, a + at.height, size).subarray((from + 1) * stride, (to + 1) * stride), (from + 1) * stride);
  yield;
  // What settles depends on what is worn away above: twice over is enough at these steps.
  for (let pass = 0; pass < 2; pass++) {
    yield* solve(at.before, a + at.laid);
    floats(arena, a + at.carried, size).fill(0, (from + 1) * stride, (to + 1) * stride);
    yield;
    yield* downstream(arena, at, level, band, (first, end) =>
      kernels.settleBelow(
        a + at.order,
        a + at.receiver,
        a + at.before,
        a + at.height,
        a + at.carried,
        a + at.area,
        a + at.weight,
        a + at.laid,
        a + level.easeNow,
        first,
        end,
        rise,
        args.deposit,
      ),
    );
  }
}

/** Where slopes pass their soil. */
const slopesAt = ({ height, filled, south, state, scratch }: Work) => ({ values: height, east: filled, south, state, scratch });

/** Soil creeps and what is too steep slides, for a share of the time (Roering, Kirchner & Dietrich 1999), along x and then along y, each implicit. */
function* hillslopes(
  kernels: KernelExports,
  arena: Arena,
  args: FluvialArgs,
  level: Level,
  at: Work,
  band: Band,
  share: number,
  columnsFirst: boolean,
): Generator<void, void, void> {
  const { spacingX: dx, spacingY: dy } = level;
  // creep is 2·κ·t.
  const moved = (args.creep / 2) * share;
  const { from, to } = rowsOf(level.down, band);
  kernels.hillslopeFaces(
    arena.start + at.height,
    arena.start + level.easeNow,
    arena.start + level.bankNow,
    arena.start + at.state,
    arena.start + at.filled,
    arena.start + at.south,
    level.stride,
    level.down,
    from,
    to,
    dx,
    dy,
    moved / (dx * dx),
    moved / (dy * dy),
  );
  yield;
  yield* passImplicit(kernels, arena, level, slopesAt(at), band, { columnsFirst });
}

/** What still holds water is filled with fans, which are smoothed for themselves: they have no edges along the water's way. */
export function* fans(kernels: KernelExports, arena: Arena, args: FluvialArgs, level: Level, at: Work, band: Band): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down, spacingX: dx, spacingY: dy } = level;
  const { from, to } = rowsOf(down, band);
  const size = bytesOf(level) / 4;
  const laid = floats(arena, a + at.pull, size);
  laid.fill(0, from === 0 ? 0 : (from + 1) * stride, to === down ? size : (to + 1) * stride);
  yield;
  yield* upstream(arena, at, level, band, (first, last) =>
    kernels.fanUp(a + at.order, a + at.receiver, a + at.height, a + at.area, a + level.ease, a + at.pull, stride, first, last, dx, dy, dx * dy, args.silt),
  );
  kernels.fanFaces(a + at.pull, a + at.filled, a + at.south, stride, (from + 1) * stride, (to + 1) * stride);
  yield;
  for (let pass = 0; pass < FAN_SMOOTH; pass++) {
    yield* passImplicit(kernels, arena, level, slopesAt(at), band, { columnsFirst: pass % 2 === 1 });
  }
  // Smoothed, a fan may dam its own water by a hair.
  yield* upstream(arena, at, level, band, (first, last) =>
    kernels.fanUp(
      a + at.order,
      a + at.receiver,
      a + at.height,
      a + at.area,
      a + level.ease,
      a + at.pull,
      stride,
      first,
      last,
      dx,
      dy,
      dx * dy,
      LEAST_GRADE * args.silt,
    ),
  );
}

/** The sea's floor, which stood at the sea's level while the rivers ran. */
export function restoreSea(arena: Arena, args: FluvialArgs, level: Level, at: Work, band: Band): void {
  const { from, to } = rowsOf(level.down, band);
  const size = bytesOf(level) / 4;
  const height = floats(arena, arena.start + at.height, size);
  const bed = floats(arena, arena.start + level.bed, size);
  for (let p = (from + 1) * level.stride; p < (to + 1) * level.stride; p++) if (bed[p] < args.sea) height[p] = bed[p];
}
