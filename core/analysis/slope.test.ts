import { describe, expect, it } from 'vitest';
import { groundOf, hills, noiseField } from '../../tests/helpers/grounds';
import { fieldFrom } from '../field/field';
import { inlineKernels } from '../kernels/pool';
import { hillshade, hillshadeOnKernels, slope, slopeOnKernels, surfaceOfRows } from './slope';

const kernels = inlineKernels();

describe('slope and hillshade over the kernels', () => {
  it.each([
    [1, 1],
    [2, 2],
    [1, 7],
    [7, 1],
    [3, 3],
    [65, 49],
    [130, 97],
  ])('have the bits of the plain loops, rim and all: %i × %i', async (across, down) => {
    const ground = groundOf(across, down, 8);
    for (const field of [noiseField({ ...ground, width: across * 8, depth: down * 5 }, 3), hills(ground, 5)]) {
      expect(await slopeOnKernels(kernels, field)).toEqual(slope(field));
      for (const light of [
        { azimuth: 315, altitude: 45, exaggeration: 1 },
        { azimuth: 20, altitude: 10, exaggeration: 4 },
      ])
        expect(await hillshadeOnKernels(kernels, field, light)).toEqual(Float32Array.from(hillshade(field, light)));
    }
  });

  it('have them at every steepness, from level to nearly upright', async () => {
    // Rises of 1 in a thousand million to 1 000 million in 1: every stretch of the arc tangent.
    const steep = fieldFrom(groundOf(129, 33, 1), (east, south) => 10 ** (east / 7 - 9) * Math.sin(east + south) + south * 10 ** (east / 14 - 6));
    expect(await slopeOnKernels(kernels, steep)).toEqual(slope(steep));
    const { height } = steep;
    for (const odd of [NaN, Infinity]) {
      const broken = { ...steep, height: height.map((h, i) => (i === 2000 ? odd : h)) };
      expect(await slopeOnKernels(kernels, broken)).toEqual(slope(broken));
    }
  });

  it('have them in bands of any height', async () => {
    const field = hills(groundOf(65, 49, 8), 5);
    const rows = { ground: field.ground, rows: (from: number, to: number) => Promise.resolve(field.height.slice(from * 65, to * 65)) };
    const light = { azimuth: 20, altitude: 30, exaggeration: 2 };
    for (const step of [1, 2, 20, 49]) {
      for (let from = 0; from < 49; from += step) {
        const to = Math.min(49, from + step);
        expect(await surfaceOfRows(kernels, rows, from, to)).toEqual(slope(field).subarray(from * 65, to * 65));
        expect(await surfaceOfRows(kernels, rows, from, to, light)).toEqual(Float32Array.from(hillshade(field, light)).subarray(from * 65, to * 65));
      }
    }
  });

  it('of a plane is its own: 1 in 2 is 26.565°, by tangent', async () => {
    const plane = fieldFrom(groundOf(33, 33, 4), (east) => east / 2);
    const degrees = await slopeOnKernels(kernels, plane);
    expect(Math.max(...degrees)).toBeCloseTo((Math.atan(0.5) * 180) / Math.PI, 5);
    expect(Math.min(...degrees)).toBeCloseTo((Math.atan(0.5) * 180) / Math.PI, 5);
  });
});
