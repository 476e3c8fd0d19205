import { floats, rowsOf, type Program } from '../program';
import { unpadded } from './filter';

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
  /** Where the grid begins within a larger one, samples. */
  left?: number;
  top?: number;
  /** Metres: the place of the larger grid's first sample, and the spacing. */
  firstX: number;
  stepX: number;
  firstY: number;
  stepY: number;
  /** 0 gradient, 1 simplex, 2 cellular F1, 3 cellular F2, 4 cellular F2 − F1. */
  basis?: 0 | 1 | 2 | 3 | 4;
  /** 0 fBm, 1 ridged, 2 billow, 3 hybrid multifractal. */
  kind: 0 | 1 | 2 | 3;
  octaves: Octave[];
  /** The field that displaces the places the noise is asked at, by `warpBy` metres at its unit. */
  warp?: Octave[];
  warpBy?: number;
  scale: number;
  add: number;
  /** Weights are given, and the noise is wanted only where they lie between 0 and 1; elsewhere it may be 0. */
  within?: boolean;
}

const RECORD = 40;
const TABLE = 64 * RECORD;

/** Samples that are made between two looks whether to stop. */
const AT_ONCE = 200_000;

/** More bands than this have nothing to do. */
const MOST_BANDS = 64;

/** Bytes that a band keeps the gradients of an octave's last cells in. */
const CELLS = 160;

/** Where a band keeps them, from the arena's start. */
const cellsOf = ({ across, down, octaves, warp = [] }: NoiseArgs, band: number): number =>
  TABLE + strideOf(across) * down * 4 + band * CELLS * (octaves.length + 2 * warp.length);

const strideOf = (across: number) => (across + 3) & ~3;

/** Fractal gradient noise over a grid. */
export const noiseProgram: Program<NoiseArgs, Float32Array | null, Float32Array<ArrayBuffer>> = {
  id: 'noise',
  bytes: (args) => cellsOf(args, MOST_BANDS),

  load(arena, { across, down, octaves, warp = [] }, weights) {
    const view = new DataView(arena.buffer, arena.start, TABLE);
    [...octaves, ...warp].forEach((octave, i) => {
      const at = i * RECORD;
      view.setFloat64(at, octave.frequency, true);
      view.setFloat64(at + 8, octave.cos, true);
      view.setFloat64(at + 16, octave.sin, true);
      view.setFloat64(at + 24, octave.offset, true);
      view.setFloat32(at + 32, octave.weight, true);
      view.setInt32(at + 36, octave.seed, true);
    });
    if (!weights) return;
    const stride = strideOf(across);
    const out = floats(arena, arena.start + TABLE, stride * down);
    for (let row = 0; row < down; row++) out.set(weights.subarray(row * across, (row + 1) * across), row * stride);
  },

  *run(kernels, arena, args, band) {
    const bands = Math.min(MOST_BANDS, band.count);
    const { from, to } = band.index < bands ? rowsOf(args.down, { ...band, count: bands }) : { from: 0, to: 0 };
    const cells = arena.start + cellsOf(args, band.index);
    const stride = strideOf(args.across);
    const out = arena.start + TABLE;
    // A few rows at a time, so that a stop is heard; the bands need not meet, but all yield alike.
    const most = Math.max(Math.ceil(args.down / bands), 1);
    const rows = Math.max(16, Math.ceil(AT_ONCE / args.across));
    for (let done = 0; done < most; done += rows) {
      const first = Math.min(to, from + done);
      const last = Math.min(to, first + rows);
      if (last > first) {
        kernels.noiseRows(
          out,
          stride,
          first,
          last,
          args.left ?? 0,
          args.top ?? 0,
          args.firstX,
          args.stepX,
          args.firstY,
          args.stepY,
          arena.start,
          args.octaves.length,
          args.warp?.length ?? 0,
          args.warpBy ?? 0,
          args.basis ?? 0,
          args.kind,
          args.scale,
          args.add,
          args.within ? 1 : 0,
          cells,
        );
      }
      band.progress(Math.min(1, (done + rows) / most));
      yield;
    }
  },

  take: (arena, { across, down }) => unpadded(arena, TABLE, strideOf(across), across, down),
};
