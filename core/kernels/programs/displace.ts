import { floats, rowsOf, type Program } from '../program';

export interface DisplaceArgs {
  across: number;
  down: number;
  /** Metres from sample to sample. */
  stepX: number;
  stepY: number;
  /** No place is asked farther away than this, metres. */
  most: number;
}

export interface DisplaceInputs {
  source: Float32Array;
  /** Metres to the east and to the south that each sample is asked at. */
  east: Float32Array;
  south: Float32Array;
}

/** The field asked at displaced places, by Catmull–Rom; the outside is carried on. */
export const displaceProgram: Program<DisplaceArgs, DisplaceInputs, Float32Array<ArrayBuffer>> = {
  id: 'displace',
  bytes: ({ across, down }) => 4 * across * down * 4,

  load(arena, { across, down }, { source, east, south }) {
    const size = across * down;
    [source, east, south].forEach((values, i) => floats(arena, arena.start + i * size * 4, size).set(values));
  },

  *run(kernels, arena, { across, down, stepX, stepY, most }, band) {
    const at = (i: number) => arena.start + i * across * down * 4;
    const { from, to } = rowsOf(down, band);
    kernels.displaceRows(at(0), at(1), at(2), at(3), across, down, from, to, most, most, stepX, stepY);
    band.progress(1);
    yield;
  },

  take: (arena, { across, down }) => floats(arena, arena.start + 3 * across * down * 4, across * down).slice() as Float32Array<ArrayBuffer>,
};

export interface PlaceArgs {
  across: number;
  down: number;
  outAcross: number;
  outDown: number;
  /** Place in source samples: x = x0 + xc · column + xr · row, and y likewise. */
  x0: number;
  xc: number;
  xr: number;
  y0: number;
  yc: number;
  yr: number;
  edge: 'carry' | 'mirror' | 'wrap';
  point: boolean;
}

const EDGE = { carry: 0, mirror: 1, wrap: 2 } as const;

/** The field moved, turned, scaled or sheared, by Catmull–Rom; the outside carried on, mirrored or wrapped. */
export const placeProgram: Program<PlaceArgs, Float32Array, Float32Array<ArrayBuffer>> = {
  id: 'place',
  bytes: ({ across, down, outAcross, outDown }) => (across * down + outAcross * outDown) * 4,

  load(arena, { across, down }, source) {
    floats(arena, arena.start, across * down).set(source);
  },

  *run(kernels, arena, a, band) {
    const { from, to } = rowsOf(a.outDown, band);
    const out = arena.start + a.across * a.down * 4;
    kernels.placeRows(arena.start, a.across, a.down, out, a.outAcross, from, to, a.x0, a.xc, a.xr, a.y0, a.yc, a.yr, EDGE[a.edge], a.point ? 1 : 0);
    band.progress(1);
    yield;
  },

  take: (arena, { across, down, outAcross, outDown }) =>
    floats(arena, arena.start + across * down * 4, outAcross * outDown).slice() as Float32Array<ArrayBuffer>,
};
