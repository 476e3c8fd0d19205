import { floats, rowsOf, type Arena, type Band, type Program } from '../program';

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
}

export interface TalusInputs {
  bed: Float32Array;
  /** How easily each sample gives way, 0 to 1. */
  mask?: Float32Array;
}

interface Level {
  across: number;
  down: number;
  stride: number;
  /** Samples along one coarse step, as a factor of the finest spacing. */
  factor: number;
  /** Byte offsets from the arena's start. */
  bed: number;
  change: number;
  /** 0: none. */
  mask: number;
}

const PAD = 4;
const WALL = 1e30;
const COARSEST = 33;

/**
 * Scree slides on ever finer grids: each level starts from what the coarser one moved, so that
 * long slopes come to rest in few sweeps and a preview shows what the full ground will do.
 *
 * Coarse beds: every second sample (point registration) or the mean of four (area). A level's
 * change is carried to the next finer grid bilinearly, which keeps its volume: the integral of
 * the bilinear surface is the trapezoid sum on either grid.
 */
export const talusProgram: Program<TalusArgs, TalusInputs, Float32Array<ArrayBuffer>> = {
  id: 'talus',
  bytes: (args) => plan(args).bytes,

  load(arena, args, { bed, mask }) {
    const { levels, bytes } = plan(args);
    new Uint8Array(arena.buffer, arena.start, bytes).fill(0);
    const finest = levels[0];
    const padded = floats(arena, arena.start + finest.bed, finest.stride * (finest.down + 2)).fill(WALL);
    for (let row = 0; row < args.down; row++) {
      padded.set(bed.subarray(row * args.across, (row + 1) * args.across), (row + 1) * finest.stride + PAD);
    }
    if (!mask) return;
    const loose = floats(arena, arena.start + finest.mask, finest.stride * (finest.down + 2));
    for (let row = 0; row < args.down; row++) {
      loose.set(mask.subarray(row * args.across, (row + 1) * args.across), (row + 1) * finest.stride + PAD);
    }
  },

  *run(kernels, arena, args, band) {
    const { levels, height, rate, moved, weights } = plan(args);
    for (let l = 1; l < levels.length; l++) {
      coarsen(arena, levels[l - 1], levels[l], 'bed', WALL, args.point, band);
      if (args.masked) coarsen(arena, levels[l - 1], levels[l], 'mask', 0, args.point, band);
      yield;
    }
    const work = levels.reduce((sum, level) => sum + level.across * level.down, 0) * args.sweeps;
    let done = 0;
    for (let l = levels.length - 1; l >= 0; l--) {
      const level = levels[l];
      const { from, to } = rowsOf(level.down, band);
      if (l < levels.length - 1) carryOver(arena, levels[l + 1], level, args.point, band);
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
      const loose = args.masked ? at(level.mask) : 0;
      const half = args.point ? 1 : 0;
      for (let sweep = 0; sweep < args.sweeps; sweep++) {
        kernels.talusHeight(at(level.bed), at(level.change), at(height), level.stride, from, to);
        yield;
        kernels.talusRelease(
          at(height),
          at(rate),
          at(moved),
          at(weights),
          inverseArea,
          loose,
          level.stride,
          from,
          to,
          level.down,
          half,
          dropX,
          dropY,
          dropDiagonal,
        );
        yield;
        kernels.talusSettle(
          at(height),
          at(rate),
          at(moved),
          at(level.change),
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
        done += level.across * level.down;
        band.progress(done / work);
        yield;
      }
    }
  },

  /** The change in metres, sample by sample; to be added to the bed once. */
  take(arena, args) {
    const { levels } = plan(args);
    const { stride, change, down } = levels[0];
    const padded = floats(arena, arena.start + change, stride * (down + 2));
    const out = new Float32Array(args.across * args.down);
    for (let row = 0; row < args.down; row++) {
      const start = (row + 1) * stride + PAD;
      out.set(padded.subarray(start, start + args.across), row * args.across);
    }
    return out;
  },
};

function plan(args: TalusArgs) {
  const levels: Level[] = [];
  let offset = 0;
  const claim = (bytes: number) => {
    const at = offset;
    offset += (bytes + 63) & ~63;
    return at;
  };
  const extra = args.point ? 1 : 0;
  let { across, down } = args;
  for (let factor = 1; ; factor *= 2) {
    const stride = ((across + 3) & ~3) + 2 * PAD;
    const size = stride * (down + 2) * 4;
    levels.push({ across, down, stride, factor, bed: claim(size), change: claim(size), mask: args.masked ? claim(size) : 0 });
    const halves = (across - extra) % 2 === 0 && (down - extra) % 2 === 0;
    const next = { across: (across - extra) / 2 + extra, down: (down - extra) / 2 + extra };
    if (!halves || next.across < COARSEST || next.down < COARSEST) break;
    ({ across, down } = next);
  }
  const { stride } = levels[0];
  const size = stride * (args.down + 2) * 4;
  const height = claim(size);
  const rate = claim(size);
  const moved = claim(size);
  const weights = claim(stride * 16);
  return { levels, height, rate, moved, weights, bytes: offset };
}

/** Rows of weights: pairs to the west, on the column, pairs to the east, and one over the column's share of a cell. */
function writeWeights(arena: Arena, offset: number, level: Level, point: boolean): void {
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

function coarsen(arena: Arena, fine: Level, coarse: Level, what: 'bed' | 'mask', wall: number, point: boolean, band: Band): void {
  const a = floats(arena, arena.start + fine[what], fine.stride * (fine.down + 2));
  const b = floats(arena, arena.start + coarse[what], coarse.stride * (coarse.down + 2));
  if (band.index === 0) {
    b.fill(wall, 0, coarse.stride);
    b.fill(wall, (coarse.down + 1) * coarse.stride);
  }
  const { from, to } = rowsOf(coarse.down, band);
  for (let row = from; row < to; row++) {
    const out = (row + 1) * coarse.stride;
    b.fill(wall, out, out + coarse.stride);
    const north = (2 * row + 1) * fine.stride + PAD;
    for (let x = 0; x < coarse.across; x++) {
      const at = north + 2 * x;
      b[out + PAD + x] = point ? a[at] : (a[at] + a[at + 1] + (a[at + fine.stride] + a[at + fine.stride + 1])) * 0.25;
    }
  }
}

function carryOver(arena: Arena, coarse: Level, fine: Level, point: boolean, band: Band): void {
  const c = floats(arena, arena.start + coarse.change, coarse.stride * (coarse.down + 2));
  const f = floats(arena, arena.start + fine.change, fine.stride * (fine.down + 2));
  const { from, to } = rowsOf(fine.down, band);
  for (let row = from; row < to; row++) {
    // The two coarse rows that a fine row lies between, and its place between them.
    const near = row >> 1;
    const other = point ? Math.min(coarse.down - 1, near + (row & 1)) : Math.min(coarse.down - 1, Math.max(0, row & 1 ? near + 1 : near - 1));
    const wy = point ? (row & 1 ? 0.5 : 0) : 0.25;
    const a = (near + 1) * coarse.stride + PAD;
    const b = (other + 1) * coarse.stride + PAD;
    const out = (row + 1) * fine.stride + PAD;
    for (let x = 0; x < fine.across; x++) {
      const nx = x >> 1;
      const ox = point ? Math.min(coarse.across - 1, nx + (x & 1)) : Math.min(coarse.across - 1, Math.max(0, x & 1 ? nx + 1 : nx - 1));
      const wx = point ? (x & 1 ? 0.5 : 0) : 0.25;
      const north = c[a + nx] + wx * (c[a + ox] - c[a + nx]);
      const south = c[b + nx] + wx * (c[b + ox] - c[b + nx]);
      f[out + x] = north + wy * (south - north);
    }
  }
}
