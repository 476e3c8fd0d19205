import { describe, expect, it } from 'vitest';
import { groundOf, hills, noiseField } from '../../tests/helpers/grounds';
import { fieldFrom } from '../field/field';
import { inlineKernels } from '../kernels/pool';
import { hillshade, hillshadeOnKernels, slope, slopeOnKernels } from './slope';

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

  it('of a plane is its own: 1 in 2 is 26.565°, by tangent', async () => {
    const plane = fieldFrom(groundOf(33, 33, 4), (east) => east / 2);
    const degrees = await slopeOnKernels(kernels, plane);
    expect(Math.max(...degrees)).toBeCloseTo((Math.atan(0.5) * 180) / Math.PI, 5);
    expect(Math.min(...degrees)).toBeCloseTo((Math.atan(0.5) * 180) / Math.PI, 5);
  });
});
