import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band, type Program } from '../program';
import { clearStatus, endsHere, reachedBy, STATUS_BYTES, statusWords, type Place } from './early';
import { bytesOf, claims, coarsen, halvings, halvingsFrom, lay, lift, refine, type Halving } from './levels';

export interface WindArgs {
  across: number;
  down: number;
  point: boolean;
  spacingX: number;
  spacingY: number;
  /** Sweeps on the coarsest grid; half as many on each finer one. */
  sweeps: number;
  /** Begin with the grid whose spacing comes nearest to this, metres. */
  coarsest: number;
  /** Where a slab is carried in one hop, metres to the east and to the south. */
  hopEast: number;
  hopSouth: number;
  /** Rise over run of the shadow's edge and of sand at rest. */
  shadow: number;
  repose: number;
  /** Sand leaves over the edge; else it comes in on the other side. */
  open: boolean;
  seed: number;
  until?: Place;
}

export interface WindInputs {
  /** The rock beneath, metres. */
  rock: Float32Array;
  /** Sand on it, metres. */
  sand: Float32Array;
  /** How readily it is lifted, 0 to 1; left out: everywhere. */
  ease?: Float32Array;
}

export interface WindResult {
  /** Sand in the end, metres. */
  sand: Float32Array<ArrayBuffer>;
  /** Metres of a slab, and how many there were, are, and went over the edge. */
  slab: number;
  before: number;
  after: number;
  gone: number;
  reached?: Place;
}

interface Level extends Halving {
  rock: number;
  sand: number;
  ease: number;
}

const COARSEST = 33;
/** A slab's height over the spacing. */
const SLAB = 0.15;
/** Lines of a shadow done at once; the same for any number of bands. */
const BLOCK = 64;
/** More bands than this share the scratch of the last; nobody has so many. */
const MOST_BANDS = 64;
/** How often steep sand slips after each sweep, and in the end. */
const SLIPS = 1;
const LAST_SLIPS = 40;
const LAST_SMOOTHS = 4;

/** Sand blown from coarse grids to fine ones. */
export const windProgram: Program<WindArgs, WindInputs, WindResult> = {
  id: 'wind',
  bytes: (args) => plan(args).bytes,

  load(arena, args, { rock, sand, ease }) {
    const { levels, status } = plan(args);
    const [finest] = levels;
    lay(arena, finest.rock, finest, rock);
    lay(arena, finest.sand, finest, sand);
    if (ease) lay(arena, finest.ease, finest, ease);
    else floats(arena, arena.start + finest.ease, bytesOf(finest) / 4).fill(1);
    clearStatus(statusWords(arena, status));
  },

  *run(kernels, arena, args, band) {
    const { levels, status, work: grids } = plan(args);
    const word = statusWords(arena, status);
    for (let l = 1; l < levels.length; l++) {
      const [fine, coarse] = [levels[l - 1], levels[l]];
      for (const what of ['rock', 'sand', 'ease'] as const) {
        coarsen(arena, { grid: fine, at: fine[what] }, { grid: coarse, at: coarse[what] }, args.point, band);
      }
      yield;
    }
    const sweepsOf = (depth: number) => Math.max(1, Math.ceil(args.sweeps / (1 << depth)));
    const work = levels.reduce((sum, level, l) => sum + level.across * level.down * sweepsOf(levels.length - 1 - l), 0);
    let done = 0;
    let ended = false;
    for (let l = levels.length - 1; l >= 0; l--) {
      const level = levels[l];
      const coarser = levels[l + 1];
      const depth = levels.length - 1 - l;
      const count = level.across * level.down;
      const slab = SLAB * Math.min(args.spacingX, args.spacingY) * level.factor;
      if (coarser) refine(arena, { grid: coarser, at: coarser.sand }, { grid: level, at: level.sand }, args.point, band);
      yield;
      if (band.index === 0) {
        const slabs = intoSlabs(arena, level, slab);
        if (l === 0) word[8] = slabs;
        floats(arena, arena.start + grids.moved, count).fill(0);
      }
      yield;
      yield* apply(kernels, arena, level, grids, band, slab);
      for (let sweep = 0; sweep < sweepsOf(depth) && !ended; sweep++) {
        if (yield* endsHere(word, band, args.until, { level: depth, round: sweep })) {
          ended = true;
          break;
        }
        yield* blow(kernels, arena, args, level, grids, band, slab, l === 0 ? word : undefined, depth * 100_003 + sweep);
        done += count;
        band.progress(done / work);
      }
      // All of it comes to rest.
      for (let pass = 0; pass < LAST_SLIPS; pass++) yield* slip(kernels, arena, args, level, grids, band, slab);
      if (band.index === 0) intoMetres(arena, level, slab, word, l === 0);
      yield;
    }
    // Slabs have edges; sand has none. What lies there is kept.
    const [finest] = levels;
    for (let pass = 0; pass < LAST_SMOOTHS; pass++) yield* soften(arena, finest, grids, band);
  },

  take(arena, args) {
    const { levels, status } = plan(args);
    const word = statusWords(arena, status);
    return {
      sand: lift(arena, levels[0].sand, levels[0]),
      slab: SLAB * Math.min(args.spacingX, args.spacingY),
      before: word[8],
      after: word[10],
      gone: word[9],
      reached: reachedBy(word),
    };
  },
};

/** One sweep of the wind, and sand that has become too steep slips. */
function* blow(
  kernels: KernelExports,
  arena: Arena,
  args: WindArgs,
  level: Level,
  at: Work,
  band: Band,
  slab: number,
  count: Int32Array | undefined,
  salt: number,
) {
  const a = arena.start;
  const { across, down } = level;
  const { from, to } = rowsOf(down, band);
  const [dx, dy] = [args.spacingX * level.factor, args.spacingY * level.factor];
  const [hopX, hopY] = [args.hopEast / dx, args.hopSouth / dy];
  const alongY = Math.abs(hopY) > Math.abs(hopX);
  const main = alongY ? hopY : hopX;
  const shift = main === 0 ? 0 : (alongY ? hopX : hopY) / Math.abs(main);
  // From one line to the next the wind goes so far.
  const far = Math.sqrt(alongY ? dy * dy + shift * shift * dx * dx : dx * dx + shift * shift * dy * dy);
  const wrap = args.open ? 0 : 1;
  const lines = alongY ? down : across;
  const edges = a + at.edges + Math.min(band.index, MOST_BANDS - 1) * 8 * Math.max(at.side, across, down);
  for (let block = band.index; block * BLOCK < lines; block += band.count) {
    const first = block * BLOCK;
    const last = Math.min(lines, first + BLOCK);
    kernels.windShadow(a + at.height, a + at.shadow, edges, across, down, alongY ? 1 : 0, main < 0 ? -1 : 1, shift, args.shadow * far, wrap, first, last);
  }
  yield;
  const gone = kernels.windLift(
    a + level.sand,
    a + at.moved,
    a + at.shadow,
    a + level.ease,
    across,
    down,
    from,
    to,
    (Math.imul(args.seed, 0x9e3779b1) + Math.imul(salt, 0x85ebca6b)) >>> 0,
    hopX,
    hopY,
    wrap,
  );
  if (count && gone > 0) Atomics.add(count, 9, gone);
  yield;
  yield* apply(kernels, arena, level, at, band, slab);
  for (let pass = 0; pass < SLIPS; pass++) yield* slip(kernels, arena, args, level, at, band, slab);
}

function* apply(kernels: KernelExports, arena: Arena, level: Level, at: Work, band: Band, slab: number): Generator<void, void, void> {
  const a = arena.start;
  const { from, to } = rowsOf(level.down, band);
  kernels.windApply(a + level.rock, a + level.sand, a + at.moved, a + at.height, from, to, level.across, slab);
  yield;
}

function* slip(kernels: KernelExports, arena: Arena, args: WindArgs, level: Level, at: Work, band: Band, slab: number): Generator<void, void, void> {
  const a = arena.start;
  const { from, to } = rowsOf(level.down, band);
  const [dx, dy] = [args.spacingX * level.factor, args.spacingY * level.factor];
  kernels.windSlip(a + level.sand, a + at.moved, a + at.height, level.across, level.down, from, to, args.repose, slab, dx, dy, args.open ? 0 : 1);
  yield;
  yield* apply(kernels, arena, level, at, band, slab);
}

/** Evens sand out between samples that both have some: an eighth of the difference goes over, so that its sum stays. */
function* soften(arena: Arena, level: Level, at: Work, band: Band): Generator<void, void, void> {
  const { across, down } = level;
  const count = across * down;
  const { from, to } = rowsOf(down, band);
  const [sand, rock, out] = [level.sand, level.rock, at.height].map((o) => floats(arena, arena.start + o, count));
  for (let row = from; row < to; row++) {
    for (let x = 0, i = row * across; x < across; x++, i++) {
      let gain = 0;
      if (sand[i] > 0) {
        const top = sand[i] + rock[i];
        const give = (n: number) => {
          if (sand[n] <= 0) return;
          // Never more than a quarter of what the giver has.
          const flow = (sand[n] + rock[n] - top) / 8;
          gain += flow > 0 ? Math.min(flow, sand[n] / 8) : Math.max(flow, -sand[i] / 8);
        };
        if (x > 0) give(i - 1);
        if (x < across - 1) give(i + 1);
        if (row > 0) give(i - across);
        if (row < down - 1) give(i + across);
      }
      out[i] = sand[i] + gain;
    }
  }
  yield;
  sand.set(out.subarray(from * across, to * across), from * across);
  yield;
}

function plan(args: WindArgs) {
  const room = claims();
  const status = room.claim(STATUS_BYTES);
  const all = halvings(args.across, args.down, args.point, COARSEST, { left: 0, above: 0, aligned: 1 });
  const widest = Math.max(args.spacingX, args.spacingY);
  const levels: Level[] = halvingsFrom(all, widest, args.coarsest).map((grid) => ({
    ...grid,
    rock: room.claim(bytesOf(grid)),
    sand: room.claim(bytesOf(grid)),
    ease: room.claim(bytesOf(grid)),
  }));
  const size = bytesOf(levels[0]);
  const side = Math.max(args.across, args.down);
  const work = { height: room.claim(size), moved: room.claim(size), shadow: room.claim(size / 4), edges: room.claim(MOST_BANDS * 8 * side), side };
  return { levels, status, work, bytes: room.bytes };
}

type Work = ReturnType<typeof plan>['work'];

/**
 * Sand in metres becomes whole slabs, row by row to and fro, what is left over going on to the
 * next sample, so that their sum is the sand's. Returns how many there are.
 */
function intoSlabs(arena: Arena, level: Level, slab: number): number {
  const count = level.across * level.down;
  const metres = floats(arena, arena.start + level.sand, count);
  const slabs = new Int32Array(arena.buffer, arena.start + level.sand, count);
  let over = 0;
  let sum = 0;
  for (let row = 0; row < level.down; row++) {
    for (let k = 0; k < level.across; k++) {
      const i = row * level.across + (row % 2 === 0 ? k : level.across - 1 - k);
      const wanted = Math.max(0, metres[i]) / slab;
      // Where no sand lies none is put.
      const whole = wanted > 0 ? Math.max(0, Math.round(wanted + over)) : 0;
      if (wanted > 0) over += wanted - whole;
      slabs[i] = whole;
      sum += whole;
    }
  }
  return sum;
}

function intoMetres(arena: Arena, level: Level, slab: number, word: Int32Array, counted: boolean): void {
  const count = level.across * level.down;
  const metres = floats(arena, arena.start + level.sand, count);
  const slabs = new Int32Array(arena.buffer, arena.start + level.sand, count);
  let sum = 0;
  for (let i = 0; i < count; i++) {
    sum += slabs[i];
    metres[i] = slabs[i] * slab;
  }
  if (counted) word[10] = sum;
}
