import { floats, rowsOf, type Program } from '../program';

export interface NormalsArgs {
  across: number;
  down: number;
  spacing: { x: number; y: number };
  bits: 8 | 16;
  /** What the three codes are: east, north, up; east, south, up; or east, up, south. */
  axes: 'enu' | 'esu' | 'eus';
}

type Codes = Uint8Array<ArrayBuffer> | Uint16Array<ArrayBuffer>;

const AXES = { enu: 0, esu: 1, eus: 2 };

/** Normals as codes, three a sample, by Horn's differences. */
export const normalsProgram: Program<NormalsArgs, Float32Array, Codes> = {
  id: 'normals',
  bytes: ({ across, down, bits }) => across * down * (4 + (3 * bits) / 8),

  load(arena, { across, down }, height) {
    floats(arena, arena.start, across * down).set(height);
  },

  *run(kernels, arena, { across, down, spacing: { x, y }, bits, axes }, band) {
    const { from, to } = rowsOf(down, band);
    kernels.normalRows(arena.start, arena.start + 4 * across * down, across, down, from, to, x, y, bits === 16 ? 65_535 : 255, AXES[axes]);
    band.progress(1);
    yield;
  },

  take(arena, { across, down, bits }) {
    const [at, count] = [arena.start + 4 * across * down, 3 * across * down];
    return (bits === 16 ? new Uint16Array(arena.buffer, at, count) : new Uint8Array(arena.buffer, at, count)).slice() as Codes;
  },
};
