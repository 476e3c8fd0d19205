import { claimBeds, type BedsArgs, type BedsAt, type BedsInputs } from './beds';
import { STATUS_BYTES, type Place } from './early';
import { claimRouting, FLOW_BORDER } from './flow';
import { scratchBytes } from './implicit';
import { claimInflows, type Inflows } from './inflows';
import { claimPass, isSharedWith, ladderBelow, ladderOf, rungOf, sharesOf, type BegunArgs, type OwnGrid, type Rung } from './ladder';
import { bytesOf, claims } from './levels';

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

export interface FluvialGround {
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

/** A grid of the ladder, and where its ground lies: bytes from the beginning of the arena. */
export interface Level extends Rung {
  bed: number;
  /** How easily the ground gives way and how steep it stands as it was given, and as its beds have it now; the same where there are none. */
  ease: number;
  easeNow: number;
  bank: number;
  bankNow: number;
  beds: BedsAt;
}

/**
 * Time goes on while the grids grow finer: on each, from 32 cells a side on, this share of it passes, in so many steps. The
 * ground's own grid has what is left. Rivers and uplift have had nearly all of it by the grid of 512 cells: what a slope without a stream
 * wears by hangs on how wide its samples are, so that finer grids would leave higher ground; beyond it they add detail only. What they
 * add creeps on for longer.
 */
const RIVER_SHARES = [0.12, 0.16, 0.22, 0.2, 0.25, 0.035, 0.01, 0.003];
const CREEP_SHARES = [0.12, 0.16, 0.22, 0.2, 0.13, 0.08, 0.05, 0.03];
const STEPS = [14, 16, 14, 11, 8, 4, 3, 3];

/** Where the way is held. */
const HELD_STEPS = 8;

/** How long one grid works. */
export interface Stint {
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

/** The grids, how long each of them works, and where everything lies that they work with. */
export function plan(args: FluvialArgs) {
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

/** Where all grids work, one after the other. */
export type Work = ReturnType<typeof plan>['work'];
