import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { makeField } from '../../field/field';
import { runShape, shapedHeights } from '../../../tests/helpers/shape-steps';

/** A single row of heights, to look at a function of height. */
const rowOf = (heights: number[]) => makeField(groundOf(heights.length, 1, 10), Float32Array.from(heights));

describe('levels, clamp and exposure', () => {
  it('count what they clip', async () => {
    const field = rowOf([0, 10, 20, 30, 40, 50]);
    const { height, words } = await runShape('levels', { inLow: 10, inHigh: 30, outLow: 100, outHigh: 200 }, field);
    expect([...height]).toEqual([100, 100, 150, 200, 200, 200]);
    expect(words[0]).toMatch(/3 samples lie beyond the input range and are clipped: 1 at its lower end, 2 at its upper/);
    const clamped = await runShape('clamp', { low: 5, high: 35, shoulder: 0 }, field);
    expect([...clamped.height]).toEqual([5, 10, 20, 30, 35, 35]);
    expect(clamped.words[0]).toMatch(/3 samples lay beyond the bounds/);
  });

  it('gamma lifts the middle; a stop doubles what lies above the pivot', async () => {
    expect((await shapedHeights('levels', { inLow: 0, inHigh: 1000, gamma: 2, outLow: 0, outHigh: 1000 }, rowOf([250])))[0]).toBeCloseTo(500, 3);
    expect([...(await shapedHeights('exposure', { stops: 1, pivot: 100, offset: 5 }, rowOf([100, 150, 90])))]).toEqual([105, 205, 85]);
  });

  it('the shoulder of a clamp has no edge: it meets the ground and the bound at their own slopes', async () => {
    const h = await shapedHeights('clamp', { low: -1000, high: 100, shoulder: 20 }, rowOf(Array.from({ length: 401 }, (_, i) => i / 2)));
    const slope = (i: number) => (h[i + 1] - h[i]) / 0.5;
    expect(slope(159)).toBeCloseTo(1, 3);
    expect(slope(160)).toBeGreaterThan(0.96);
    expect(slope(239)).toBeLessThan(0.02);
    expect(Math.max(...h)).toBe(100);
  });
});
