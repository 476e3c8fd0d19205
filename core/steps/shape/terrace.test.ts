import { describe, expect, it } from 'vitest';
import { groundOf, largestDifference, noiseField } from '../../../tests/helpers/grounds';
import { makeField } from '../../field/field';
import { shapedHeights } from '../../../tests/helpers/shape-steps';

/** A single row of heights, to look at a function of height. */
const rowOf = (heights: number[]) => makeField(groundOf(heights.length, 1, 10), Float32Array.from(heights));

describe('terrace', () => {
  it('has level treads at its spacing when it is sharp, and leaves the ground at full tilt', async () => {
    const ramp = rowOf(Array.from({ length: 1001 }, (_, i) => i / 10));
    const treads = await shapedHeights('terrace', { spacing: 10, sharpness: 1, tilt: 0, variation: 0 }, ramp);
    expect(treads[350]).toBe(30);
    expect(treads[390]).toBe(30);
    const same = await shapedHeights('terrace', { spacing: 10, sharpness: 0.5, tilt: 1 }, ramp);
    expect(largestDifference(same, ramp.height)).toBeLessThan(1e-4);
  });

  it('keeps every height within its own tread and riser', async () => {
    const field = noiseField(groundOf(50), 4, 0, 900);
    const out = await shapedHeights('terrace', { spacing: 40, variation: 0.8, seed: 3 }, field);
    expect(largestDifference(out, field.height)).toBeLessThan(40 * 1.8);
  });
});
