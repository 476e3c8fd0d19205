import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, range } from '../../../tests/helpers/grounds';
import { makeField } from '../../field/field';
import { statistics } from '../../field/statistics';
import { shapedHeights } from '../../../tests/helpers/shape-steps';

/** A single row of heights, to look at a function of height. */
const rowOf = (heights: number[]) => makeField(groundOf(heights.length, 1, 10), Float32Array.from(heights));

describe('equalise and invert', () => {
  it('every elevation covers as much ground as any other', async () => {
    const field = hills(groundOf(129));
    const h = await shapedHeights('equalise', {}, field);
    const [low, high] = range(field.height);
    expect(range(h)[0]).toBeCloseTo(low, 1);
    const counts = new Array(10).fill(0);
    for (const v of h) counts[Math.min(9, Math.floor(((v - low) / (high - low)) * 10))]++;
    counts.forEach((n) => expect(n / h.length).toBeCloseTo(0.1, 2));
  });

  it('twice inverted is as it was', async () => {
    const field = hills(groundOf(33));
    const once = await shapedHeights('invert', {}, field);
    expect(statistics({ ...field, height: once }).lowest).toBeCloseTo(statistics(field).lowest, 3);
    expect(largestDifference(await shapedHeights('invert', {}, { ...field, height: once }), field.height)).toBeLessThan(1e-3);
    expect((await shapedHeights('invert', { about: 'elevation', pivot: 100 }, rowOf([130])))[0]).toBe(70);
  });
});
