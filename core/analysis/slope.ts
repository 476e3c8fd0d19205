import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { DEGREE, exactMath } from '../kernels/math';
import type { Kernels, RunOptions } from '../kernels/pool';
import { surfaceProgram } from '../kernels/programs/surface';

/**
 * Calls `visit` with the rise over run to the east and to the south of every sample, row by row,
 * by Horn's weighted differences (Horn 1981); at the rim the outer samples carry on.
 */
export function eachGradient(
  h: Float32Array,
  across: number,
  down: number,
  spacing: { x: number; y: number },
  visit: (index: number, east: number, south: number) => void,
): void {
  // Row by row: what is called again and again is compiled for what it sees.
  const visitRow = (row: number) => {
    const n = row > 0 ? -across : 0;
    const s = row < down - 1 ? across : 0;
    const runY = 4 * ((s - n) / across || 1) * spacing.y;
    for (let column = 0, i = row * across; column < across; column++, i++) {
      const w = column > 0 ? -1 : 0;
      const e = column < across - 1 ? 1 : 0;
      const runX = 4 * (e - w || 1) * spacing.x;
      const nw = h[i + n + w];
      const ne = h[i + n + e];
      const sw = h[i + s + w];
      const se = h[i + s + e];
      visit(i, (ne + 2 * h[i + e] + se - (nw + 2 * h[i + w] + sw)) / runX, (sw + 2 * h[i + s] + se - (nw + 2 * h[i + n] + ne)) / runY);
    }
  };
  for (let row = 0; row < down; row++) visitRow(row);
}

function eachGradientOf(field: Field, visit: (index: number, east: number, south: number) => void): void {
  eachGradient(field.height, field.ground.across, field.ground.down, spacingOf(field.ground), visit);
}

/** Slope in degrees. Source: Horn 1981. */
export function slope(field: Field): Float32Array<ArrayBuffer> {
  const { atan } = exactMath();
  const out = new Float32Array(field.height.length);
  eachGradientOf(field, (i, east, south) => {
    out[i] = atan(Math.sqrt(east * east + south * south)) / DEGREE;
  });
  return out;
}

/** The same over the kernels, with the same bits. Source: Horn 1981. */
export function slopeOnKernels(kernels: Kernels, field: Field, options?: RunOptions): Promise<Float32Array<ArrayBuffer>> {
  const { across, down } = field.ground;
  return kernels.run(surfaceProgram, { across, down, spacing: spacingOf(field.ground) }, field.height, options);
}

/** Whole ground whose heights are there row by row. */
interface RowsOf {
  ground: Field['ground'];
  rows(from: number, to: number, signal?: AbortSignal): Promise<Float32Array>;
}

/** The slope, or with a light the hillshade, of the rows `from` … `to` − 1: the bits of the whole, with a row of margin on either side. */
export async function surfaceOfRows(kernels: Kernels, { ground, rows }: RowsOf, from: number, to: number, light?: Light, signal?: AbortSignal) {
  const { across, down } = ground;
  const [first, last] = [Math.max(0, from - 1), Math.min(down, to + 1)];
  const args = {
    across,
    down: last - first,
    spacing: spacingOf(ground),
    ...(light ? { light: { exaggeration: light.exaggeration, ...directionOf(light) } } : {}),
  };
  const out = await kernels.run(surfaceProgram, args, (await rows(first, last, signal)) as Float32Array<ArrayBuffer>, { signal });
  return out.subarray((from - first) * across, (to - first) * across);
}

/** Aspect: the compass direction a slope faces, degrees clockwise from north; −1 where it is level. Source: Horn 1981. */
export function aspect(field: Field): Float32Array<ArrayBuffer> {
  const { atan2 } = exactMath();
  const out = new Float32Array(field.height.length);
  eachGradientOf(field, (i, east, south) => {
    if (east === 0 && south === 0) {
      out[i] = -1;
      return;
    }
    // Downhill is against the gradient; south is positive y, north is up on the compass.
    const bearing = atan2(-east, south) / DEGREE;
    out[i] = bearing < 0 ? bearing + 360 : bearing;
  });
  return out;
}

export interface Light {
  /** Degrees clockwise from north that the light comes from. */
  azimuth: number;
  /** Degrees above the horizon. */
  altitude: number;
  /** Heights are multiplied by this before they are lit. */
  exaggeration: number;
}

export const DEFAULT_LIGHT: Light = { azimuth: 315, altitude: 45, exaggeration: 1 };

/** Where a light comes from, and how high it stands: parts up, to the east and to the south. */
function directionOf({ azimuth, altitude }: Light) {
  const { sin, cos } = exactMath();
  const flat = cos(altitude * DEGREE);
  return { up: sin(altitude * DEGREE), toEast: sin(azimuth * DEGREE) * flat, toSouth: -cos(azimuth * DEGREE) * flat };
}

/** A hillshade over the kernels, as floats; its numbers are those of {@link hillshade}. */
export function hillshadeOnKernels(kernels: Kernels, field: Field, light: Light = DEFAULT_LIGHT, options?: RunOptions): Promise<Float32Array<ArrayBuffer>> {
  const { across, down } = field.ground;
  const args = { across, down, spacing: spacingOf(field.ground), light: { exaggeration: light.exaggeration, ...directionOf(light) } };
  return kernels.run(surfaceProgram, args, field.height, options);
}

/** Hillshade, 1 to 255 (0 is kept for no data). Formula: the GDAL manual, `gdaldem hillshade`, Horn's gradient. */
export function hillshade(field: Field, light: Light = DEFAULT_LIGHT): Uint8Array<ArrayBuffer> {
  const { up, toEast, toSouth } = directionOf(light);
  const out = new Uint8Array(field.height.length);
  const z = light.exaggeration;
  eachGradientOf(field, (i, east, south) => {
    const ex = east * z;
    const so = south * z;
    const lit = (up - ex * toEast - so * toSouth) / Math.sqrt(1 + ex * ex + so * so);
    out[i] = lit <= 0 ? 1 : Math.floor(1 + 254 * lit + 0.5);
  });
  return out;
}

/** The steepest drop from any sample to one of its eight neighbours, degrees. */
export function steepestDrop(field: Field): number {
  const { across, down } = field.ground;
  const { x, y } = spacingOf(field.ground);
  const diagonal = Math.sqrt(x * x + y * y);
  const h = field.height;
  let most = 0;
  const compare = (a: number, b: number, run: number) => {
    const rise = Math.abs(a - b) / run;
    if (rise > most) most = rise;
  };
  for (let row = 0; row < down; row++) {
    const here = row * across;
    const south = here + across;
    const hasSouth = row < down - 1;
    for (let column = 0; column < across; column++) {
      const value = h[here + column];
      if (column < across - 1) compare(value, h[here + column + 1], x);
      if (!hasSouth) continue;
      compare(value, h[south + column], y);
      if (column > 0) compare(value, h[south + column - 1], diagonal);
      if (column < across - 1) compare(value, h[south + column + 1], diagonal);
    }
  }
  return exactMath().atan(most) / DEGREE;
}
