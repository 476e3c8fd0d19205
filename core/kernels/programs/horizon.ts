import { DEGREE, exactMath } from '../math';
import { floats, rowsOf, type Program } from '../program';
import { claims } from './levels';

interface Samples {
  across: number;
  down: number;
  spacingX: number;
  spacingY: number;
  /** Heights are multiplied by this first. */
  exaggeration: number;
}

export interface SkyArgs extends Samples {
  kind: 'level' | 'tilted';
  /** Directions that are looked in, all around. */
  directions: number;
}

export interface SunArgs extends Samples {
  kind: 'sun';
  /** Degrees clockwise from north, and above the level horizon. */
  azimuth: number;
  altitude: number;
  /** Degrees across; the sun's own is 0.533. */
  disc: number;
}

export type HorizonArgs = SkyArgs | SunArgs;

const KINDS = { level: 0, tilted: 1, sun: 2 };

/**
 * What the horizons all around leave to every sample: with `level` the share of an even sky that level ground there sees, with
 * `tilted` that which lights the ground as it lies (weighted by the cosine), with `sun` the share of the sun's disc. 0 to 1.
 */
export const horizonProgram: Program<HorizonArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'horizon',
  bytes: (args) => plan(args).bytes,

  load(arena, args, height) {
    const { straight } = plan(args);
    const { across, down } = args;
    const stride = strideOf(across);
    const to = floats(arena, arena.start + straight, stride * down);
    for (let row = 0; row < down; row++) to.set(height.subarray(row * across, (row + 1) * across), row * stride);
  },

  *run(kernels, arena, args, band) {
    const { across, down } = args;
    const { straight, turned, out, outTurned, scratch } = plan(args);
    const a = arena.start;
    const [stride, strideTurned] = [strideOf(across), strideOf(down)];
    const ways = waysOf(args);
    const turns = ways.some((way) => !way.alongX);
    if (turns) {
      const columns = rowsOf(across, band);
      kernels.turnOver(a + straight, a + turned, down, stride, strideTurned, columns.from, columns.to);
      floats(arena, a + outTurned + 4 * strideTurned * columns.from, strideTurned * (columns.to - columns.from)).fill(0);
    }
    const rows = rowsOf(down, band);
    floats(arena, a + out + 4 * stride * rows.from, stride * (rows.to - rows.from)).fill(0);
    yield;
    for (const [k, way] of ways.entries()) {
      const [long, wide] = way.alongX ? [across, down] : [down, across];
      const lines = linesOf(way.lean, long, wide);
      const { from, to } = rowsOf(lines.end - lines.first, band);
      // Some lines at a call: only what is called again runs at full speed.
      for (let first = lines.first + from; first < lines.first + to; first += LINES) {
        kernels.horizonLines(
          a + (way.alongX ? straight : turned),
          a + (way.alongX ? out : outTurned),
          a + scratch + Math.min(band.index, MOST_BANDS - 1) * scratchBytes(args),
          KINDS[args.kind],
          long,
          wide,
          strideOf(long),
          first,
          Math.min(lines.first + to, first + LINES),
          way.lean,
          way.step,
          args.exaggeration,
          way.alongLong,
          way.alongWide,
          way.alongX ? args.spacingX : args.spacingY,
          way.alongX ? args.spacingY : args.spacingX,
          way.ahead ? 1 : 0,
          args.kind === 'sun' ? args.altitude * DEGREE : 0,
          args.kind === 'sun' ? Math.max(1e-6, (args.disc / 2) * DEGREE) : 1,
        );
      }
      band.progress((k + 1) / ways.length);
      yield;
    }
    const scale = args.kind === 'sun' ? 1 : 1 / (2 * ways.length);
    const block = a + scratch + Math.min(band.index, MOST_BANDS - 1) * scratchBytes(args);
    kernels.gatherSums(a + out, turns ? a + outTurned : 0, block, across, stride, strideTurned, rows.from, rows.to, scale);
    yield;
  },

  take(arena, args) {
    const { across, down } = args;
    const stride = strideOf(across);
    const from = floats(arena, arena.start + plan(args).out, stride * down);
    const out = new Float32Array(across * down);
    for (let row = 0; row < down; row++) out.set(from.subarray(row * stride, row * stride + across), row * across);
    return out;
  },
};

interface Way {
  /** Lines run along x; else along y, on a copy turned over. */
  alongX: boolean;
  /** Samples aside for a sample along. */
  lean: number;
  /** Metres along the direction for a sample along. */
  step: number;
  alongLong: number;
  alongWide: number;
  /** The sun stands where lines lead, not where they come from. */
  ahead: boolean;
}

/** The directions whose lines are walked, each with its opposite. */
function waysOf(args: HorizonArgs): Way[] {
  const { sin, cos } = exactMath();
  const way = (toEast: number, toSouth: number): Way => {
    const alongX = Math.abs(toEast / args.spacingX) >= Math.abs(toSouth / args.spacingY);
    const [long, wide] = alongX ? [toEast, toSouth] : [toSouth, toEast];
    const [spacingLong, spacingWide] = alongX ? [args.spacingX, args.spacingY] : [args.spacingY, args.spacingX];
    const flip = long < 0 ? -1 : 1;
    return {
      alongX,
      lean: wide / spacingWide / (long / spacingLong),
      step: spacingLong / Math.abs(long),
      alongLong: flip * long,
      alongWide: flip * wide,
      ahead: flip > 0,
    };
  };
  if (args.kind === 'sun') return [way(sin(args.azimuth * DEGREE), -cos(args.azimuth * DEGREE))];
  const half = Math.max(1, Math.round(args.directions / 2));
  return Array.from({ length: half }, (_, k) => {
    const angle = ((k + 0.5) * 180 * DEGREE) / half;
    return way(cos(angle), sin(angle));
  });
}

/** The lines between which every sample of a grid lies. */
function linesOf(lean: number, long: number, wide: number): { first: number; end: number } {
  const most = Math.ceil(lean * (long - 1));
  return { first: -Math.max(0, most), end: wide - Math.min(0, most) };
}

/** Lines at a call. */
const LINES = 128;

const MOST_BANDS = 64;
/** As the kernel wants it: rows of a group of 16 lines and the one after it, its spans and quads. */
const scratchBytes = ({ across, down }: HorizonArgs) => ((3 * 17 + 10) * 4 * (Math.max(across, down) + 32) + (8 + 17 + 2 * 16 + 9) * 16 + 63) & ~63;

function plan(args: HorizonArgs) {
  const room = claims();
  const { across, down } = args;
  const [straight, out] = [1, 2].map(() => room.claim(4 * strideOf(across) * down));
  const [turned, outTurned] = [1, 2].map(() => room.claim(4 * strideOf(down) * across));
  const scratch = room.claim(MOST_BANDS * scratchBytes(args));
  return { straight, turned, out, outTurned, scratch, bytes: room.bytes };
}

/** Samples from one row to the next: were that a power of two, samples under each other would drive each other out of the nearest memory. */
const strideOf = (long: number) => (Math.ceil(long / 16) + 1) * 16;
