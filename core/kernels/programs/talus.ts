import { floats, rowsOf, type Arena, type Program, type InterimState } from '../program';
import { clearStatus, endsHere, reachedBy, seenLevel, STATUS_BYTES, statusWords, tell, type Place } from './early';
import { bytesOf, claims, coarsen, halvings, lay, lift, refine, soften, spareHard, type Halving } from './levels';

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
  /** What slides over the edge is gone; the ground beyond goes on as steeply as inside. */
  open?: boolean;
  until?: Place;
}

export interface TalusResult {
  /** Metres, sample by sample; to be added to the bed once. */
  change: Float32Array<ArrayBuffer>;
  reached?: Place;
}

export interface TalusInputs {
  bed: Float32Array;
  /** How easily each sample gives way, 0 to 1. */
  mask?: Float32Array;
  /** Metres of loose material that are part of the bed. */
  cover?: Float32Array;
}

interface Level extends Halving {
  /** Byte offsets from the arena's start. */
  bed: number;
  change: number;
  /** 0: none. */
  mask: number;
  /** 0: none. */
  cover: number;
}

const PAD = 4;
const WALL = 1e30;
const COARSEST = 33;
/** Of what is too steep at an open edge, so much leaves in a sweep. */
const EDGE_SHARE = 0.2;

/**
 * Scree slides on ever finer grids: each level starts from what the coarser one moved, so that
 * long slopes come to rest in few sweeps and a preview shows what the full ground will do.
 *
 * Coarse beds: every second sample (point registration) or the mean of four (area). A level's
 * change is carried to the next finer grid bilinearly, which keeps its volume: the integral of
 * the bilinear surface is the trapezoid sum on either grid.
 */
export const talusProgram: Program<TalusArgs, TalusInputs, TalusResult> = {
  id: 'talus',
  bytes: (args) => plan(args).bytes,

  load(arena, args, { bed, mask, cover }) {
    const { levels, bytes } = plan(args);
    new Uint8Array(arena.buffer, arena.start, bytes).fill(0);
    for (const level of levels) floats(arena, arena.start + level.bed, bytesOf(level) / 4).fill(WALL);
    lay(arena, levels[0].bed, levels[0], bed);
    if (mask) lay(arena, levels[0].mask, levels[0], mask);
    if (cover) lay(arena, levels[0].cover, levels[0], cover);
    clearStatus(statusWords(arena, plan(args).status));
  },

  *run(kernels, arena, args, band) {
    const { levels, height, rate, moved, limit, weights, status } = plan(args);
    const word = statusWords(arena, status);
    for (let l = 1; l < levels.length; l++) {
      const [fine, coarse] = [levels[l - 1], levels[l]];
      coarsen(arena, { grid: fine, at: fine.bed }, { grid: coarse, at: coarse.bed }, args.point, band);
      if (args.masked) coarsen(arena, { grid: fine, at: fine.mask }, { grid: coarse, at: coarse.mask }, args.point, band);
      if (args.covered) coarsen(arena, { grid: fine, at: fine.cover }, { grid: coarse, at: coarse.cover }, args.point, band);
      yield;
    }
    const work = levels.reduce((sum, level) => sum + level.across * level.down, 0) * args.sweeps;
    let done = 0;
    let ended = false;
    for (let l = levels.length - 1; l >= 0; l--) {
      const level = levels[l];
      const { from, to } = rowsOf(level.down, band);
      const coarser = levels[l + 1];
      // A coarse grid's foot of a slope lies along its rows and columns.
      if (coarser) yield* soften(arena, coarser, coarser.change, height, coarser.change, args.point, band);
      if (coarser) refine(arena, { grid: coarser, at: coarser.change }, { grid: level, at: level.change }, args.point, band);
      if (coarser && args.masked) {
        yield;
        if (band.index === 0) spareHard(arena, level, level.change, level.mask, args.point);
      }
      if (band.index === 0) {
        writeWeights(arena, weights, level, args.point);
        const size = level.stride * (level.down + 2);
        floats(arena, arena.start + height, size).fill(WALL);
        floats(arena, arena.start + rate, size).fill(0);
      }
      yield;

      const at = (offset: number) => arena.start + offset;
      const dropX = args.spacingX * level.factor * args.tanRepose;
      const dropY = args.spacingY * level.factor * args.tanRepose;
      const dropDiagonal = Math.sqrt(dropX * dropX + dropY * dropY);
      const inverseArea = at(weights) + level.stride * 12;
      const half = args.point ? 1 : 0;
      const depth = levels.length - 1 - l;
      tell(word, band, l, 0);
      for (let sweep = 0; sweep < args.sweeps && !ended; sweep++) {
        if (yield* endsHere(word, band, args.until, { level: depth, round: sweep })) {
          ended = true;
          break;
        }
        kernels.talusHeight(at(level.bed), at(level.change), at(height), level.stride, from, to);
        yield;
        kernels.talusLimit(at(height), at(limit), level.stride, from, to, dropX, dropY, dropDiagonal);
        yield;
        kernels.talusRelease(
          at(height),
          at(rate),
          at(moved),
          at(limit),
          at(weights),
          inverseArea,
          level.stride,
          from,
          to,
          level.down,
          half,
          dropX,
          dropY,
          dropDiagonal,
        );
        if (args.masked || args.covered) {
          const laid = args.covered ? at(level.cover) : 0;
          const ease = args.masked ? at(level.mask) : 0;
          kernels.talusHold(at(rate), at(moved), laid, ease, at(level.change), level.stride, from, to);
        }
        yield;
        kernels.talusSettle(
          at(height),
          at(rate),
          at(moved),
          at(level.change),
          at(limit),
          at(weights),
          inverseArea,
          level.stride,
          from,
          to,
          level.down,
          half,
          dropX,
          dropY,
          dropDiagonal,
        );
        if (args.open) spill(arena, args, level, height, from, to, dropX, dropY);
        done += level.across * level.down;
        band.progress(done / work);
        tell(word, band, l, sweep + 1);
        yield;
      }
    }
  },

  take(arena, args) {
    const { levels, status } = plan(args);
    return { change: lift(arena, levels[0].change, levels[0]), reached: reachedBy(statusWords(arena, status)) };
  },

  peek(arena, args): InterimState | undefined {
    const { levels, status } = plan(args);
    const level = seenLevel(statusWords(arena, status), levels);
    if (!level) return undefined;
    return { across: level.across, down: level.down, change: lift(arena, level.change, level) };
  },
};

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

function plan(args: TalusArgs) {
  const room = claims();
  const levels: Level[] = halvings(args.across, args.down, args.point, COARSEST, { left: PAD, above: 1, aligned: 4 }).map((grid) => ({
    ...grid,
    bed: room.claim(bytesOf(grid)),
    change: room.claim(bytesOf(grid)),
    mask: args.masked ? room.claim(bytesOf(grid)) : 0,
    cover: args.covered ? room.claim(bytesOf(grid)) : 0,
  }));
  const size = bytesOf(levels[0]);
  const [height, rate, moved, limit] = [room.claim(size), room.claim(size), room.claim(size), room.claim(size)];
  const weights = room.claim(levels[0].stride * 16);
  const status = room.claim(STATUS_BYTES);
  return { levels, height, rate, moved, limit, weights, status, bytes: room.bytes };
}

/** Rows of weights: pairs to the west, on the column, pairs to the east, and one over the column's share of a cell. */
export function writeWeights(arena: Arena, offset: number, level: Halving, point: boolean): void {
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
