import type { KernelExports } from '../generated/exports';
import { floats, overBands, rowsOf, type Arena, type Band, type InterimState, type Program } from '../program';
import { claimBeds, feelBeds, layBeds, layTable, passBeds, type BedsArgs, type BedsAt, type BedsInputs } from './beds';
import { clearStatus, endsHere, reachedBy, seenLevel, STATUS_BYTES, statusWords, tell, type Place } from './early';
import { conveyTill, type Conveyed } from './ice-till';
import { FLOW_BORDER } from './flow';
import { passImplicit, scratchBytes } from './implicit';
import { claimPass, isSharedWith, ladderOf, pass, passShares, rungOf, sharesOf, toCoarser, toFiner, type OwnGrid, type Rung } from './ladder';
import { bytesOf, claims, lay, lift, smooth } from './levels';

/** Glen's law with n = 3 over shallow ice: 2 A (ρ g)³ / 5 with A = 2.4 · 10⁻²⁴ s⁻¹ Pa⁻³ (Cuffey & Paterson 2010, at 0 °C), a year: m⁻³ a⁻¹. */
export const GLEN = 2.2e-5;

export interface IceArgs {
  across: number;
  down: number;
  /** Point registration: the samples on the rim stand for half a cell. */
  point: boolean;
  spacingX: number;
  spacingY: number;
  /** Γ of Glen's law, m⁻³ a⁻¹: what flows is Γ H⁵ |∇s|³. */
  flow: number;
  /** Γs, m⁻² a⁻¹: ice slides at Γs H³ |∇s|³, metres a year. */
  slide: number;
  /** Snow by height over the snow line, metres a year and metre; at most `most` metres a year. */
  gradient: number;
  most: number;
  /** Ice breaks off where the bed lies under this; −Infinity: nowhere. */
  sea: number;
  calve: number;
  /** Metres worn where ice slides at 1 m a year the whole time. */
  wear: number;
  /** No ice slides faster than this, metres a year. */
  fastest: number;
  /** Rise over run of the walls over the ice: what is steeper falls in. */
  bank: number;
  /** The share of what is worn away that the ice lays down again. */
  till: number;
  /** The ice goes in so many stages, each with its own moraine. */
  stages: number;
  /** By so many metres the snow line has risen when the last ice goes. */
  rise: number;
  /** Metres a year that no ice outruns: it sets the step of time. */
  pace: number;
  /** How readily thick ice passes, m² a year: it bounds the step on fine grids. */
  passage: number;
  masked?: boolean;
  beds?: BedsArgs;
  seen?: OwnGrid;
  until?: Place;
  /** On the ground's own grid alone: so many steps of so many years, with the ice that comes with the bed. For checks. */
  alone?: { steps: number; years: number };
}

interface IceGround {
  bed: Float32Array;
  /** How easily each sample gives way, 0 to 1. */
  ease?: Float32Array;
  /** The height of the snow line at each sample. */
  snowline: Float32Array;
  beds?: BedsInputs;
}

export interface IceInputs extends IceGround {
  /** Metres of ice to begin with. */
  ice?: Float32Array;
  seen?: IceGround;
}

export interface IceResult {
  /** Metres, sample by sample: what was worn off, and the till that lies in the end. */
  change: Float32Array<ArrayBuffer>;
  /** Metres of ice when it was at its greatest. */
  ice: Float32Array<ArrayBuffer>;
  /** Metres of till. */
  till: Float32Array<ArrayBuffer>;
  reached?: Place;
}

interface Level extends Rung {
  /** The bed as it was given, and as it is worn. */
  given: number;
  bed: number;
  ease: number;
  easeNow: number;
  snowline: number;
  beds: BedsAt;
}

const COARSEST = 32;
/** Steps of time on a grid of 32, 64, 128 … cells, and its part of all that is worn; the ground's own grid has what is left. The same for a rung whatever grid comes after it. */
const STEPS = [900, 500, 240, 90, 26, 8];
const SHARES = [0.12, 0.22, 0.28, 0.24, 0.1, 0.03];
/** The bed is worn, and walls fall in, once in so many steps. */
const WEAR_EVERY = 2;
const WALLS_EVERY = 4;
/** On grids of up to so many cells what is worn in a step is smoothed so many times: narrower troughs would follow their rows and columns. */
const COARSE = 128;
const COARSE_SMOOTHED = 3;
const ASK_EVERY = 8;
/** The ice goes on the rung of so many cells: its moraines are as wide as those. */
const RETREAT_CELLS = 128;
const RETREAT_STEPS = 60;
/** Ground that was worn by so many of a grid's spacings has lost half of the detail that it had before. */
const WORN_OFF = 0.3;
/** Beds of rock under ice: it plucks what is soft and leaves what is hard. */
const BEDDED = { softEase: 1.3, hardEase: 0.25, softBank: 1, hardBank: 1 };
/** No more is worn in a step than this share of a grid's spacing. */
const MOST_WORN = 0.1;
/** Thinner ice is not handed down, metres. */
const LEAST_ICE = 0.5;
/** A step of time moves ice over so many samples squared at most: more would leave the grid's rows and columns in it. */
const MOST_PASSED = 10;
/** What lies at the rim, of what lies inside of it. */
const AT_RIM = 0.6;
/** So near to the rim, of the side. */
const RIM = 0.025;

/**
 * Ice that gathers over a snow line, flows by its weight, wears its bed where it slides and lays down what it carries where
 * it melts. From coarse grids to fine ones: on the coarse ones it comes to its balance with the climate and wears the large
 * troughs, each finer one adds its own detail.
 */
export const iceProgram: Program<IceArgs, IceInputs, IceResult> = {
  id: 'ice',
  bytes: (args) => plan(args).bytes,

  load(arena, args, inputs) {
    const { levels, seen, at, bytes } = plan(args);
    new Uint8Array(arena.buffer, arena.start, bytes).fill(0);
    const layGround = (level: Level, { bed, ease, snowline, beds }: IceGround) => {
      lay(arena, level.given, level, bed);
      lay(arena, level.snowline, level, snowline);
      if (ease) lay(arena, level.ease, level, ease);
      else floats(arena, arena.start + level.ease, bytesOf(level) / 4).fill(1);
      if (beds) layBeds(arena, level, level.beds, beds);
    };
    layGround(levels[0], inputs);
    if (seen && inputs.seen) layGround(seen, inputs.seen);
    if (args.beds && inputs.beds) for (const level of levels) layTable(arena, level, level.beds, args.beds, inputs.beds.table);
    if (inputs.ice && levels.length === 1) lay(arena, at.ice, levels[0], inputs.ice);
    clearStatus(statusWords(arena, at.status));
  },

  *run(kernels, arena, args, band) {
    const { levels, seen, at } = plan(args);
    const word = statusWords(arena, at.status);
    for (const coarse of levels.slice(1)) {
      const own = seen && isSharedWith(coarse, seen) ? seen : levels[0];
      const passage = toCoarser(own, coarse);
      for (const what of ['given', 'snowline'] as const) yield* pass(kernels, arena, passage, own[what], at.passing, coarse[what], band);
      if (args.beds) yield* passBeds(kernels, arena, passage, own.beds, at.passing, coarse.beds, band);
      yield* passShares(kernels, arena, passage, own.ease, at.passing, coarse.ease, band);
    }
    const stints = stintsOf(args, levels);
    const all = levels.reduce((sum, level, l) => sum + level.across * level.down * stints[l].steps, 0);
    let [done, ended, laid] = [0, false, -1];
    for (let l = levels.length - 1; l >= 0; l--) {
      const level = levels[l];
      yield* begin(kernels, arena, levels, l, laid, at, band);
      laid = laid < 0 ? -1 : l;
      tell(word, band, l, 0);
      const { steps, share, years } = stints[l];
      for (let step = 0; step < steps && !ended; step++) {
        if (yield* endsHere(word, band, args.until, { level: levels.length - 1 - l, round: step }, ASK_EVERY)) {
          ended = true;
          break;
        }
        yield* overBands(level, band, function* (shared) {
          yield* flow(kernels, arena, args, level, at, shared, { years, rise: 0, columnsFirst: step % 2 === 1 });
          if (args.wear > 0 && step % WEAR_EVERY === WEAR_EVERY - 1) {
            yield* wear(kernels, arena, args, level, at, shared, (args.wear * share) / Math.floor(steps / WEAR_EVERY), step);
          }
        });
        done += level.across * level.down;
        band.progress((0.98 * done) / all);
        tell(word, band, l, step + 1);
      }
      const retreats = l === 0 || longOf(levels[l - 1]) > RETREAT_CELLS;
      if (laid < 0 && retreats && args.till > 0 && args.wear > 0 && !args.alone) {
        yield* retreat(kernels, arena, args, level, at, band, years);
        laid = l;
      }
    }
    const [finest] = levels;
    if (band.index === 0) settleTill(arena, args, finest, at, laid >= 0);
    yield;
  },

  take(arena, args) {
    const { levels, at } = plan(args);
    const [finest] = levels;
    const change = lift(arena, finest.bed, finest);
    const given = lift(arena, finest.given, finest);
    const till = lift(arena, at.till, finest);
    for (let i = 0; i < change.length; i++) change[i] = change[i] - given[i] + till[i];
    return { change, ice: lift(arena, at.ice, finest), till, reached: reachedBy(statusWords(arena, at.status)) };
  },

  peek(arena, args): InterimState | undefined {
    const { levels, at } = plan(args);
    const level = seenLevel(statusWords(arena, at.status), levels);
    if (!level) return undefined;
    const change = lift(arena, level.bed, level);
    const given = lift(arena, level.given, level);
    for (let i = 0; i < change.length; i++) change[i] -= given[i];
    return { across: level.across, down: level.down, change };
  },
};

const longOf = ({ across, down }: Rung): number => Math.max(across, down) - 1;

function plan(args: IceArgs) {
  const room = claims();
  const claim = (bytes: number) => room.claim(bytes);
  const status = claim(STATUS_BYTES);
  const claimed = (grid: Rung): Level => {
    const [given, bed, ease, snowline] = [1, 2, 3, 4].map(() => claim(bytesOf(grid)));
    return { ...grid, given, bed, ease, snowline, easeNow: args.beds ? claim(bytesOf(grid)) : ease, beds: claimBeds(claim, grid, args.beds) };
  };
  const all = ladderOf(args, FLOW_BORDER);
  const levels = (args.alone ? all.slice(0, 1) : all).map(claimed);
  const seen = args.seen && claimed(rungOf(args.seen, FLOW_BORDER));
  const size = Math.max(...levels.map((level) => bytesOf(level)));
  const [surface, ice, east, south, worn, till, spare, kept] = [1, 2, 3, 4, 5, 6, 7, 8].map(() => claim(size));
  const passing = claimPass(claim, levels, seen);
  const laid = claim(64);
  const state = claim(size / 4);
  const scratch = claim(scratchBytes(levels[0]));
  return { levels, seen, at: { status, surface, ice, east, south, worn, till, spare, kept, passing, laid, state, scratch }, bytes: room.bytes };
}

type Work = ReturnType<typeof plan>['at'];

/** Years in a step on a grid of a spacing. */
const yearsOf = (spacing: number, { pace, passage }: IceArgs): number => Math.min(spacing / pace, (MOST_PASSED * spacing * spacing) / passage);

/** Which stint a grid's count of cells comes nearest to. */
const stintAt = (level: Rung): number => {
  let k = 0;
  while (k < STEPS.length - 1 && longOf(level) > COARSEST * Math.SQRT2 * 2 ** k) k++;
  return k;
};

/** How long each grid works, the finest first. */
function stintsOf(args: IceArgs, levels: Level[]): { steps: number; share: number; years: number }[] {
  if (args.alone) return [{ ...args.alone, share: 1 }];
  const shares = sharesOf(SHARES, levels.length).reverse();
  return levels.map((level, l) => ({ steps: STEPS[stintAt(level)], share: shares[l], years: yearsOf(Math.min(level.spacingX, level.spacingY), args) }));
}

/** A grid's bed and ice to begin with: as they were given, or what the coarser grid made of them with the finer one's own detail. */
function* begin(kernels: KernelExports, arena: Arena, levels: Level[], l: number, laid: number, at: Work, band: Band): Generator<void, void, void> {
  const level = levels[l];
  const coarser = levels[l + 1];
  const size = bytesOf(level) / 4;
  const { from, to } = rowsOf(level.down, band);
  const [given, bed] = [level.given, level.bed].map((o) => floats(arena, arena.start + o, size));
  const [first, end] = [(from + 1) * level.stride, (to + 1) * level.stride];
  if (coarser) {
    const passage = toFiner(coarser, level);
    // What the coarser grid wore off, and what of its ground the finer one's detail stands on.
    const a = arena.start;
    const rows = rowsOf(coarser.down, band);
    kernels.takeOff(a + coarser.bed, a + coarser.given, (rows.from + 1) * coarser.stride, (rows.to + 1) * coarser.stride);
    yield;
    yield* pass(kernels, arena, passage, coarser.given, at.passing, at.spare, band);
    yield* pass(kernels, arena, passage, coarser.bed, at.passing, level.bed, band);
    yield* pass(kernels, arena, passage, at.ice, at.passing, at.worn, band);
    yield* pass(kernels, arena, passage, at.surface, at.passing, at.kept, band);
    if (laid >= 0) yield* pass(kernels, arena, passage, at.till, at.passing, at.south, band);
    const perDepth = 1 / (WORN_OFF * Math.max(coarser.spacingX, coarser.spacingY));
    const lies = laid >= 0 ? a + at.south : 0;
    kernels.iceFiner(
      a + level.given,
      a + level.bed,
      a + at.spare,
      a + level.ease,
      a + at.worn,
      a + at.kept,
      a + at.ice,
      lies,
      a + at.till,
      first,
      end,
      perDepth,
      LEAST_ICE,
    );
    yield;
  } else bed.set(given.subarray(first, end), first);
  kernels.iceOver(arena.start + level.bed, arena.start + at.ice, arena.start + at.surface, first, end);
  yield;
}

/** Snow falls, ice melts and flows for a step of time. */
function* flow(
  kernels: KernelExports,
  arena: Arena,
  args: IceArgs,
  level: Level,
  at: Work,
  band: Band,
  { years, rise, columnsFirst }: { years: number; rise: number; columnsFirst: boolean },
): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down, spacingX: dx, spacingY: dy } = level;
  const { from, to } = rowsOf(down, band);
  kernels.iceFaces(
    a + at.surface,
    a + at.ice,
    a + at.east,
    a + at.south,
    stride,
    down,
    from,
    to,
    dx,
    dy,
    args.flow,
    args.slide,
    years / (dx * dx),
    years / (dy * dy),
  );
  yield;
  kernels.iceBalance(
    a + at.surface,
    a + level.bed,
    a + level.snowline,
    stride,
    from,
    to,
    args.gradient,
    args.most,
    rise,
    args.sea > -Infinity ? args.sea : -1e30,
    args.calve,
    years,
  );
  if (columnsFirst) yield;
  const { east, south, state, scratch } = at;
  yield* passImplicit(kernels, arena, level, { values: at.surface, east, south, state, scratch }, band, { held: 0.5, columnsFirst });
  kernels.iceDepth(a + at.surface, a + level.bed, a + at.ice, stride, from, to);
  yield;
  if (!args.alone) leaveOverEdge(arena, level, at, from, to);
  yield;
}

/** At the rim lies less ice than inside of it, so that it flows out over the edge. */
function leaveOverEdge(arena: Arena, level: Level, at: Work, from: number, to: number): void {
  const size = bytesOf(level) / 4;
  const [surface, ice, bed] = [at.surface, at.ice, level.bed].map((o) => floats(arena, arena.start + o, size));
  eachOfRim(level, from, to, (rim, inside) => {
    const left = AT_RIM * ice[inside];
    if (ice[rim] <= left) return;
    ice[rim] = left;
    surface[rim] = bed[rim] + ice[rim];
  });
}

/** The samples of the rim in some rows, each with the one inside of it. A corner's stands beside it: rows of other bands are not looked at but above and below. */
function eachOfRim({ across, down, stride }: Level, from: number, to: number, same: (rim: number, inside: number) => void): void {
  if (across < 3 || down < 3) return;
  for (let row = from; row < to; row++) {
    const first = (row + 1) * stride + 1;
    if (row === 0 || row === down - 1) {
      const inward = row === 0 ? stride : -stride;
      for (let x = 1; x < across - 1; x++) same(first + x, first + x + inward);
    }
    same(first, first + 1);
    same(first + across - 1, first + across - 2);
  }
}

/** The bed is worn where ice slides on it; what stands too steep over the ice falls in. */
function* wear(
  kernels: KernelExports,
  arena: Arena,
  args: IceArgs,
  level: Level,
  at: Work,
  band: Band,
  amount: number,
  step: number,
): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down, spacingX: dx, spacingY: dy } = level;
  const { from, to } = rowsOf(down, band);
  if (args.beds) feelBeds(kernels, arena, args.beds, level, level.beds, { height: level.bed, easeGiven: level.ease, ease: level.easeNow }, BEDDED, band);
  const coarse = longOf(level) <= COARSE;
  // Where valleys are a few samples wide, their slope would be steeper along rows and columns than askew to them.
  if (coarse) yield* smooth(kernels, arena, level, at.surface, at.spare, at.kept, band);
  kernels.iceWear(
    a + (coarse ? at.kept : at.surface),
    a + level.bed,
    a + at.ice,
    a + level.easeNow,
    a + at.worn,
    stride,
    down,
    from,
    to,
    dx,
    dy,
    args.slide,
    args.fastest,
    amount,
  );
  yield;
  // Ice pulls its neighbours along: it slides alike over widths of about its depth.
  for (let k = 0; k < (coarse ? COARSE_SMOOTHED : 1); k++) yield* smooth(kernels, arena, level, at.worn, at.spare, at.worn, band);
  const { across } = level;
  const margin = Math.min((across - 1) >> 1, (down - 1) >> 1, Math.ceil(RIM * Math.max(across, down)));
  kernels.iceTake(a + at.worn, a + level.bed, a + at.surface, a + level.ease, stride, across, down, from, to, margin, MOST_WORN * Math.min(dx, dy));
  yield;
  if (args.bank === Infinity || step % WALLS_EVERY !== WALLS_EVERY - 1) return;
  yield* walls(kernels, arena, args, level, at, band, Math.floor(step / WALLS_EVERY) % 2 === 1);
}

/** What of the bed is steeper than walls stand slides down, where no ice holds it. */
function* walls(kernels: KernelExports, arena: Arena, args: IceArgs, level: Level, at: Work, band: Band, columnsFirst: boolean): Generator<void, void, void> {
  const a = arena.start;
  const { stride, down, spacingX: dx, spacingY: dy } = level;
  const { from, to } = rowsOf(down, band);
  const [first, end] = [(from + 1) * stride, (to + 1) * stride];
  kernels.fillFloats(a + at.spare, first, end, args.bank);
  yield;
  kernels.hillslopeFaces(a + level.bed, a + level.ease, a + at.spare, a + at.state, a + at.east, a + at.south, stride, down, from, to, dx, dy, 0, 0);
  yield;
  const { east, south, state, scratch } = at;
  yield* passImplicit(kernels, arena, level, { values: level.bed, east, south, state, scratch }, band, { columnsFirst });
  kernels.iceOver(a + level.bed, a + at.ice, a + at.surface, first, end);
  yield;
}

/** The ice goes, stage by stage, and leaves at each the till that it has carried there; then it is as it was at its greatest. */
function* retreat(kernels: KernelExports, arena: Arena, args: IceArgs, level: Level, at: Work, band: Band, years: number): Generator<void, void, void> {
  const size = bytesOf(level) / 4;
  const { from, to } = rowsOf(level.down, band);
  const [first, end] = [(from + 1) * level.stride, (to + 1) * level.stride];
  const [surface, ice, kept, till] = [at.surface, at.ice, at.kept, at.till].map((o) => floats(arena, arena.start + o, size));
  kept.set(ice.subarray(first, end), first);
  till.fill(0, first, end);
  yield;
  for (let stage = 0; stage < args.stages; stage++) {
    const rise = (args.rise * stage) / args.stages;
    if (stage > 0)
      for (let step = 0; step < RETREAT_STEPS; step++)
        yield* overBands(level, band, (shared) => flow(kernels, arena, args, level, at, shared, { years: 4 * years, rise, columnsFirst: step % 2 === 1 }));
    // The passage of the ice as it stands, for a year.
    yield* overBands(level, band, (shared) => flow(kernels, arena, args, level, at, shared, { years, rise, columnsFirst: false }));
    kernels.iceWear(
      arena.start + at.surface,
      arena.start + level.bed,
      arena.start + at.ice,
      arena.start + level.ease,
      arena.start + at.worn,
      level.stride,
      level.down,
      from,
      to,
      level.spacingX,
      level.spacingY,
      args.slide,
      args.fastest,
      1,
    );
    yield;
    if (band.index === 0) {
      const ground: Conveyed = { surface, ice, till, worn: floats(arena, arena.start + at.worn, size) };
      const faces = { east: floats(arena, arena.start + at.east, size), south: floats(arena, arena.start + at.south, size) };
      const snowline = floats(arena, arena.start + level.snowline, size);
      const melts = (p: number) => years * Math.max(0, args.gradient * (snowline[p] + rise - surface[p]));
      const margin = Math.max(1, Math.ceil(RIM * Math.max(level.across, level.down)));
      const share = conveyTill(level, ground, faces, melts, 1 / args.stages, margin) / args.stages;
      laidShare(arena, at)[0] = (stage > 0 ? laidShare(arena, at)[0] : 0) + share;
    }
    yield;
  }
  const bed = floats(arena, arena.start + level.bed, size);
  for (let p = first; p < end; p++) {
    ice[p] = kept[p];
    surface[p] = bed[p] + ice[p];
  }
  yield;
}

/** The share of what the ice carried that it laid down on the ground; the rest went over the edge. */
const laidShare = (arena: Arena, at: Work) => floats(arena, arena.start + at.laid, 1);

/** Scales the till to its share of what was worn away in the end. On one band. */
function settleTill(arena: Arena, args: IceArgs, level: Level, at: Work, laid: boolean): void {
  const size = bytesOf(level) / 4;
  const [till, bed, given, ease] = [at.till, level.bed, level.given, level.ease].map((o) => floats(arena, arena.start + o, size));
  let [lies, gone] = [0, 0];
  for (let row = 0; row < level.down; row++) {
    const first = (row + 1) * level.stride + 1;
    const half = level.point && (row === 0 || row === level.down - 1) ? 0.5 : 1;
    for (let x = 0; x < level.across; x++) {
      const p = first + x;
      const share = level.point && (x === 0 || x === level.across - 1) ? half / 2 : half;
      till[p] *= ease[p];
      lies += share * till[p];
      gone += share * (given[p] - bed[p]);
    }
  }
  const scale = laid && lies > 0 ? Math.max(0, (args.till * laidShare(arena, at)[0] * gone) / lies) : 0;
  for (let row = 0; row < level.down; row++) {
    const first = (row + 1) * level.stride + 1;
    for (let x = 0; x < level.across; x++) till[first + x] *= scale;
  }
}
