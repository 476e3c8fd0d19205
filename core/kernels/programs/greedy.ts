import { inBlocks } from '../../blocks';
import { floats, type Program } from '../program';
import { claims } from './levels';

export interface GreedyArgs {
  across: number;
  down: number;
  /** The largest vertical error that may be left at a sample, metres. */
  maxError: number;
  /** Triangles at the most; Infinity: as many as it takes. */
  triangles: number;
  /** Samples on the rim that are corners, in order around it; those between them are left out. Null: the rim is treated as the inside is. */
  rim: Int32Array | null;
}

export interface GreedyResult {
  /** Three samples a triangle, clockwise on the map's paper. */
  corners: Uint32Array<ArrayBuffer>;
  /** The largest error that is left, metres. */
  error: number;
  /** Triangles and the largest error on the way. */
  course: [triangles: number, error: number][];
  /** There was no room for as many triangles as it would take. */
  full: boolean;
}

/** The most triangles that there is room for. */
export const MOST_TRIANGLES = 16_000_000;

/** Points that a mesh grows by between two looks around. */
const BATCH = 20_000;
/** Words that the kernel keeps of a triangle; its three corners come first. */
const RECORD = 8;
/** Triangles between two entries of the course, as a ratio. */
const NOTCH = 1.2;

/** A triangulation by greedy insertion (Garland & Heckbert 1995). On one thread: every point changes where the next one belongs. */
export const greedyProgram: Program<GreedyArgs, Float32Array, GreedyResult> = {
  id: 'greedy',
  bytes: (args) => plan(args).bytes,

  load(arena, args, height) {
    const { height: at, state } = plan(args);
    floats(arena, arena.start + at, args.across * args.down).set(height);
    floats(arena, arena.start + state, STATE).fill(0);
  },

  *run(kernels, arena, args, band) {
    const { height, room, state, limit } = plan(args);
    const told = floats(arena, arena.start + state, STATE);
    if (band.index !== 0) {
      // Meets the first band at every round, until the one that it says is the last.
      for (let round = 1; ; round++) {
        yield;
        if (told[LAST] === round) return;
      }
    }
    kernels.greedyBegin(arena.start + height, args.across, args.down, arena.start + room, limit, args.rim ? 1 : 0, args.maxError);
    for (const sample of args.rim ?? []) kernels.greedyPut((Math.floor(sample / args.across) << 16) | (sample % args.across));
    const until = Math.min(limit, args.triangles);
    let [count, entries, rounds, full] = [2, 0, 0, false];
    const note = (error: number) => {
      if (entries < ENTRIES) told.set([count, error], FIRST + 2 * entries++);
    };
    let error = kernels.greedyError();
    const began = error;
    note(error);
    while (error > args.maxError && count + 2 <= until) {
      const notch = Math.min(until, Math.max(count + 8, Math.floor(count * NOTCH)));
      while (count + 2 <= notch && error > args.maxError) {
        const now = kernels.greedyGrow(notch, BATCH);
        full = now < 0 && args.triangles > limit;
        count = Math.abs(now);
        error = kernels.greedyError();
        // Errors fall with the count about as one over it: how far it is, by that.
        band.progress(Math.min(0.99, args.maxError > 0 ? args.maxError / Math.max(args.maxError, Math.min(began, error)) : count / until));
        rounds++;
        yield;
        if (now < 0) break;
      }
      note(error);
      if (full) break;
    }
    told.set([count, error, entries, full ? 1 : 0]);
    told[LAST] = rounds + 1;
    band.progress(1);
    yield;
  },

  take(arena, args) {
    const { room, state } = plan(args);
    const told = floats(arena, arena.start + state, STATE);
    const [count, error, entries, full] = told;
    // Samples come by row and column.
    const records = new Uint32Array(arena.buffer, (arena.start + room + 31) & ~31, RECORD * count);
    const corners = new Uint32Array(3 * count);
    inBlocks(count, (from, to) => {
      for (let t = from; t < to; t++) {
        for (let k = 0; k < 3; k++) {
          const sample = records[RECORD * t + k];
          corners[3 * t + k] = (sample >>> 16) * args.across + (sample & 0xffff);
        }
      }
    });
    const course = Array.from({ length: entries }, (_, k): [number, number] => [told[FIRST + 2 * k], told[FIRST + 1 + 2 * k]]);
    return { corners, error, course, full: full === 1 };
  },
};

const ENTRIES = 120;
const LAST = 4;
const FIRST = 5;
const STATE = FIRST + 2 * ENTRIES;

function plan({ across, down, triangles, rim }: Pick<GreedyArgs, 'across' | 'down' | 'triangles' | 'rim'>) {
  const claimed = claims();
  // Twice as many triangles as samples is what a full grid has; those on the rim come before the count.
  const limit = Math.min(MOST_TRIANGLES, 2 * across * down + 4, Math.max(triangles, 2) + 2 * (rim?.length ?? 0) + 4);
  const height = claimed.claim(4 * across * down);
  const room = claimed.claim(52 * limit + 4096);
  const state = claimed.claim(4 * STATE);
  return { height, room, state, limit, bytes: claimed.bytes };
}
