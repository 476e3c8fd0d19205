import type { KernelExports } from '../generated/exports';
import { floats, rowsOf, type Arena, type Band, type Program, type InterimState } from '../program';
import { claimBeds, feelBeds, layBeds, layTable, passBeds, type BedsArgs, type BedsAt, type BedsInputs } from './beds';
import { clearStatus, endsHere, reachedBy, seenLevel, STATUS_BYTES, statusWords, tell, type Place } from './early';
import {
  claimPass,
  isSharedWith,
  keepVolume,
  ladderBelow,
  ladderOf,
  pass,
  rungOf,
  toCoarser,
  toFiner,
  volumeOf,
  type BegunArgs,
  type OwnGrid,
  type PassRoom,
  type Rung,
} from './ladder';
import { bytesOf, claims, lay, lift, type Grid } from './levels';

export interface TalusArgs {
  across: number;
  down: number;
  /** Point registration: the samples on the rim stand for half a cell. */
  point: boolean;
  spacingX: number;
  spacingY: number;
  /** Rise over run at the angle of repose. */
  tanRepose: number;
  sweeps: number;
  /** Whether a mask comes with the bed. */
  masked?: boolean;
  /** Whether a loose cover comes with the bed: then nothing else slides. */
  covered?: boolean;
  /** Whether the angle of repose varies from sample to sample. */
  grained?: boolean;
  /** Rock that stands too steep sheds, and becomes loose; only with a cover. */
  rock?: RockFall;
  /** What slides over the edge is gone; the ground beyond goes on as steeply as inside. */
  open?: boolean;
  /** Bedded rock: hard beds shed slowly, soft ones fast. Only with rock that sheds. */
  beds?: BedsArgs;
  /** The terrain's own samples, where these are others: the grids that both have in common are made from them. */
  seen?: OwnGrid;
  /** Coarser grids were worked on over a larger ground: this goes on from there over a window of it. Only with a cover. */
  begun?: BegunArgs;
  /** So many finer grids are left to windows: faces shed on the two finest of all. */
  finerGrids?: number;
  until?: Place;
}

export interface RockFall {
  /** Rock steeper than this sheds, rise over run. */
  cliff: number;
  /** Metres that a face wears back in the whole time. */
  back: number;
  /** What has fallen takes so many times the room that it had as rock. */
  bulk: number;
}

export interface TalusResult {
  /** Metres, sample by sample; to be added to the bed once. */
  change: Float32Array<ArrayBuffer>;
  /** Metres of loose material in the end, where a cover came with the bed. */
  loose?: Float32Array<ArrayBuffer>;
  reached?: Place;
}

interface TalusGround {
  bed: Float32Array;
  /** How easily each sample gives way, 0 to 1. */
  mask?: Float32Array;
  /** Metres of loose material that are part of the bed. */
  cover?: Float32Array;
  /** The angle of repose of every sample as a multiple of `tanRepose`. */
  grain?: Float32Array;
  beds?: BedsInputs;
}

export interface TalusInputs extends TalusGround {
  /** The same at the terrain's own samples. */
  seen?: TalusGround;
  /** At the samples of the grid that it goes on from, metres: what lies loose then, and, where rock sheds, what was made of the ground. */
  begun?: { loose: Float32Array; change?: Float32Array };
}

interface Level extends Rung {
  /** Byte offsets from the arena's start. */
  bed: number;
  change: number;
  /** 0: none. */
  mask: number;
  /** 0: none. */
  cover: number;
  /** The cover that a grid began with; 0: none. */
  coverBefore: number;
  /** 0: none. */
  grain: number;
  /** How easily rock sheds as its beds have it now; 0: none. */
  sheds: number;
  beds: BedsAt;
}

/** What beds do to rock that sheds. */
const BEDDED = { softEase: 2, hardEase: 0.03, softBank: 1, hardBank: 1 };

const PAD = 4;
const BORDER = { left: PAD, above: 1, aligned: 4 };
const WALL = 1e30;
/** An excess counts up to so many times the rise at the angle of repose: off a cliff it comes bit by bit, all at once it would stand at the foot as a needle. */
const CLIFF = 16;
/** In this share of the sweeps, the last ones, corners slide. */
const CORNERS = 0.2;
/** Rock sheds during this share of the sweeps; then what fell comes to rest. */
const SHEDDING = 0.7;
/** Of the time in which rock sheds the ground's own grid has so much, the next coarser one the rest. */
const OWN_SHED = 0.65;
/** A face gives at most this share of a sample's spacing in a sweep: the upwind scheme is stable there. */
const COURANT = 0.3;
/** Loose material this deep protects the rock under it, metres. */
const SHIELD = 1;
/** The beds are looked up once in so many sweeps: faces wear back by less than a third of a spacing in each. */
const BEDS_EVERY = 2;
/** Of what is too steep at an open edge, so much leaves in a sweep. */
const EDGE_SHARE = 0.2;

/**
 * Scree slides on ever finer grids: each level starts from what the coarser one moved, so that
 * long slopes come to rest in few sweeps and a preview shows what the full ground will do.
 *
 * What a level moved is laid over the next finer grid and its volume restored, so that none is made or lost.
 */
export const talusProgram: Program<TalusArgs, TalusInputs, TalusResult> = {
  id: 'talus',
  bytes: (args) => plan(args).bytes,

  load(arena, args, inputs) {
    const { levels, seen, bytes } = plan(args);
    const coarsest = levels[levels.length - 1];
    new Uint8Array(arena.buffer, arena.start, bytes).fill(0);
    for (const level of levels) floats(arena, arena.start + level.bed, bytesOf(level) / 4).fill(WALL);
    const layGround = (level: Level, { bed, mask, cover, grain, beds }: TalusGround) => {
      lay(arena, level.bed, level, bed);
      if (beds) layBeds(arena, level, level.beds, beds);
      if (mask) lay(arena, level.mask, level, mask);
      if (cover) lay(arena, level.cover, level, cover);
      if (grain) lay(arena, level.grain, level, grain);
    };
    layGround(levels[0], inputs);
    if (seen && inputs.seen) layGround(seen, inputs.seen);
    if (args.beds && inputs.beds) for (const level of levels) layTable(arena, level, level.beds, args.beds, inputs.beds.table);
    if (inputs.begun) {
      const { change, loose } = inputs.begun;
      if (change) lay(arena, coarsest.change, coarsest, change);
      lay(arena, coarsest.cover, coarsest, change ? loose.map((depth, i) => depth - change[i]) : loose);
    }
    clearStatus(statusWords(arena, plan(args).status));
  },

  *run(kernels, arena, args, band) {
    const { levels, seen, height, rate, moved, faceX, faceY, stirred, released, weights, passing, spare, status } = plan(args);
    const word = statusWords(arena, status);
    const given = { bed: true, mask: args.masked, cover: args.covered, grain: args.grained };
    for (const coarse of levels.slice(1)) {
      const own = seen && isSharedWith(coarse, seen) ? seen : levels[0];
      const passage = toCoarser(own, coarse);
      if (args.begun && coarse === levels[levels.length - 1]) {
        yield* pass(kernels, arena, passage, own.cover, passing, coarse.coverBefore, band);
        // Where no rock sheds, what slid is what lies there now beyond what lay there first.
        if (!args.rock) {
          const [from, to] = samplesOf(coarse, band);
          kernels.differences(arena.start + coarse.change, arena.start + coarse.cover, arena.start + coarse.coverBefore, from, to);
          yield;
        }
        continue;
      }
      if (args.beds) yield* passBeds(kernels, arena, passage, own.beds, passing, coarse.beds, band);
      for (const what of ['bed', 'mask', 'cover', 'grain'] as const) {
        if (!given[what]) continue;
        yield* pass(kernels, arena, passage, own[what], passing, coarse[what], band);
        if (what === 'cover' && args.rock) {
          const [cover, before] = [coarse.cover, coarse.coverBefore].map((o) => floats(arena, arena.start + o, bytesOf(coarse) / 4));
          const [from, to] = samplesOf(coarse, band);
          before.set(cover.subarray(from, to), from);
          yield;
        }
        if (what === 'bed') continue;
        // A spline's weights can leave a share or a depth under nothing by a hair.
        kernels.dropUnder(arena.start + coarse[what], ...samplesOf(coarse, band), 1e-6);
        yield;
      }
    }
    const work = levels.reduce((sum, level) => sum + level.across * level.down, 0) * args.sweeps;
    let done = 0;
    let ended = false;
    const worked = levels.length - (args.begun ? 1 : 0);
    for (let l = worked - 1; l >= 0; l--) {
      const level = levels[l];
      const { from, to } = rowsOf(level.down, band);
      const coarser = levels[l + 1];
      if (coarser) yield* handDown(kernels, arena, args, coarser, level, { passing, spare }, band);
      if (band.index === 0) {
        writeWeights(arena, weights, level, level.point);
        const size = level.stride * (level.down + 2);
        floats(arena, arena.start + height, size).fill(WALL);
        for (const at of [rate, faceX, faceY]) floats(arena, arena.start + at, size).fill(0);
        for (const at of [stirred, released]) new Int32Array(arena.buffer, arena.start + at, blocksOf(level)).fill(-1);
      }
      yield;

      const at = (offset: number) => arena.start + offset;
      const dropX = level.spacingX * args.tanRepose;
      const dropY = level.spacingY * args.tanRepose;
      const dropDiagonal = Math.sqrt(dropX * dropX + dropY * dropY);
      const inverseArea = at(weights) + level.stride * 12;
      const half = level.point ? 1 : 0;
      const depth = (args.begun?.grids ?? 0) + worked - 1 - l;
      const shed = shedding(args, levels, l);
      tell(word, band, l, 0);
      for (let sweep = 0; sweep < args.sweeps && !ended; sweep++) {
        if (yield* endsHere(word, band, args.until, { level: depth, round: sweep })) {
          ended = true;
          break;
        }
        kernels.talusHeight(at(level.bed), at(level.change), at(height), at(stirred), sweep - 1, level.stride, from, to);
        yield;
        if (shed.rate > 0 && sweep < SHEDDING * args.sweeps) {
          if (args.beds && sweep % BEDS_EVERY === 0) {
            const ground = { height, easeGiven: args.masked ? level.mask : undefined, ease: level.sheds, stirred, since: sweep - BEDS_EVERY };
            feelBeds(kernels, arena, args.beds, level, level.beds, ground, BEDDED, band);
          }
          const eased = args.beds ? level.sheds : level.mask;
          // In place: the height is written anew in the next sweep.
          kernels.talusShed(
            at(height),
            at(level.cover),
            at(level.change),
            args.masked || args.beds ? at(eased) : 0,
            at(stirred),
            // Where the beds were looked up anew, so is what they did since.
            sweep - (args.beds ? BEDS_EVERY : 1),
            sweep,
            at(weights) + level.stride * 4,
            level.stride,
            from,
            to,
            level.spacingX,
            level.spacingY,
            shed.cliff,
            shed.rate,
            shed.bulk,
            SHIELD,
          );
          yield;
        }
        // In the end no drop to a single neighbour stays steeper either: corners, of which the gradient knows nothing.
        const corners = sweep >= (1 - CORNERS) * args.sweeps;
        // Where nothing has moved since the last sweep, nothing does: all of it is looked at where corners come in.
        const since = corners && sweep - 1 < (1 - CORNERS) * args.sweeps ? -1 : sweep - 1;
        const marks = [at(stirred), at(released)] as const;
        const cover = args.covered ? at(level.cover) : 0;
        const grain = args.grained ? at(level.grain) : 0;
        const rows = [at(weights), inverseArea, level.stride, from, to, level.down, half] as const;
        if (corners) {
          kernels.talusRelease(at(height), at(rate), at(moved), grain, ...marks, since, sweep, ...rows, dropX, dropY, dropDiagonal);
        } else {
          kernels.talusFaces(
            at(height),
            at(faceX),
            at(faceY),
            grain,
            cover,
            at(level.change),
            at(stirred),
            since,
            level.stride,
            from,
            to,
            level.spacingX,
            level.spacingY,
            args.tanRepose,
          );
          yield;
          kernels.talusReleaseFaces(
            at(height),
            at(rate),
            at(moved),
            at(faceX),
            at(faceY),
            ...marks,
            since,
            sweep,
            ...rows,
            CLIFF * dropDiagonal,
            cover,
            at(level.change),
          );
        }
        if (args.masked || args.covered) {
          const laid = args.covered ? at(level.cover) : 0;
          const ease = args.masked && !args.covered ? at(level.mask) : 0;
          kernels.talusHold(at(rate), at(moved), laid, ease, at(level.change), at(released), sweep, level.stride, from, to);
        }
        yield;
        if (corners) kernels.talusSettle(at(height), at(rate), at(moved), at(level.change), grain, ...marks, sweep, ...rows, dropX, dropY, dropDiagonal);
        else kernels.talusSettleFaces(at(height), at(rate), at(moved), at(level.change), at(faceX), at(faceY), ...marks, sweep, ...rows);
        if (args.open) {
          spill(arena, args, level, height, from, to, dropX, dropY);
          stirRim(arena, level, stirred, sweep, from, to);
        }
        done += level.across * level.down;
        band.progress(done / work);
        tell(word, band, l, sweep + 1);
        yield;
      }
    }
  },

  take(arena, args) {
    const { levels, status } = plan(args);
    const change = lift(arena, levels[0].change, levels[0]);
    const loose = args.covered ? lift(arena, levels[0].cover, levels[0]) : undefined;
    if (loose) for (let i = 0; i < loose.length; i++) loose[i] = Math.max(0, loose[i] + change[i]);
    return { change, loose, reached: reachedBy(statusWords(arena, status)) };
  },

  peek(arena, args): InterimState | undefined {
    const { levels, status } = plan(args);
    const level = seenLevel(statusWords(arena, status), levels);
    if (!level) return undefined;
    return { across: level.across, down: level.down, change: lift(arena, level.change, level) };
  },
};

/** What a level sheds a sweep: the own grid and the next coarser one share the time. */
function shedding(args: TalusArgs, levels: Level[], l: number): RockFall & { rate: number } {
  const finer = l + (args.finerGrids ?? 0);
  if (!args.rock || !args.covered || finer > 1) return { cliff: 0, bulk: 1, back: 0, rate: 0 };
  const share = levels.length === 1 && !args.finerGrids ? 1 : finer === 0 ? OWN_SHED : 1 - OWN_SHED;
  const { spacingX, spacingY } = levels[l];
  const rate = (share * args.rock.back) / Math.max(1, SHEDDING * args.sweeps);
  return { ...args.rock, rate: Math.min(rate, COURANT * Math.min(spacingX, spacingY)) };
}

/** The samples of a band's rows, the border beside them too. */
function samplesOf({ down, stride }: Grid, band: Band): [from: number, to: number] {
  const { from, to } = rowsOf(down, band);
  return [(from + 1) * stride, (to + 1) * stride];
}

/** A level begins with what the coarser one moved and shed. */
function* handDown(
  kernels: KernelExports,
  arena: Arena,
  args: TalusArgs,
  coarser: Level,
  level: Level,
  room: { passing: PassRoom; spare: number },
  band: Band,
): Generator<void, void, void> {
  const passage = toFiner(coarser, level);
  const { from, to } = rowsOf(level.down, band);
  // A window shares its volume with what lies around it.
  const volume = args.begun ? null : band.index === 0 ? volumeOf(arena, coarser, coarser.change) : 0;
  yield* pass(kernels, arena, passage, coarser.change, room.passing, level.change, band);
  if (args.rock && args.covered) {
    // What was shed is the coarser grid's cover beyond what the finer one's own comes to there.
    const a = arena.start;
    const before = a + coarser.coverBefore;
    kernels.differences(before, a + coarser.cover, before, ...samplesOf(coarser, band));
    yield;
    const rockVolume = args.begun ? null : band.index === 0 ? volumeOf(arena, coarser, coarser.coverBefore) : 0;
    yield* pass(kernels, arena, passage, coarser.coverBefore, room.passing, room.spare, band);
    kernels.onlyLaid(a + room.spare, args.masked ? a + level.mask : 0, ...samplesOf(level, band));
    yield;
    if (band.index === 0) keepVolume(arena, level, room.spare, rockVolume);
    yield;
    for (let row = from; row < to; row++) {
      const first = (row + 1) * level.stride + PAD;
      kernels.putOn(a + level.cover, a + room.spare, first, first + level.across);
    }
    yield;
  }
  if (band.index === 0) {
    keepVolume(arena, level, level.change, volume, { ease: args.masked && !args.covered ? level.mask : 0, cover: args.covered ? level.cover : 0 });
  }
  yield;
}

/** At an open edge the ground beyond lies as much lower as the rim lies under what is inside: what is too steep there is gone. */
function spill(arena: Arena, args: TalusArgs, level: Level, heightAt: number, from: number, to: number, dropX: number, dropY: number): void {
  const { across, down, stride } = level;
  const size = bytesOf(level) / 4;
  const [height, change] = [heightAt, level.change].map((o) => floats(arena, arena.start + o, size));
  const mask = args.masked ? floats(arena, arena.start + level.mask, size) : undefined;
  const cover = args.covered ? floats(arena, arena.start + level.cover, size) : undefined;
  const leave = (rim: number, inside: number, drop: number) => {
    const over = height[inside] - height[rim] - drop;
    if (over <= 0) return;
    const wanted = EDGE_SHARE * over * (mask ? mask[rim] : 1);
    change[rim] -= cover ? Math.min(wanted, Math.max(0, cover[rim] + change[rim])) : wanted;
  };
  for (let row = from; row < to; row++) {
    const first = (row + 1) * stride + PAD;
    if (across > 1) leave(first, first + 1, dropX);
    if (across > 1) leave(first + across - 1, first + across - 2, dropX);
    if (down < 2 || (row > 0 && row < down - 1)) continue;
    const inward = row === 0 ? stride : -stride;
    for (let x = 1; x < across - 1; x++) leave(first + x, first + x + inward, dropY);
  }
}

/** How many entries a grid's blocks of 16 samples have, one more on every side. */
const blocksAcross = ({ stride }: Grid) => Math.ceil((stride - 2 * PAD) / 16) + 2;
const blocksOf = (grid: Grid) => blocksAcross(grid) * (grid.down + 2);

/** The rim of an open ground never counts as still. Own rows only. */
function stirRim(arena: Arena, level: Level, stirred: number, sweep: number, from: number, to: number): void {
  const perRow = blocksAcross(level);
  const entries = new Int32Array(arena.buffer, arena.start + stirred, blocksOf(level));
  for (let row = from; row < to; row++) {
    const [first, last] = [(row + 1) * perRow + 1, (row + 2) * perRow - 2];
    if (row === 0 || row === level.down - 1) entries.fill(sweep, first, last + 1);
    else {
      entries[first] = sweep;
      // The last sample may begin a block, and the one before it ends another.
      for (let block = Math.max(first, last - 1); block <= last; block++) entries[block] = sweep;
    }
  }
}

function plan(args: TalusArgs) {
  const room = claims();
  const claimed = (grid: Rung, l: number): Level => ({
    ...grid,
    bed: room.claim(bytesOf(grid)),
    change: room.claim(bytesOf(grid)),
    mask: args.masked ? room.claim(bytesOf(grid)) : 0,
    cover: args.covered ? room.claim(bytesOf(grid)) : 0,
    coverBefore: args.covered && (args.rock || args.begun) && l > 0 ? room.claim(bytesOf(grid)) : 0,
    grain: args.grained ? room.claim(bytesOf(grid)) : 0,
    sheds: args.beds ? room.claim(bytesOf(grid)) : 0,
    beds: claimBeds((bytes) => room.claim(bytes), grid, args.beds),
  });
  const levels = (args.begun ? ladderBelow(args, args.begun, BORDER) : ladderOf(args, BORDER)).map(claimed);
  const seen = args.seen && claimed(rungOf(args.seen, BORDER), 0);
  const size = Math.max(...levels.map((level) => bytesOf(level)));
  const [height, rate, moved, faceX, faceY] = [0, 1, 2, 3, 4].map(() => room.claim(size));
  const [stirred, released] = [0, 1].map(() => room.claim(4 * Math.max(...levels.map(blocksOf))));
  const passing = claimPass((bytes) => room.claim(bytes), levels, seen);
  const weights = room.claim(levels[0].stride * 16);
  const status = room.claim(STATUS_BYTES);
  return { levels, seen, height, rate, moved, faceX, faceY, stirred, released, weights, passing, spare: moved, status, bytes: room.bytes };
}

/** Rows of weights: pairs to the west, on the column, pairs to the east, and one over the column's share of a cell. */
export function writeWeights(arena: Arena, offset: number, level: Grid, point: boolean): void {
  const { across, stride } = level;
  const w = floats(arena, arena.start + offset, stride * 4).fill(0);
  const share = (x: number) => (x < 0 || x >= across ? 0 : point && (x === 0 || x === across - 1) ? 0.5 : 1);
  for (let x = 0; x < across; x++) {
    w[PAD + x] = Math.min(share(x), share(x - 1));
    w[stride + PAD + x] = share(x);
    w[2 * stride + PAD + x] = Math.min(share(x), share(x + 1));
    w[3 * stride + PAD + x] = 1 / share(x);
  }
}
