import type { KernelExports } from '../generated/exports';
import { floats, overBands, rowsOf, type Arena, type Band, type Program, type InterimState } from '../program';
import { claimBeds, feelBeds, layBeds, layTable, passBeds, type BedsArgs, type BedsAt, type BedsInputs } from './beds';
import { clearStatus, endsHere, reachedBy, seenLevel, STATUS_BYTES, statusWords, tell, type Place } from './early';
import {
  claimPass,
  isSharedWith,
  keepVolume,
  ladderBelow,
  ladderOf,
  pass,
  passShares,
  rungOf,
  toCoarser,
  toFiner,
  volumeOf,
  type BegunArgs,
  type OwnGrid,
  type Rung,
} from './ladder';
import { bytesOf, claims, lay, lift } from './levels';
import { writeWeights } from './talus';

export interface RunoffArgs {
  across: number;
  down: number;
  /** Point registration: the samples on the rim stand for half a cell. */
  point: boolean;
  spacingX: number;
  spacingY: number;
  /** Steps of time on each size of grid. */
  steps: number;
  /** Begin with the grid whose spacing comes nearest to this, metres. */
  coarsest: number;
  /** Metres of rain an hour. */
  rain: number;
  /** Share of the water that is gone in a second. */
  evaporation: number;
  /** Metres of material that the water holds at a speed of 1 m/s down a vertical fall. */
  carry: number;
  /** Share of what is missing, or too much, that is taken or laid down in a second. */
  wear: number;
  settle: number;
  /** Banks steeper than this slip, rise over run. */
  bank: number;
  /** Water and what it carries leave over the edge. */
  open: boolean;
  /** Bedded rock: hard beds give way slowly. */
  beds?: BedsArgs;
  /** The terrain's own samples, where these are others: the grids that both have in common are made from them. */
  seen?: OwnGrid;
  /** Coarser grids were worked on over a larger ground: this goes on from there over a window of it. */
  begun?: BegunArgs;
  until?: Place;
  /** Only the ground's own grid. */
  alone?: boolean;
  /** Lay down in the end what the water still carries; usual. */
  keepAfloat?: boolean;
}

interface RunoffGround {
  bed: Float32Array;
  /** How easily each sample gives way, 0 to 1; left out: everywhere. */
  ease?: Float32Array;
  beds?: BedsInputs;
}

export interface RunoffInputs extends RunoffGround {
  /** Water that stands on the ground to begin with, metres. */
  water?: Float32Array;
  /** The same at the terrain's own samples. */
  seen?: RunoffGround;
  /** At the samples of the grid that it goes on from: what was made of the ground, and the water that stands on it, metres. */
  begun?: { change: Float32Array; water: Float32Array };
}

export interface RunoffResult {
  /** Metres, sample by sample; to be added to the bed once. */
  change: Float32Array<ArrayBuffer>;
  /** Metres of water in the end. */
  water: Float32Array<ArrayBuffer>;
  /** Metres of material that were in the water in the end. */
  sediment: Float32Array<ArrayBuffer>;
  /** The land whose rain passes through each sample in the end, m². */
  flow: Float32Array<ArrayBuffer>;
  reached?: Place;
}

interface Level extends Rung {
  bed: number;
  /** How easily the ground gives way as it was given, and as its beds have it now; the same where there are none. */
  ease: number;
  easeNow: number;
  beds: BedsAt;
}

/** What beds do to running water. */
const BEDDED = { softEase: 1.25, hardEase: 0.1, softBank: 1, hardBank: 1 };
/** The beds are looked up once in so many steps. */
const BEDS_EVERY = 4;

const PAD = 4;
const BORDER = { left: PAD, above: 1, aligned: 4 };
const WALL = 1e30;
const GRAVITY = 9.81;
/** Water as deep as this is what the pipes are as wide as: it sets the waves' speed, and with it the step of time. */
const PIPE_DEPTH = 1;
/** Of the longest stable step, so much. */
const COURANT = 0.5;
/** The pipes' friction: the share of a flow that stays after a second. */
const FRICTION = 0.12;
/** Level ground still holds what a slope of this sine would. */
const LEAST_TILT = 0.02;
/** Water shallower than this wears less, metres. */
const SHALLOW = 0.05;
/** Banks slip once in so many steps. */
const SLIP_EVERY = 8;
const WORD_EVERY = 16;
const ROWS_AT_ONCE = 4;
/** When the rain is over: steps, and the share that settles in a second; then so many slips. */
const CALM_STEPS = 24;
const CALM_SETTLE = 0.1;
const CALM_SLIPS = 12;
/** The shares of straight and diagonal pipes that drive the water alike in all directions (the nine-point Laplacian's). */
const STRAIGHT = 2 / 3;
const ASKEW = 1 / 6;

/** Rain as shallow water in virtual pipes, from coarse grids to fine ones: each begins with the change and the water that the coarser one left. */
export const runoffProgram: Program<RunoffArgs, RunoffInputs, RunoffResult> = {
  id: 'runoff',
  bytes: (args) => plan(args).bytes,

  load(arena, args, inputs) {
    const { levels, seen, at, bytes } = plan(args);
    const { water } = inputs;
    new Uint8Array(arena.buffer, arena.start, bytes).fill(0);
    // Heights from the middle of the ground: float32 holds more of them there.
    const middle = middleOf((inputs.seen ?? inputs).bed);
    const [finest] = levels;
    for (const level of levels) floats(arena, arena.start + level.bed, bytesOf(level) / 4).fill(WALL);
    const layGround = (level: Level, ground: RunoffGround) => {
      lay(arena, level.bed, level, ground.bed.map((h) => h - middle) as Float32Array);
      if (ground.ease) lay(arena, level.ease, level, ground.ease);
      else floats(arena, arena.start + level.ease, bytesOf(level) / 4).fill(1);
      const { beds } = ground;
      if (beds) layBeds(arena, level, level.beds, { ...beds, uplift: beds.uplift.map((up) => up - middle) });
    };
    layGround(finest, inputs);
    if (seen && inputs.seen) layGround(seen, inputs.seen);
    if (args.beds && inputs.beds) for (const level of levels) layTable(arena, level, level.beds, args.beds, inputs.beds.table);
    const coarse = levels[levels.length - 1];
    if (water && levels.length === 1) lay(arena, at.water, coarse, water);
    if (inputs.begun) {
      lay(arena, at.change, coarse, inputs.begun.change);
      lay(arena, at.water, coarse, inputs.begun.water);
    }
    clearStatus(statusWords(arena, at.status));
  },

  *run(kernels, arena, args, band) {
    const { levels, seen, at } = plan(args);
    const word = statusWords(arena, at.status);
    // Each straight from the finest samples there are of it, so that another count of samples gives the same.
    for (const coarse of levels.slice(1, args.begun ? -1 : undefined)) {
      const own = seen && isSharedWith(coarse, seen) ? seen : levels[0];
      const passage = toCoarser(own, coarse);
      yield* pass(kernels, arena, passage, own.bed, at.passing, coarse.bed, band);
      if (args.beds) yield* passBeds(kernels, arena, passage, own.beds, at.passing, coarse.beds, band);
      yield* passShares(kernels, arena, passage, own.ease, at.passing, coarse.ease, band);
    }
    const work = levels.reduce((sum, level) => sum + level.across * level.down, 0) * args.steps;
    let done = 0;
    let ended = false;
    const worked = levels.length - (args.begun ? 1 : 0);
    for (let l = worked - 1; l >= 0; l--) {
      const level = levels[l];
      const depth = (args.begun?.grids ?? 0) + worked - 1 - l;
      yield* begin(kernels, arena, args, levels, l, at, band);
      tell(word, band, l, 0);
      for (let step = 0; step < args.steps && !ended; step++) {
        if (yield* endsHere(word, band, args.until, { level: depth, round: step }, WORD_EVERY)) {
          ended = true;
          break;
        }
        yield* overBands(level, band, (shared) => advance(kernels, arena, args, level, at, shared, step));
        done += level.across * level.down;
        tell(word, band, l, step + 1);
        band.progress(done / work);
      }
    }
    const [finest] = levels;
    if (!args.keepAfloat) {
      // The rain is over: what the water still carries settles on its way, the rest where it is, and what lies too steep slips.
      const calm = { ...args, carry: 0, rain: 0, settle: CALM_SETTLE };
      for (let step = 0; step < CALM_STEPS; step++) yield* advance(kernels, arena, calm, finest, at, band, step);
      const { from, to } = rowsOf(finest.down, band);
      const size = bytesOf(finest) / 4;
      const [change, sediment] = [at.change, at.sediment].map((o) => floats(arena, arena.start + o, size));
      for (let p = (from + 1) * finest.stride; p < (to + 1) * finest.stride; p++) change[p] += sediment[p];
      yield;
      if (args.bank !== Infinity) for (let pass = 0; pass < CALM_SLIPS; pass++) yield* slip(kernels, arena, args, finest, at, band);
    }
  },

  take(arena, args) {
    const { levels, at } = plan(args);
    const [finest] = levels;
    const [change, water, sediment, e, s, se, sw] = [at.change, at.water, at.sediment, at.east, at.south, at.southEast, at.southWest].map((o) =>
      lift(arena, o, finest),
    );
    const flow = throughFlow(e, s, se, sw, args);
    // By the rain that falls on a square metre in a second.
    if (args.rain > 0) for (let i = 0; i < flow.length; i++) flow[i] /= args.rain / 3600;
    return { change, water, sediment, flow, reached: reachedBy(statusWords(arena, at.status)) };
  },

  peek(arena, args): InterimState | undefined {
    const { levels, at } = plan(args);
    const level = seenLevel(statusWords(arena, at.status), levels);
    if (!level) return undefined;
    return { across: level.across, down: level.down, change: lift(arena, at.change, level) };
  },
};

/** Half of what all pipes of a sample move: what passes through it. */
function throughFlow(e: Float32Array, s: Float32Array, se: Float32Array, sw: Float32Array, { across, down }: RunoffArgs): Float32Array<ArrayBuffer> {
  const out = new Float32Array(e.length);
  const add = (i: number, other: number, flow: number) => {
    const half = Math.abs(flow) / 2;
    out[i] += half;
    out[other] += half;
  };
  for (let row = 0, i = 0; row < down; row++) {
    for (let x = 0; x < across; x++, i++) {
      if (x < across - 1) add(i, i + 1, e[i]);
      if (row === down - 1) continue;
      add(i, i + across, s[i]);
      if (x < across - 1) add(i, i + across + 1, se[i]);
      if (x > 0) add(i, i + across - 1, sw[i]);
    }
  }
  return out;
}

function middleOf(bed: Float32Array): number {
  let [low, high] = [Infinity, -Infinity];
  for (const h of bed) {
    if (h < low) low = h;
    if (h > high) high = h;
  }
  return (low + high) / 2;
}

function plan(args: RunoffArgs) {
  const room = claims();
  const status = room.claim(STATUS_BYTES);
  const all = args.begun ? ladderBelow(args, args.begun, BORDER) : ladderOf(args, BORDER, args.coarsest);
  const claimed = (grid: Rung): Level => {
    const [bed, ease] = [room.claim(bytesOf(grid)), room.claim(bytesOf(grid))];
    const easeNow = args.beds ? room.claim(bytesOf(grid)) : ease;
    return { ...grid, bed, ease, easeNow, beds: claimBeds((bytes) => room.claim(bytes), grid, args.beds) };
  };
  const levels = (args.alone ? all.slice(0, 1) : all).map(claimed);
  const seen = args.seen && claimed(rungOf(args.seen, BORDER));
  const size = Math.max(...levels.map((level) => bytesOf(level)));
  const claim = () => room.claim(size);
  const at = {
    status,
    change: claim(),
    ground: claim(),
    surface: claim(),
    water: claim(),
    sediment: claim(),
    carried: claim(),
    limit: claim(),
    loadEast: claim(),
    loadSouth: claim(),
    loadSouthEast: claim(),
    loadSouthWest: claim(),
    east: claim(),
    south: claim(),
    southEast: claim(),
    southWest: claim(),
    passing: claimPass((bytes) => room.claim(bytes), levels, seen),
    weights: room.claim(levels[0].stride * 16),
    columns: room.claim(levels[0].stride * 20),
  };
  return { levels, seen, at, bytes: room.bytes };
}

type Work = ReturnType<typeof plan>['at'];

/** A grid begins with the change and the water of the coarser one; nothing moves yet. */
function* begin(kernels: KernelExports, arena: Arena, args: RunoffArgs, levels: Level[], l: number, at: Work, band: Band): Generator<void, void, void> {
  const level = levels[l];
  const coarser = levels[l + 1];
  const size = bytesOf(level) / 4;
  if (coarser) {
    const passage = toFiner(coarser, level);
    for (const what of ['change', 'water', 'sediment'] as const) {
      // A window shares its volume with what lies around it.
      const volume = args.begun ? null : band.index === 0 ? volumeOf(arena, coarser, at[what]) : 0;
      // By way of the flows, which begin anew.
      yield* pass(kernels, arena, passage, at[what], at.passing, at.east, band);
      const { from, to } = rowsOf(level.down, band);
      const source = floats(arena, arena.start + at.east, size);
      const out = floats(arena, arena.start + at[what], size);
      if (band.index === 0) out.fill(0, 0, level.stride);
      if (band.index === 0) out.fill(0, (level.down + 1) * level.stride);
      for (let row = from; row < to; row++) {
        const first = (row + 1) * level.stride;
        out.fill(0, first, first + level.stride);
        for (let p = first + PAD; p < first + PAD + level.across; p++) out[p] = what === 'change' ? source[p] : Math.max(0, source[p]);
      }
      yield;
      if (band.index === 0) keepVolume(arena, level, at[what], volume, { ease: what === 'change' ? level.ease : 0 });
      yield;
    }
  }
  if (band.index === 0) {
    writeWeights(arena, at.weights, level, level.point);
    writeColumns(arena, at.columns, level, level.point);
    for (const o of [at.limit, at.east, at.south, at.southEast, at.southWest, at.carried, at.loadEast, at.loadSouth, at.loadSouthEast, at.loadSouthWest])
      floats(arena, arena.start + o, size).fill(0);
    floats(arena, arena.start + at.ground, size).fill(WALL);
    const surface = floats(arena, arena.start + at.surface, size).fill(WALL);
    const [bed, change, water, sediment, carried] = [level.bed, at.change, at.water, at.sediment, at.carried].map((o) => floats(arena, arena.start + o, size));
    for (let row = 1; row <= level.down; row++) {
      for (let p = row * level.stride + PAD; p < row * level.stride + PAD + level.across; p++) {
        surface[p] = Math.fround(bed[p] + change[p]) + water[p];
        carried[p] = sediment[p] / Math.max(1e-6, water[p]);
      }
    }
  }
  yield;
}

function* advance(kernels: KernelExports, arena: Arena, args: RunoffArgs, level: Level, at: Work, band: Band, step: number): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down } = level;
  const { from, to } = rowsOf(down, band);
  const half = level.point ? 1 : 0;
  const { spacingX: dx, spacingY: dy } = level;
  const dt = (COURANT * Math.min(dx, dy)) / Math.sqrt(2 * GRAVITY * PIPE_DEPTH);
  if (args.beds && step % BEDS_EVERY === 0) {
    const ground = { height: level.bed, change: at.change, easeGiven: level.ease, ease: level.easeNow };
    feelBeds(kernels, arena, args.beds, level, level.beds, ground, BEDDED, band);
  }
  const columns = a + at.columns;
  const pipes = [a + at.east, a + at.south, a + at.southEast, a + at.southWest] as const;
  const loads = [a + at.loadEast, a + at.loadSouth, a + at.loadSouthEast, a + at.loadSouthWest] as const;
  const wave = dt * GRAVITY * PIPE_DEPTH;
  const drive = (first: number, end: number) =>
    kernels.runoffDrive(
      a + level.bed,
      a + at.change,
      a + at.ground,
      a + at.surface,
      ...pipes,
      columns,
      stride,
      first,
      end,
      down,
      half,
      1 - Math.min(0.9, FRICTION * dt),
      (STRAIGHT * wave * dy) / dx,
      (STRAIGHT * wave * dx) / dy,
      ASKEW * wave,
    );
  const limit = (first: number, end: number) =>
    kernels.runoffLimit(a + at.water, a + at.limit, ...pipes, columns, stride, first, end, down, half, dt / (dx * dy));
  const carry = (first: number, end: number) => kernels.runoffCarry(a + at.limit, a + at.carried, ...pipes, ...loads, stride, first, end);
  const move = (first: number, end: number) =>
    kernels.runoffMove(
      a + level.bed,
      a + at.change,
      a + at.ground,
      a + at.surface,
      a + at.water,
      a + at.sediment,
      a + at.carried,
      ...pipes,
      ...loads,
      a + level.easeNow,
      columns,
      stride,
      first,
      end,
      down,
      half,
      dt / (dx * dy),
      1 / dx,
      1 / dy,
      (0.5 * Math.min(dx, dy)) / dt,
      args.carry,
      LEAST_TILT,
      SHALLOW,
      Math.min(0.5, args.wear * dt),
      Math.min(0.5, args.settle * dt),
      1 - Math.min(0.9, args.evaporation * dt),
      (args.rain * dt) / 3600,
    );
  // The four follow one another down the rows, so that a row is still in the cache for the next.
  // Only where bands touch do they have to wait: a row moves by the pipes of
  // the one above, which carry what both rows' limits let them.
  const inner = { from: Math.min(to, from + 2), to: Math.max(from, to - 2) };
  if (inner.to > inner.from) {
    drive(from, inner.from);
    drive(inner.to, to);
  } else drive(from, to);
  yield;
  if (to > from) limit(from, from + 1);
  if (to > from + 1) limit(to - 1, to);
  yield;
  if (to > from) carry(to - 1, to);
  yield;
  let driven = inner.to > inner.from ? inner.from : to;
  let limited = Math.min(to, from + 1);
  for (let row = from; row < to; row += ROWS_AT_ONCE) {
    const end = Math.min(to, row + ROWS_AT_ONCE);
    const ahead = Math.min(inner.to, end + 2);
    if (ahead > driven) drive(driven, ahead);
    driven = Math.max(driven, ahead);
    const bound = Math.min(to - 1, end + 1);
    if (bound > limited) limit(limited, bound);
    limited = Math.max(limited, bound);
    carry(row, Math.min(to - 1, end));
    move(row, end);
  }
  drainRim(arena, args, at, level, from, to);
  yield;
  if (args.bank !== Infinity && step % SLIP_EVERY === SLIP_EVERY - 1) yield* slip(kernels, arena, args, level, at, band);
}

/** Banks slip as scree does; two grids are free until the next step. */
function* slip(kernels: KernelExports, arena: Arena, args: RunoffArgs, level: Level, at: Work, band: Band): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down } = level;
  const { from, to } = rowsOf(down, band);
  const half = level.point ? 1 : 0;
  const { spacingX: dx, spacingY: dy } = level;
  const [dropX, dropY] = [dx * args.bank, dy * args.bank];
  const dropDiagonal = Math.sqrt(dropX * dropX + dropY * dropY);
  const rate = a + at.loadEast;
  const inverseArea = a + at.weights + stride * 12;
  kernels.talusHeight(a + level.bed, a + at.change, a + at.ground, 0, 0, stride, from, to);
  yield;
  const rest = [stride, from, to, down, half, dropX, dropY, dropDiagonal] as const;
  // All of it: every step moves something everywhere.
  const all = [0, 0] as const;
  kernels.talusRelease(a + at.ground, rate, a + at.surface, 0, ...all, 0, 0, a + at.weights, inverseArea, ...rest);
  kernels.talusHold(rate, a + at.surface, 0, a + level.ease, a + at.change, ...all, stride, from, to);
  yield;
  kernels.talusSettle(a + at.ground, rate, a + at.surface, a + at.change, 0, ...all, 0, a + at.weights, inverseArea, ...rest);
  yield;
  const size = bytesOf(level) / 4;
  const [surface, bed, change, water] = [at.surface, level.bed, at.change, at.water].map((o) => floats(arena, a + o, size));
  for (let row = from; row < to; row++) {
    const first = (row + 1) * stride;
    for (let p = first + PAD; p < first + PAD + level.across; p++) surface[p] = Math.fround(bed[p] + change[p]) + water[p];
    surface.fill(WALL, first + PAD + level.across, first + stride);
  }
  yield;
}

/** Over an open edge, and over a window's inner sides, half of the water leaves at every step, and what it carries. */
function drainRim(arena: Arena, { open, begun }: RunoffArgs, at: Work, level: Level, from: number, to: number): void {
  if (!open && !begun) return;
  const leaves = (side: keyof BegunArgs['rim']) => open || !begun?.rim[side];
  const { stride, across, down } = level;
  const size = bytesOf(level) / 4;
  const [water, sediment, surface] = [at.water, at.sediment, at.surface].map((o) => floats(arena, arena.start + o, size));
  const leave = (p: number) => {
    const lost = water[p] * 0.5;
    surface[p] -= lost;
    water[p] -= lost;
    // As concentrated as before.
    sediment[p] *= 0.5;
  };
  for (let row = from; row < to; row++) {
    const first = (row + 1) * stride + PAD;
    if ((row === 0 && leaves('north')) || (row === down - 1 && leaves('south'))) for (let x = 0; x < across; x++) leave(first + x);
    else {
      if (leaves('west')) leave(first);
      if (across > 1 && leaves('east')) leave(first + across - 1);
    }
  }
}

/** Weights of the columns as `assembly/runoff.ts` wants them. */
function writeColumns(arena: Arena, offset: number, level: Level, point: boolean): void {
  const { across, stride } = level;
  const w = floats(arena, arena.start + offset, stride * 5).fill(0);
  const share = (x: number) => (x < 0 || x >= across ? 0 : point && (x === 0 || x === across - 1) ? 0.5 : 1);
  for (let x = 0; x < across; x++) {
    w[PAD + x] = share(x);
    w[4 * stride + PAD + x] = 1 / share(x);
    w[stride + PAD + x] = x < across - 1 ? 1 : 0;
    w[2 * stride + PAD + x] = Math.min(share(x), share(x + 1));
    w[3 * stride + PAD + x] = Math.min(share(x), share(x - 1));
  }
}
