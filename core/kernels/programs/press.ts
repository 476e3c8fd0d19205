import { floats, rowsOf, type Program } from '../program';
import { claims } from './levels';

/** How a mesh lies over samples. */
export interface PressArgs {
  across: number;
  down: number;
  vertices: number;
  faces: number;
  up: 'y' | 'z';
  /** The plan's corner, metres; from sample to sample; and samples from the corner to the first. */
  west: number;
  north: number;
  stepX: number;
  stepY: number;
  pad: number;
  /** Metres that the mesh's heights count from, and that the ground's do. */
  lifted: number;
  datum: number;
  /** The lowest surface lies under the topmost one only if by more than this, metres. */
  apart: number;
}

export interface PressInputs {
  /** x, y, z. */
  positions: Float32Array;
  /** Three vertices a face. */
  indices: Uint32Array;
}

/** Areas are counted in such parts of a sample, so that their sum does not depend on the order. */
export const AREA_PARTS = 2 ** 24;

/** What lies over the samples. */
export interface Surfaces {
  /** The topmost surface, metres over the datum; 0 where there is none. */
  height: Float32Array<ArrayBuffer>;
  /** How far the lowest one lies under it. */
  gap: Float32Array<ArrayBuffer>;
  /** 0 at samples without a surface, else 1; left out where there are none such. */
  valid?: Uint8Array<ArrayBuffer>;
  /** Samples without a surface, and with more than one. */
  holes: number;
  overhangs: number;
}

/** Which way the faces look. */
export interface Facing {
  /** Faces upright or without area; facing up; facing down; the doubled area of the latter two, in parts of a sample. */
  upright: number;
  upwards: number;
  downwards: number;
  cells: number;
}

export interface Pressed extends Surfaces, Facing {
  /** A face names a vertex that is not there; nothing was drawn then. */
  stray: boolean;
}

/** Faces between two looks whether to stop, and faces in a row. */
const AT_ONCE = 1_000_000;
const BLOCK = 8192;

/** Triangles looked at from straight above; every band draws its own rows. */
export const pressProgram: Program<PressArgs, PressInputs, Pressed> = {
  id: 'press',
  bytes: (args) => plan(args).bytes,

  load(arena, args, { positions, indices }) {
    const at = plan(args);
    doubles(arena, at.counts, 8 * MOST_BANDS).fill(0);
    new Int32Array(arena.buffer, arena.start + at.stray, 1)[0] = 0;
    new Uint32Array(arena.buffer, arena.start + at.indices, 3 * args.faces).set(indices);
    floats(arena, arena.start + at.positions, 3 * args.vertices).set(positions);
  },

  *run(kernels, arena, args, band) {
    const { across, down, vertices, faces, up } = args;
    const at = plan(args);
    const a = arena.start;
    const places = a + at.places;
    const share = (count: number, of: number) => Math.ceil((count * of) / band.count);
    const stray = new Int32Array(arena.buffer, a + at.stray, 1);
    const [plane, above, southwards] = up === 'y' ? [2, 1, 1] : [1, 2, -1];
    const [first, end] = [share(vertices, band.index), share(vertices, band.index + 1)];
    kernels.pressPlace(a + at.positions, first, end, plane, above, southwards, args.west, args.north, args.stepX, args.stepY, args.pad, places);
    if (kernels.pressLargest(a + at.indices, share(3 * faces, band.index), share(3 * faces, band.index + 1)) >= vertices) stray[0] = 1;
    const { from, to } = rowsOf(down, band);
    doubles(arena, at.top, across * down).fill(-Infinity, from * across, to * across);
    doubles(arena, at.bottom, across * down).fill(Infinity, from * across, to * across);
    const counts = at.counts + 64 * band.index;
    doubles(arena, counts, COUNTS).fill(0);
    yield;
    if (stray[0]) return;
    // Every face is counted once, by the band in whose rows its first vertex lies.
    const [ownFrom, ownTo] = [from === 0 ? -Infinity : from, to === down ? Infinity : to];
    const rounds = Math.max(1, Math.ceil(faces / AT_ONCE));
    for (let round = 0; round < rounds; round++) {
      // Blocks from all over the mesh: most come in the order of rows, and only one band would have work.
      for (let face = round * BLOCK; to > from && face < faces; face += rounds * BLOCK) {
        const until = Math.min(faces, face + BLOCK);
        kernels.pressFaces(a + at.indices, face, until, places, a + at.top, a + at.bottom, across, from, to - 1, ownFrom, ownTo, a + counts);
      }
      band.progress((round + 1) / rounds);
      yield;
    }
    const [heights, gaps, valid] = [a + at.heights, a + at.gaps, a + at.valid];
    const { lifted, datum, apart } = args;
    kernels.pressSamples(a + at.top, a + at.bottom, from * across, to * across, lifted, datum, apart, heights, gaps, valid, a + counts + 32);
  },

  take(arena, args) {
    const at = plan(args);
    const sums = Array.from({ length: COUNTS }, () => 0);
    for (let band = 0; band < MOST_BANDS; band++) doubles(arena, at.counts + 64 * band, COUNTS).forEach((n, k) => (sums[k] += n));
    const [upright, upwards, downwards, cells, holes, overhangs] = sums;
    const samples = args.across * args.down;
    return {
      height: floats(arena, arena.start + at.heights, samples).slice() as Float32Array<ArrayBuffer>,
      gap: floats(arena, arena.start + at.gaps, samples).slice() as Float32Array<ArrayBuffer>,
      valid: holes ? (new Uint8Array(arena.buffer, arena.start + at.valid, samples).slice() as Uint8Array<ArrayBuffer>) : undefined,
      holes,
      overhangs,
      upright,
      upwards,
      downwards,
      cells,
      stray: new Int32Array(arena.buffer, arena.start + at.stray, 1)[0] !== 0,
    };
  },
};

const doubles = ({ buffer, start }: { buffer: ArrayBufferLike; start: number }, offset: number, count: number) =>
  new Float64Array(buffer, start + offset, count);

/** Bands that there is room for counts of, and how many each counts. */
const MOST_BANDS = 256;
const COUNTS = 6;

function plan({ across, down, vertices, faces }: PressArgs) {
  const room = claims();
  return {
    stray: room.claim(4),
    counts: room.claim(64 * MOST_BANDS),
    positions: room.claim(12 * vertices),
    places: room.claim(24 * vertices),
    indices: room.claim(12 * faces),
    top: room.claim(8 * across * down),
    bottom: room.claim(8 * across * down),
    heights: room.claim(4 * across * down),
    gaps: room.claim(4 * across * down),
    valid: room.claim(across * down),
    bytes: room.bytes,
  };
}
