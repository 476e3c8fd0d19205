import type { KernelExports } from '../generated/exports';
import { floats, overBands, rowsOf, type Arena, type Band, type Program, type InterimState } from '../program';
import { claimBeds, feelBeds, layBeds, layTable, passBeds, type BedsArgs, type BedsAt, type BedsInputs } from './beds';
import { clearStatus, endsHere, reachedBy, seenLevel, STATUS_BYTES, statusWords, tell, type Place } from './early';
import { claimRouting, downstream, FLOW_BORDER, route, stateRows, upstream, wallBorder, weighRows } from './flow';
import { passImplicit, scratchBytes } from './implicit';
import { addInflows, claimInflows, layInflows, placeInflows, type Inflows } from './inflows';
import {
  claimPass,
  isSharedWith,
  ladderBelow,
  ladderOf,
  pass,
  passShares,
  placeInWhole,
  rungOf,
  sharesOf,
  toCoarser,
  toFiner,
  type BegunArgs,
  type OwnGrid,
  type Rung,
} from './ladder';
import { bytesOf, claims, lay, lift, smooth } from './levels';
import { basesOf, leavesOver, markOutlets } from './outlets';

export interface FluvialArgs {
  across: number;
  down: number;
  /** Point registration: the samples on the rim stand for half a cell. */
  point: boolean;
  spacingX: number;
  spacingY: number;
  /** K·t: metres a wave of wear travels upstream in the whole time where the catchment is 1 m². */
  reach: number;
  /** The exponent of the catchment's area. */
  exponent: number;
  /** The catchment at which streams begin, m². */
  head: number;
  /** 2·D·t of the slopes' creep, m²; 0: none. */
  creep: number;
  /** Metres that the ground rises in the whole time; the bases do not. */
  uplift: number;
  /** How much of what is worn away settles again on the way; 0: nothing. */
  deposit: number;
  /** The ways out of hollows are cut first, by so many metres at most. */
  breach: number;
  /** What still holds water in the end is filled with a fan, rising by this (rise over run) from its way out; −1: it stays. */
  silt: number;
  /** Water leaves over the edge. */
  open: boolean;
  /** Water leaves where the ground lies below this; −Infinity: there is no sea. */
  sea: number;
  seed: number;
  /** Whether `ease` comes with the bed. */
  masked?: boolean;
  /** Bedded rock: hard beds wear slowly and stand steep. */
  beds?: BedsArgs;
  /** The terrain's own samples, where these are others: the grids that both have in common are made from them. */
  seen?: OwnGrid;
  /** Coarser grids were worked on over a larger ground: this goes on from there over a window of it. */
  begun?: BegunArgs & { inflows: number };
  /** So many finer grids are left to windows, and their share of the time. */
  finerGrids?: number;
  /** Steps of time, where the work is on the ground's own grid alone. */
  steps: number;
  /** End here: a size of grid counted from the coarsest, and how many routings of it are done. */
  until?: Place;
  /** On the ground's own grid alone: so many times the whole from the beginning, each with the way that follows from the last. For benches and checks. */
  alone?: number;
  /** The water's way is found once a grid and held: the laws of long profiles are checked so. */
  held?: boolean;
}

interface FluvialGround {
  bed: Float32Array;
  /** How easily each sample gives way, 0 to 1; left out: everywhere. */
  ease?: Float32Array;
  /** The critical slope of the hillslopes, rise over run: everywhere alike, or sample by sample. */
  bank: number | Float32Array;
  beds?: BedsInputs;
}

export interface FluvialInputs extends FluvialGround {
  /** The same at the terrain's own samples. */
  seen?: FluvialGround;
  /** At the samples of the grid that it goes on from: the ground before and what was made of it, metres; and the water that comes into the window. */
  begun?: { before: Float32Array; change: Float32Array; inflows: Inflows };
}

export interface FluvialResult {
  /** Metres, sample by sample; to be added to the bed once. */
  change: Float32Array<ArrayBuffer>;
  /** The catchment of every sample, m². */
  flow: Float32Array<ArrayBuffer>;
  /** Where the work ended before its end. */
  reached?: Place;
}

interface Level extends Rung {
  bed: number;
  /** How easily the ground gives way and how steep it stands as it was given, and as its beds have it now; the same where there are none. */
  ease: number;
  easeNow: number;
  bank: number;
  bankNow: number;
  beds: BedsAt;
}

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

/**
 * Time goes on while the grids grow finer: on each, from 32 cells a side on, this share of it passes, in so many steps. The
 * ground's own grid has what is left. Rivers and uplift have had nearly all of it by the grid of 512 cells: what a slope without a stream
 * wears by hangs on how wide its samples are, so that finer grids would leave higher ground; beyond it they add detail only. What they
 * add creeps on for longer.
 */
const RIVER_SHARES = [0.12, 0.16, 0.22, 0.2, 0.25, 0.035, 0.01, 0.003];
const CREEP_SHARES = [0.12, 0.16, 0.22, 0.2, 0.13, 0.08, 0.05, 0.03];
const STEPS = [14, 16, 14, 11, 8, 4, 3, 3];

const HELD_STEPS = 8;
/** Slopes settle so many times in a step, rows first and then columns first: what is too steep slides by a bounded part of its excess each time, and no way of the grid comes last. */
const SLOPE_PARTS = 2;

interface Stint {
  /** Shares of the whole time in which rivers wear and the ground rises, and in which slopes creep. */
  rivers: number;
  creep: number;
  steps: number;
}

/** How long each grid works, the finest first. */
function stintsOf(args: FluvialArgs, levels: number): Stint[] {
  if (args.alone) return [{ rivers: 1, creep: 1, steps: args.steps }];
  const count = levels + (args.begun ? args.begun.grids - 1 : 0) + (args.finerGrids ?? 0);
  const [rivers, creep] = [sharesOf(RIVER_SHARES, count), sharesOf(CREEP_SHARES, count)];
  const steps = (k: number) => (args.held ? HELD_STEPS : STEPS[Math.min(k, STEPS.length - 1)]);
  const all = rivers.map((share, k): Stint => ({ rivers: share, creep: creep[k], steps: steps(k) }));
  return (args.finerGrids ? all.slice(0, levels) : all).reverse();
}

/**
 * Stream power and hillslopes from coarse grids to fine ones. Time goes on from grid to grid: the
 * large valleys are worn on coarse grids, and each finer one adds its own detail to the ground that
 * the coarser left and wears it on. At every step the water's way is drawn anew
 * on the ground as it is, hollows are breached, soil creeps and slides, and the
 * rivers wear (Braun & Willett 2013, implicit) and have the last word.
 */
export const fluvialProgram: Program<FluvialArgs, FluvialInputs, FluvialResult> = {
  id: 'fluvial',
  bytes: (args) => plan(args).bytes,

  load(arena, args, inputs) {
    const { levels, seen, status, work } = plan(args);
    for (const level of levels) {
      for (const at of [level.bed, level.ease, level.bank]) floats(arena, arena.start + at, bytesOf(level) / 4).fill(0);
    }
    const layGround = (level: Level, { bed, ease, bank, beds }: FluvialGround) => {
      lay(arena, level.bed, level, bed);
      if (beds) layBeds(arena, level, level.beds, beds);
      if (ease) lay(arena, level.ease, level, ease);
      else floats(arena, arena.start + level.ease, bytesOf(level) / 4).fill(1);
      if (typeof bank === 'number') floats(arena, arena.start + level.bank, bytesOf(level) / 4).fill(bank);
      else lay(arena, level.bank, level, bank);
    };
    layGround(levels[0], inputs);
    if (seen && inputs.seen) layGround(seen, inputs.seen);
    if (args.beds && inputs.beds) for (const level of levels) layTable(arena, level, level.beds, args.beds, inputs.beds.table);
    if (inputs.begun) {
      const { before, change, inflows } = inputs.begun;
      const coarsest = levels[levels.length - 1];
      lay(arena, coarsest.bed, coarsest, before);
      lay(
        arena,
        work.height,
        coarsest,
        before.map((h, i) => h + change[i]),
      );
      layInflows(arena, work.inflows, inflows);
    }
    clearStatus(statusWords(arena, status));
  },

  *run(kernels, arena, args, band) {
    const { levels, seen, work: at, status, stints } = plan(args);
    const word = statusWords(arena, status);
    // Each straight from the finest samples there are of it, so that another count of samples gives the same.
    for (const coarse of levels.slice(1, args.begun ? -1 : undefined)) {
      const own = seen && isSharedWith(coarse, seen) ? seen : levels[0];
      const passage = toCoarser(own, coarse);
      yield* pass(kernels, arena, passage, own.bed, at.passing, coarse.bed, band);
      yield* pass(kernels, arena, passage, own.bank, at.passing, coarse.bank, band);
      if (args.beds) yield* passBeds(kernels, arena, passage, own.beds, at.passing, coarse.beds, band);
      if (args.masked) yield* passShares(kernels, arena, passage, own.ease, at.passing, coarse.ease, band);
      else {
        const { from, to } = rowsOf(coarse.down, band);
        floats(arena, arena.start + coarse.ease, bytesOf(coarse) / 4).fill(1, (from + 1) * coarse.stride, (to + 1) * coarse.stride);
        yield;
      }
    }
    const rounds = args.alone ?? 1;
    const all = levels.reduce((sum, level, l) => sum + level.across * level.down * rounds * stints[l].steps, 0);
    let done = 0;
    let ended = false;
    // Whether the receivers are those of the grid that was worked on last.
    let routed = false;
    const grids = args.begun?.grids ?? 0;
    const first = levels.length - 1 - (args.begun ? 1 : 0);
    if (args.begun) {
      if (band.index === 0) markOutlets(arena, args, levels[first + 1], at);
      // Read from heights that every band is about to change.
      yield;
    }
    for (let l = first; l >= 0; l--) {
      const level = levels[l];
      const depth = grids + first - l;
      const { rivers, creep, steps } = stints[l];
      yield* begin(kernels, arena, args, levels, l, at, band, routed);
      routed = false;
      tell(word, band, l, 0);
      for (let round = 0; round < rounds && !ended; round++) {
        for (let step = 0; step < steps && !ended; step++) {
          if (yield* endsHere(word, band, args.until, { level: depth, round: step })) {
            ended = true;
            break;
          }
          const draws = args.alone ? step === 0 : !args.held || step === 0;
          const [salt, again] = [args.alone ? round : 64 * depth + step, round + step > 0];
          yield* overBands(level, band, function* (shared) {
            if (draws) yield* findWay(kernels, arena, args, level, at, shared, salt, again);
            if (args.alone && step === 0) yield* restart(arena, level, at, shared);
            yield* wear(kernels, arena, args, level, at, shared, { rivers: rivers / steps, creep: creep / steps }, draws && !args.alone && !args.held);
          });
          routed = true;
          done += level.across * level.down;
          band.progress(done / all);
          tell(word, band, l, step + 1);
        }
      }
    }
    const [finest] = levels;
    // Ended early, the ground's own grid has not seen any water yet.
    if (ended) yield* findWay(kernels, arena, args, finest, at, band, 0);
    if (args.silt >= 0) yield* fans(kernels, arena, args, finest, at, band);
    if (args.sea > -Infinity) restoreSea(arena, args, finest, at, band);
    yield;
  },

  take(arena, args) {
    const { levels, work, status } = plan(args);
    const [finest] = levels;
    const change = lift(arena, work.height, finest);
    const bed = lift(arena, finest.bed, finest);
    for (let i = 0; i < change.length; i++) change[i] -= bed[i];
    const flow = lift(arena, work.area, finest);
    const cell = args.spacingX * args.spacingY;
    for (let i = 0; i < flow.length; i++) flow[i] *= cell;
    return { change, flow, reached: reachedBy(statusWords(arena, status)) };
  },

  peek(arena, args): InterimState | undefined {
    const { levels, work, status } = plan(args);
    const level = seenLevel(statusWords(arena, status), levels);
    if (!level) return undefined;
    const change = lift(arena, work.height, level);
    const bed = lift(arena, level.bed, level);
    for (let i = 0; i < change.length; i++) change[i] = bed[i] < args.sea ? 0 : change[i] - bed[i];
    return { across: level.across, down: level.down, change };
  },
};

function plan(args: FluvialArgs) {
  const room = claims();
  const status = room.claim(STATUS_BYTES);
  const ladder = args.begun ? ladderBelow(args, args.begun, FLOW_BORDER) : ladderOf(args, FLOW_BORDER);
  // At fewer samples than the terrain's own the finest grid is one of its ladder: it has that one's time first.
  const all = args.seen && ladder.length > 1 && isSharedWith(ladder[0], args.seen) ? [ladder[0], ...ladder] : ladder;
  const claim = (bytes: number) => room.claim(bytes);
  const claimed = (grid: Rung): Level => {
    const [bed, ease, bank] = [bytesOf(grid), bytesOf(grid), bytesOf(grid)].map(claim);
    const now = args.beds ? { easeNow: claim(bytesOf(grid)), bankNow: claim(bytesOf(grid)) } : { easeNow: ease, bankNow: bank };
    return { ...grid, bed, ease, bank, ...now, beds: claimBeds(claim, grid, args.beds) };
  };
  const levels = (args.alone ? all.slice(0, 1) : all).map(claimed);
  const seen = args.seen && claimed(rungOf(args.seen, FLOW_BORDER));
  const size = Math.max(...levels.map((level) => bytesOf(level)));
  const largest = levels[0];
  const routing = claimRouting(claim, largest);
  // The heap of the flood lies over the area and what follows it: by then the pull is not needed.
  const pull = routing.second;
  const south = claim(size);
  const passing = claimPass(claim, levels, seen);
  const before = args.deposit > 0 ? room.claim(size) : 0;
  const carried = args.deposit > 0 ? room.claim(size) : 0;
  const laid = args.deposit > 0 ? room.claim(size) : 0;
  const weight = args.deposit > 0 ? room.claim(size) : 0;
  const scratch = claim(scratchBytes(largest));
  const outlets = room.claim(2 * (largest.across + largest.down));
  const inflows = args.begun ? claimInflows(claim, args.begun.inflows) : 0;
  return {
    levels,
    seen,
    stints: stintsOf(args, levels.length),
    work: { ...routing, pull, south, passing, before, carried, laid, weight, scratch, outlets, inflows },
    status,
    bytes: room.bytes,
  };
}

type Work = ReturnType<typeof plan>['work'];

/** A grid's ground to begin with: as it was, or what the coarser grid made of it with the finer one's own detail. */
function* begin(
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
function* findWay(
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
function* restart(arena: Arena, level: Level, at: Work, band: Band): Generator<void, void, void> {
  const { from, to } = rowsOf(level.down, band);
  const [height, bed] = [at.height, level.bed].map((o) => floats(arena, arena.start + o, bytesOf(level) / 4));
  height.set(bed.subarray((from + 1) * level.stride, (to + 1) * level.stride), (from + 1) * level.stride);
  yield;
}

/** A share of the time passes on one grid: hollows are breached, slopes creep and slide, rivers wear. */
function* wear(
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
function* fans(kernels: KernelExports, arena: Arena, args: FluvialArgs, level: Level, at: Work, band: Band): Generator<void, void, void> {
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
function restoreSea(arena: Arena, args: FluvialArgs, level: Level, at: Work, band: Band): void {
  const { from, to } = rowsOf(level.down, band);
  const size = bytesOf(level) / 4;
  const height = floats(arena, arena.start + at.height, size);
  const bed = floats(arena, arena.start + level.bed, size);
  for (let p = (from + 1) * level.stride; p < (to + 1) * level.stride; p++) if (bed[p] < args.sea) height[p] = bed[p];
}
