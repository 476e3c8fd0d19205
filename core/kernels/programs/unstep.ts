import { floats, rowsOf, type Arena, type Band, type Program } from '../program';

export interface UnstepArgs {
  across: number;
  down: number;
  /** How far a sample may move from its code. */
  half: number;
  /** Rounds at every size of the grid. */
  rounds: number;
}

interface Level {
  across: number;
  down: number;
  stride: number;
  /** Byte offsets from the arena's start. */
  code: number;
  at: number;
  ahead: number;
  next: number;
}

const LEFT = 4;
const COARSEST = 16;

/**
 * The least bent surface that stays within `half` of its codes everywhere: accelerated
 * projected gradients (Beck & Teboulle 2009), from a grid a few samples wide to ever finer
 * ones, so that wide plateaus bend as wholes. Beyond the edge the slope is carried on.
 */
export const unstepProgram: Program<UnstepArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'unstep',
  bytes: (args) => plan(args).bytes,

  load(arena, args, codes) {
    const [finest] = plan(args).levels;
    const padded = floats(arena, arena.start + finest.code, finest.stride * (finest.down + 4)).fill(0);
    for (let row = 0; row < args.down; row++) {
      padded.set(codes.subarray(row * args.across, (row + 1) * args.across), (row + 2) * finest.stride + LEFT);
    }
  },

  *run(kernels, arena, args, band) {
    const { levels } = plan(args);
    for (let l = 1; l < levels.length; l++) {
      halve(arena, levels[l - 1], levels[l], band);
      yield;
    }
    const work = levels.reduce((sum, level) => sum + level.across * level.down, 0) * args.rounds;
    let done = 0;
    for (let l = levels.length - 1; l >= 0; l--) {
      const level = levels[l];
      const { from, to } = rowsOf(level.down, band);
      begin(arena, level, levels[l + 1], args.half, from, to);
      yield;
      let { ahead, next } = level;
      let t = 1;
      for (let round = 0; round < args.rounds; round++) {
        const later = (1 + Math.sqrt(1 + 4 * t * t)) / 2;
        kernels.unstepRows(
          arena.start + ahead,
          arena.start + next,
          arena.start + level.at,
          arena.start + level.code,
          level.stride,
          from,
          to,
          level.across,
          args.half,
          (t - 1) / later,
        );
        carryOn(floats(arena, arena.start + next, level.stride * (level.down + 4)), level, from, to);
        t = later;
        [ahead, next] = [next, ahead];
        done += level.across * level.down;
        if ((round & 7) === 0) band.progress(done / work);
        yield;
      }
    }
  },

  take(arena, args) {
    const [finest] = plan(args).levels;
    const padded = floats(arena, arena.start + finest.at, finest.stride * (finest.down + 4));
    const out = new Float32Array(args.across * args.down);
    for (let row = 0; row < args.down; row++) {
      const start = (row + 2) * finest.stride + LEFT;
      out.set(padded.subarray(start, start + args.across), row * args.across);
    }
    return out;
  },
};

function plan({ across, down }: UnstepArgs) {
  const levels: Level[] = [];
  let offset = 0;
  const claim = (bytes: number) => {
    const at = offset;
    offset += (bytes + 63) & ~63;
    return at;
  };
  for (;;) {
    const stride = ((across + 3) & ~3) + 2 * LEFT;
    const size = stride * (down + 4) * 4;
    levels.push({ across, down, stride, code: claim(size), at: claim(size), ahead: claim(size), next: claim(size) });
    if (Math.min(across, down) <= COARSEST) return { levels, bytes: offset };
    across = (across + 1) >> 1;
    down = (down + 1) >> 1;
  }
}

/** The means of four samples; at an odd edge of those there are. */
function halve(arena: Arena, fine: Level, coarse: Level, band: Band): void {
  const a = floats(arena, arena.start + fine.code, fine.stride * (fine.down + 4));
  const b = floats(arena, arena.start + coarse.code, coarse.stride * (coarse.down + 4));
  const { from, to } = rowsOf(coarse.down, band);
  for (let row = from; row < to; row++) {
    const north = (2 * row + 2) * fine.stride + LEFT;
    const south = 2 * row + 1 < fine.down ? north + fine.stride : north;
    for (let x = 0; x < coarse.across; x++) {
      const west = 2 * x;
      const east = west + 1 < fine.across ? west + 1 : west;
      b[(row + 2) * coarse.stride + LEFT + x] = (a[north + west] + a[north + east] + (a[south + west] + a[south + east])) * 0.25;
    }
  }
}

/** A level begins from the coarser one, straight between the middles of its cells, or from the codes. */
function begin(arena: Arena, level: Level, coarse: Level | undefined, half: number, from: number, to: number): void {
  const size = level.stride * (level.down + 4);
  const code = floats(arena, arena.start + level.code, size);
  const at = floats(arena, arena.start + level.at, size);
  const ahead = floats(arena, arena.start + level.ahead, size);
  const c = coarse && floats(arena, arena.start + coarse.at, coarse.stride * (coarse.down + 4));
  for (let row = from; row < to; row++) {
    const start = (row + 2) * level.stride + LEFT;
    const near = row >> 1;
    const other = coarse ? Math.min(coarse.down - 1, Math.max(0, row & 1 ? near + 1 : near - 1)) : 0;
    for (let x = 0; x < level.across; x++) {
      const i = start + x;
      let value = code[i];
      if (c && coarse) {
        const nx = x >> 1;
        const ox = Math.min(coarse.across - 1, Math.max(0, x & 1 ? nx + 1 : nx - 1));
        const a = (near + 2) * coarse.stride + LEFT;
        const b = (other + 2) * coarse.stride + LEFT;
        const smooth = (9 * c[a + nx] + 3 * (c[a + ox] + c[b + nx]) + c[b + ox]) / 16;
        value = Math.min(code[i] + half, Math.max(code[i] - half, smooth));
      }
      at[i] = value;
      ahead[i] = value;
    }
  }
  carryOn(ahead, level, from, to);
}

/** Fills two samples around the grid so that the slope at its edge carries on: bends across the edge are none. */
function carryOn(grid: Float32Array, { across, down, stride }: Level, from: number, to: number): void {
  for (let row = from; row < to; row++) {
    const first = (row + 2) * stride + LEFT;
    const last = first + across - 1;
    // One sample across has no slope to carry on.
    const west = across > 1 ? grid[first] - grid[first + 1] : 0;
    const east = across > 1 ? grid[last] - grid[last - 1] : 0;
    grid[first - 1] = grid[first] + west;
    grid[first - 2] = grid[first] + 2 * west;
    grid[last + 1] = grid[last] + east;
    grid[last + 2] = grid[last] + 2 * east;
  }
  // The rows beside the edge belong to one band: bands have more rows than two.
  const beyond = (edge: number, inner: number, step: number) => {
    for (let k = LEFT - 2; k < LEFT + across + 2; k++) {
      const value = grid[edge + k];
      const slope = down > 1 ? value - grid[inner + k] : 0;
      grid[edge + step * stride + k] = value + slope;
      grid[edge + 2 * step * stride + k] = value + 2 * slope;
    }
  };
  if (from === 0 && to > 0) beyond(2 * stride, 3 * stride, -1);
  if (to === down && to > from) beyond((down + 1) * stride, down * stride, 1);
}
