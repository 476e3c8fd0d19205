import { rowsOf, type Program } from '../program';

export interface Octave {
  /** Cycles a metre. */
  frequency: number;
  /** The lattice's turn. */
  cos: number;
  sin: number;
  /** Offset in cells. */
  offset: number;
  weight: number;
  seed: number;
}

export interface NoiseArgs {
  across: number;
  down: number;
  /** Metres: the first sample's place and the spacing. */
  firstX: number;
  stepX: number;
  firstY: number;
  stepY: number;
  kind: 0 | 1 | 2;
  octaves: Octave[];
  scale: number;
  add: number;
}

const RECORD = 40;
const TABLE = 64 * RECORD;

const strideOf = (across: number) => (across + 3) & ~3;

/** Fractal gradient noise over a grid. */
export const noiseProgram: Program<NoiseArgs, null, Float32Array<ArrayBuffer>> = {
  id: 'noise',
  bytes: ({ across, down }) => TABLE + strideOf(across) * down * 4,

  load(arena, { octaves }) {
    const view = new DataView(arena.buffer, arena.start, TABLE);
    octaves.forEach((octave, i) => {
      const at = i * RECORD;
      view.setFloat64(at, octave.frequency, true);
      view.setFloat64(at + 8, octave.cos, true);
      view.setFloat64(at + 16, octave.sin, true);
      view.setFloat64(at + 24, octave.offset, true);
      view.setFloat32(at + 32, octave.weight, true);
      view.setInt32(at + 36, octave.seed, true);
    });
  },

  *run(kernels, arena, args, band) {
    const { from, to } = rowsOf(args.down, band);
    const stride = strideOf(args.across);
    const out = arena.start + TABLE;
    // Sixteen rows at a time, so that a stop is heard; the bands need not meet, but all yield alike.
    const most = Math.max(Math.ceil(args.down / band.count), 1);
    for (let done = 0; done < most; done += 16) {
      const first = Math.min(to, from + done);
      const last = Math.min(to, first + 16);
      if (last > first) {
        kernels.noiseRows(
          out,
          stride,
          first,
          last,
          args.firstX,
          args.stepX,
          args.firstY,
          args.stepY,
          arena.start,
          args.octaves.length,
          args.kind,
          args.scale,
          args.add,
        );
      }
      band.progress((done + 16) / most);
      yield;
    }
  },

  take(arena, { across, down }) {
    const stride = strideOf(across);
    const all = new Float32Array(arena.buffer, arena.start + TABLE, stride * down);
    const height = new Float32Array(across * down);
    if (stride === across) {
      height.set(all);
    } else {
      for (let row = 0; row < down; row++) height.set(all.subarray(row * stride, row * stride + across), row * across);
    }
    return height;
  },
};
