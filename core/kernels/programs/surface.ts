import { floats, rowsOf, type Program } from '../program';

export interface SurfaceArgs {
  across: number;
  down: number;
  spacing: { x: number; y: number };
  /** Of a hillshade: how many times the heights are taken, and the direction of the light; left out: the slope. */
  light?: { exaggeration: number; up: number; toEast: number; toSouth: number };
}

/** Slope in degrees, or a hillshade from 1 to 255, by Horn's differences. */
export const surfaceProgram: Program<SurfaceArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'surface',
  bytes: ({ across, down }) => 8 * across * down,

  load(arena, { across, down }, height) {
    floats(arena, arena.start, across * down).set(height);
  },

  *run(kernels, arena, { across, down, spacing: { x, y }, light }, band) {
    const out = arena.start + 4 * across * down;
    const { from, to } = rowsOf(down, band);
    // A few rows at a time, so that a stop is heard; all bands yield alike.
    const most = Math.ceil(down / (down < 48 ? 1 : band.count));
    for (let done = 0; done < most; done += ROWS) {
      const [first, last] = [Math.min(to, from + done), Math.min(to, from + done + ROWS)];
      if (last > first) {
        if (light) kernels.hillshadeRows(arena.start, out, across, down, first, last, x, y, light.exaggeration, light.up, light.toEast, light.toSouth);
        else kernels.slopeRows(arena.start, out, across, down, first, last, x, y);
      }
      band.progress(Math.min(1, (done + ROWS) / most));
      yield;
    }
  },

  take: (arena, { across, down }) => floats(arena, arena.start + 4 * across * down, across * down).slice() as Float32Array<ArrayBuffer>,
};

const ROWS = 256;
