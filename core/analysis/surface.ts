import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import type { Kernels, RunOptions } from '../kernels/pool';
import { normalsProgram } from '../kernels/programs/normals';

/** Largest difference between the highest and lowest of a sample and its eight neighbours, metres (the GDAL manual, `gdaldem roughness`); rim samples look at what there is. */
export function roughness(field: Field): Float32Array<ArrayBuffer> {
  const { across, down } = field.ground;
  const out = new Float32Array(across * down);
  for (let row = 0; row < down; row++) {
    for (let column = 0; column < across; column++) {
      let low = Infinity;
      let high = -Infinity;
      for (let y = Math.max(0, row - 1); y <= Math.min(down - 1, row + 1); y++) {
        for (let x = Math.max(0, column - 1); x <= Math.min(across - 1, column + 1); x++) {
          const h = field.height[y * across + x];
          if (h < low) low = h;
          if (h > high) high = h;
        }
      }
      out[row * across + column] = high - low;
    }
  }
  return out;
}

/**
 * Curvature along the slope (`profile`) and along the contour (`plan`), one over metres, by
 * Zevenbergen & Thorne 1987: negative profile curvature where the slope steepens downhill
 * (convex), as in their paper. 0 on level ground. The outer samples carry on at the rim.
 */
export function curvature(field: Field, kind: 'profile' | 'plan'): Float32Array<ArrayBuffer> {
  return curvatureOf(field.height, field.ground.across, field.ground.down, spacingOf(field.ground), kind);
}

/** The same of heights on a grid; `mean` is the mean of both directions, negative where the ground stands out. */
export function curvatureOf(
  h: Float32Array,
  across: number,
  down: number,
  spacing: { x: number; y: number },
  kind: 'profile' | 'plan' | 'mean',
): Float32Array<ArrayBuffer> {
  const out = new Float32Array(across * down);
  for (let row = 0; row < down; row++) {
    const n = Math.max(0, row - 1) * across;
    const m = row * across;
    const s = Math.min(down - 1, row + 1) * across;
    for (let column = 0; column < across; column++) {
      const w = Math.max(0, column - 1);
      const e = Math.min(across - 1, column + 1);
      const z5 = h[m + column];
      const D = ((h[m + w] + h[m + e]) / 2 - z5) / (spacing.x * spacing.x);
      const E = ((h[n + column] + h[s + column]) / 2 - z5) / (spacing.y * spacing.y);
      if (kind === 'mean') {
        out[m + column] = D + E;
        continue;
      }
      const F = (-h[n + w] + h[n + e] + h[s + w] - h[s + e]) / (4 * spacing.x * spacing.y);
      const G = (-h[m + w] + h[m + e]) / (2 * spacing.x);
      const H = (h[n + column] - h[s + column]) / (2 * spacing.y);
      const square = G * G + H * H;
      if (square === 0) continue;
      out[m + column] = kind === 'profile' ? (-2 * (D * G * G + E * H * H + F * G * H)) / square : (2 * (D * H * H + E * G * G - F * G * H)) / square;
    }
  }
  return out;
}

export interface NormalOptions {
  /** Which way the green channel points on a tangent map. */
  green?: 'up' | 'down';
  bits?: 8 | 16;
  /** `tangent`: +X east, +Y north, +Z up. `world-y`: x east, y up, z south. `world-z`: x east, y north, z up, whatever `green` is. */
  space?: 'tangent' | 'world-y' | 'world-z';
}

/** Normals as colour, full scale for 1 and none for −1; a plane that rises 45° to the east is (37, 128, 218) in tangent space. */
export function normalMap(
  kernels: Kernels,
  field: Field,
  { green = 'up', bits = 8, space = 'tangent' }: NormalOptions = {},
  options: RunOptions = {},
): Promise<Uint8Array<ArrayBuffer> | Uint16Array<ArrayBuffer>> {
  const { across, down } = field.ground;
  const axes = space === 'world-y' ? 'eus' : space === 'tangent' && green === 'down' ? 'esu' : 'enu';
  return kernels.run(normalsProgram, { across, down, spacing: spacingOf(field.ground), bits, axes }, field.height, options);
}
