import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band, type Program, type InterimState } from '../program';
import { lowestSample } from './drainage';
import { clearStatus, endsHere, reachedBy, seenLevel, STATUS_BYTES, statusWords, tell, type Place } from './early';
import { claimRouting, downstream, FLOW_BORDER, route, stateRows, upstream, weighRows } from './flow';
import { bytesOf, claims, coarsen, halvings, lay, lift, refine, smooth, type Halving } from './levels';

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
  /** What still holds water in the end is filled with silt, rising by this (rise over run) from its way out; −1: it stays. */
  silt: number;
  /** Water leaves over the edge. */
  open: boolean;
  /** Water leaves where the ground lies below this; −Infinity: there is no sea. */
  sea: number;
  seed: number;
  /** Steps of time. */
  steps: number;
  /** End here: a size of grid counted from the coarsest, and how many routings of it are done. */
  until?: Place;
  /** Begin and end on the ground's own grid, with so many routings: for benches and checks. */
  alone?: number;
}

export interface FluvialInputs {
  bed: Float32Array;
  /** How easily each sample gives way, 0 to 1; left out: everywhere. */
  ease?: Float32Array;
  /** No slope stays steeper than this, rise over run: everywhere alike, or sample by sample. */
  bank: number | Float32Array;
}

export interface FluvialResult {
  /** Metres, sample by sample; to be added to the bed once. */
  change: Float32Array<ArrayBuffer>;
  /** The catchment of every sample, m². */
  flow: Float32Array<ArrayBuffer>;
  /** Where the work ended before its end. */
  reached?: Place;
}

interface Level extends Halving {
  bed: number;
  ease: number;
  bank: number;
}

const COARSEST = 33;
const STRAY = 2;
/** While the way is still being found, fewer steps of time do. */
const FINDING_STEPS = 3;
/** How often banks that stand too steep fall in. */
const FALLS = 2;
/** How often what a grid hands down is smoothed. */
const HANDED_SMOOTH = 2;
/** So much of what a coarser grid found counts when the finer one first looks: detail of its own has a say. */
const HANDED_SHARE = 0.6;

/** The water's way is looked for so often on a grid: more often where that is cheap, since a small grid decides where the large valleys lie. */
const routingsOf = ({ across, down }: Halving): number => {
  const side = Math.max(across, down);
  return side <= 260 ? 8 : side <= 520 ? 6 : side <= 1030 ? 4 : 3;
};

/**
 * Stream power from coarse grids to fine ones. On each grid the water's way is found on the
 * ground as it will be; then the whole time is worked through from the ground as it was, with
 * that way held (Braun & Willett 2013), and again with the way that follows from it. A coarser
 * grid so hands down where its valleys lie, and nothing is worn twice.
 */
export const fluvialProgram: Program<FluvialArgs, FluvialInputs, FluvialResult> = {
  id: 'fluvial',
  bytes: (args) => plan(args).bytes,

  load(arena, args, { bed, ease, bank }) {
    const { levels, status } = plan(args);
    const [finest] = levels;
    for (const level of levels) {
      for (const at of [level.bed, level.ease, level.bank]) floats(arena, arena.start + at, bytesOf(level) / 4).fill(0);
    }
    lay(arena, finest.bed, finest, bed);
    if (ease) lay(arena, finest.ease, finest, ease);
    else floats(arena, arena.start + finest.ease, bytesOf(finest) / 4).fill(1);
    if (typeof bank === 'number') floats(arena, arena.start + finest.bank, bytesOf(finest) / 4).fill(bank);
    else lay(arena, finest.bank, finest, bank);
    clearStatus(statusWords(arena, status));
  },

  *run(kernels, arena, args, band) {
    const { levels, routing, status } = plan(args);
    const word = statusWords(arena, status);
    for (let l = 1; l < levels.length; l++) {
      const [fine, coarse] = [levels[l - 1], levels[l]];
      coarsen(arena, { grid: fine, at: fine.bed }, { grid: coarse, at: coarse.bed }, args.point, band);
      coarsen(arena, { grid: fine, at: fine.ease }, { grid: coarse, at: coarse.ease }, args.point, band);
      coarsen(arena, { grid: fine, at: fine.bank }, { grid: coarse, at: coarse.bank }, args.point, band);
      yield;
    }
    const rounds = levels.map((level) => args.alone ?? routingsOf(level));
    const work = levels.reduce((sum, level, l) => sum + level.across * level.down * rounds[l], 0);
    let done = 0;
    let ended = false;
    for (let l = levels.length - 1; l >= 0; l--) {
      const level = levels[l];
      const depth = levels.length - 1 - l;
      yield* begin(arena, args, levels, l, routing, band);
      tell(word, band, l, 0);
      for (let round = 0; round < rounds[l] && !ended; round++) {
        if (yield* endsHere(word, band, args.until, { level: depth, round })) {
          ended = true;
          break;
        }
        yield* findWay(kernels, arena, args, level, routing, band, levels.length === 1 ? round : 0);
        const steps = round < rounds[l] - 1 ? Math.min(args.steps, FINDING_STEPS) : args.steps;
        yield* wear(kernels, arena, { ...args, steps }, level, routing, band);
        done += level.across * level.down;
        band.progress(done / work);
        tell(word, band, l, round + 1);
      }
    }
    // Ended early, the ground's own grid has not seen any water yet.
    if (ended) yield* findWay(kernels, arena, args, levels[0], routing, band, 0);
    if (args.sea > -Infinity) restoreSea(arena, args, levels[0], routing, band);
    yield;
  },

  take(arena, args) {
    const { levels, routing, status } = plan(args);
    const [finest] = levels;
    const change = lift(arena, routing.height, finest);
    const bed = lift(arena, finest.bed, finest);
    for (let i = 0; i < change.length; i++) change[i] -= bed[i];
    const flow = lift(arena, routing.area, finest);
    const cell = args.spacingX * args.spacingY;
    for (let i = 0; i < flow.length; i++) flow[i] *= cell;
    return { change, flow, reached: reachedBy(statusWords(arena, status)) };
  },

  peek(arena, args): InterimState | undefined {
    const { levels, routing, status } = plan(args);
    const level = seenLevel(statusWords(arena, status), levels);
    if (!level) return undefined;
    const change = lift(arena, routing.height, level);
    const bed = lift(arena, level.bed, level);
    for (let i = 0; i < change.length; i++) change[i] = bed[i] < args.sea ? 0 : change[i] - bed[i];
    return { across: level.across, down: level.down, change };
  },
};

function plan(args: FluvialArgs) {
  const room = claims();
  const status = room.claim(STATUS_BYTES);
  const all = halvings(args.across, args.down, args.point, COARSEST, FLOW_BORDER);
  const levels: Level[] = (args.alone ? all.slice(0, 1) : all).map((grid) => ({
    ...grid,
    bed: room.claim(bytesOf(grid)),
    ease: room.claim(bytesOf(grid)),
    bank: room.claim(bytesOf(grid)),
  }));
  const size = bytesOf(levels[0]);
  const routing = claimRouting((bytes) => room.claim(bytes), levels[0]);
  // The heap of the flood lies over the area and what follows it: by then the pull is not needed.
  const pull = routing.second;
  const before = args.deposit > 0 ? room.claim(size) : 0;
  const carried = args.deposit > 0 ? room.claim(size) : 0;
  const laid = args.deposit > 0 ? room.claim(size) : 0;
  const weight = args.deposit > 0 ? room.claim(size) : 0;
  const scratch = room.claim(SCRATCH_BANDS * 32 * (Math.max(levels[0].down, levels[0].stride) + 8));
  return { levels, routing: { ...routing, pull, before, carried, laid, weight, scratch }, status, bytes: room.bytes };
}

/** More bands than this share the scratch of the last; nobody has so many. */
const SCRATCH_BANDS = 64;

type Work = ReturnType<typeof plan>['routing'];

/** A grid's ground to begin with: as it was, or with what the coarser grid made of it. */
function* begin(arena: Arena, args: FluvialArgs, levels: Level[], l: number, at: Work, band: Band): Generator<void, void, void> {
  const level = levels[l];
  const coarser = levels[l + 1];
  const { from, to } = rowsOf(level.down, band);
  if (coarser) {
    // What the coarser grid changed goes where the flood will be: the height is needed for the finer one.
    const rows = rowsOf(coarser.down, band);
    const size = bytesOf(coarser) / 4;
    const height = floats(arena, arena.start + at.height, size);
    const change = floats(arena, arena.start + at.filled, size);
    const bed = floats(arena, arena.start + coarser.bed, size);
    const first = rows.from * coarser.stride;
    const end = rows.to === coarser.down ? size : rows.to * coarser.stride;
    if (rows.to > rows.from) for (let i = first; i < end; i++) change[i] = bed[i] < args.sea ? 0 : HANDED_SHARE * (height[i] - bed[i]);
    yield;
    // A coarse grid's finest valleys lie along its rows and columns. Only those that it resolves are handed down.
    for (let i = 0; i < HANDED_SMOOTH; i++) yield* smooth(arena, coarser, at.filled, at.order, at.filled, band);
    refine(arena, { grid: coarser, at: at.filled }, { grid: level, at: at.height }, args.point, band, level.bed);
  } else {
    const size = bytesOf(level) / 4;
    const height = floats(arena, arena.start + at.height, size);
    const bed = floats(arena, arena.start + level.bed, size);
    for (let row = from; row < to; row++) {
      const first = (row + 1) * level.stride;
      height.set(bed.subarray(first, first + level.stride), first);
    }
  }
  yield;
  // Bases stand still: at the edge as they were, in the sea at its level while rivers run to it. Nothing creeps over them.
  const size = bytesOf(level) / 4;
  const height = floats(arena, arena.start + at.height, size);
  const bed = floats(arena, arena.start + level.bed, size);
  const ease = floats(arena, arena.start + level.ease, size);
  const lowest = args.open ? -1 : lowestSample(bed, level);
  for (let row = from; row < to; row++) {
    for (let column = 0, p = (row + 1) * level.stride + 1; column < level.across; column++, p++) {
      if (!isBase(args, level, bed, lowest, p, row, column)) continue;
      height[p] = bed[p] < args.sea ? args.sea : bed[p];
      ease[p] = 0;
    }
  }
  yield;
}

function isBase(args: FluvialArgs, { across, down }: Level, bed: Float32Array, lowest: number, p: number, row: number, column: number): boolean {
  if (bed[p] < args.sea || p === lowest) return true;
  return args.open && (row === 0 || row === down - 1 || column === 0 || column === across - 1);
}

function* findWay(kernels: KernelExports, arena: Arena, args: FluvialArgs, level: Level, at: Work, band: Band, salt: number): Generator<void, void, void> {
  const { from, to } = rowsOf(level.down, band);
  const bed = floats(arena, arena.start + level.bed, bytesOf(level) / 4);
  const lowest = args.open ? -1 : lowestSample(bed, level);
  stateRows(arena, at, level, from, to, (p, row, column) => isBase(args, level, bed, lowest, p, row, column));
  yield;
  const a = arena.start;
  const [dx, dy] = [args.spacingX * level.factor, args.spacingY * level.factor];
  yield* route(kernels, arena, at, level, band, {
    wander: true,
    receive: (first, end) => kernels.receiveByFacet(a + at.filled, a + at.receiver, level.stride, first, end, dx, dy, (args.seed + 7919 * salt) >>> 0, STRAY),
    weigh: (first, end) => weighRows(arena, at.area, level, args.point, first, end),
  });
}

/** The whole time, with the water's way held. */
function* wear(kernels: KernelExports, arena: Arena, args: FluvialArgs, level: Level, at: Work, band: Band): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down, across } = level;
  const samples = across * down;
  const [dx, dy] = [args.spacingX * level.factor, args.spacingY * level.factor];
  const { from, to } = rowsOf(down, band);
  const columns = {
    from: Math.ceil(across / 4 / band.count) * 4 * band.index,
    to: Math.min(across, Math.ceil(across / 4 / band.count) * 4 * (band.index + 1)),
  };
  const c = a + at.scratch + Math.min(band.index, SCRATCH_BANDS - 1) * 32 * (Math.max(down, stride) + 8);
  const d = c + 16 * (Math.max(down, stride) + 8);
  const half = args.point ? 1 : 0;
  const rise = args.uplift / args.steps;
  kernels.pullRows(
    a + at.receiver,
    a + at.area,
    a + level.ease,
    a + at.pull,
    stride,
    from,
    to,
    dx,
    dy,
    dx * dy,
    args.head,
    args.reach / args.steps,
    args.exponent,
  );
  if (args.deposit > 0) {
    weighRows(arena, at.weight, level, args.point, from, to);
    floats(arena, a + at.laid, bytesOf(level) / 4).fill(0, (from + 1) * stride, (to + 1) * stride);
  }
  yield;
  const solve = (before: number, laid: number) =>
    upstream(band, samples, (first, last) =>
      kernels.wearDown(
        a + at.order,
        a + at.receiver,
        a + before,
        a + at.height,
        a + at.pull,
        a + level.ease,
        a + level.bank,
        laid,
        stride,
        first,
        last,
        rise,
        dx,
        dy,
      ),
    );
  for (let step = 0; step < args.steps; step++) {
    const before = step === 0 ? level.bed : at.height;
    if (args.deposit === 0) yield* solve(before, 0);
    else {
      const size = bytesOf(level) / 4;
      floats(arena, a + at.before, size).set(floats(arena, a + before, size).subarray((from + 1) * stride, (to + 1) * stride), (from + 1) * stride);
      yield;
      // What settles depends on what is worn away above: twice over is enough at these steps.
      for (let pass = 0; pass < 2; pass++) {
        yield* solve(at.before, a + at.laid);
        floats(arena, a + at.carried, size).fill(0, (from + 1) * stride, (to + 1) * stride);
        yield;
        yield* downstream(band, samples, (first, end) =>
          kernels.settleBelow(
            a + at.order,
            a + at.receiver,
            a + at.before,
            a + at.height,
            a + at.carried,
            a + at.area,
            a + at.weight,
            a + at.laid,
            a + level.ease,
            first,
            end,
            rise,
            args.deposit,
          ),
        );
      }
    }
    // The last word is the water's: slopes creep between its steps.
    if (args.creep > 0 && (step < args.steps - 1 || args.reach === 0)) {
      const share = args.creep / 2 / (args.reach === 0 ? args.steps : args.steps - 1);
      kernels.creepRows(a + at.height, a + level.ease, c, d, stride, from, to, share / (dx * dx), half);
      yield;
      kernels.creepColumns(a + at.height, a + level.ease, c, d, stride, down, columns.from, columns.to, share / (dy * dy), half);
      yield;
    }
  }
  // What falls in on one side of a ridge is news to the other.
  for (let pass = 0; pass < FALLS; pass++) {
    yield* upstream(band, samples, (first, last) =>
      kernels.fallIn(a + at.order, a + at.receiver, a + at.height, a + level.ease, a + level.bank, stride, first, last, dx, dy),
    );
  }
  if (args.silt >= 0) {
    yield* upstream(band, samples, (first, last) =>
      kernels.siltUp(a + at.order, a + at.receiver, a + at.height, a + level.ease, stride, first, last, dx, dy, args.silt),
    );
  }
}

/** The sea's floor, which stood at the sea's level while the rivers ran. */
function restoreSea(arena: Arena, args: FluvialArgs, level: Level, at: Work, band: Band): void {
  const { from, to } = rowsOf(level.down, band);
  const size = bytesOf(level) / 4;
  const height = floats(arena, arena.start + at.height, size);
  const bed = floats(arena, arena.start + level.bed, size);
  for (let p = (from + 1) * level.stride; p < (to + 1) * level.stride; p++) if (bed[p] < args.sea) height[p] = bed[p];
}
