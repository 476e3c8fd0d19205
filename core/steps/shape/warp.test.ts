import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference } from '../../../tests/helpers/grounds';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { shapedHeights } from '../../../tests/helpers/shape-steps';

const kernels = inlineKernels();

describe('warp and place', () => {
  it('warp moves nothing farther than its amount, and nothing at all at none', async () => {
    const slope = fieldFrom(groundOf(129, 129, 5), (east) => east);
    const h = await shapedHeights('warp', { amount: 30, feature: 150 }, slope);
    for (let row = 0; row < 129; row++) for (let c = 8; c < 121; c++) expect(Math.abs(h[row * 129 + c] - c * 5)).toBeLessThanOrEqual(30.001);
    expect(largestDifference(await shapedHeights('warp', { amount: 0 }, slope), slope.height)).toBe(0);
  });

  it('place turned four times by 90°, flipped twice or moved there and back gives the ground again', async () => {
    const field = hills(groundOf(65, 65, 8));
    let h = field.height;
    for (let i = 0; i < 4; i++) h = await shapedHeights('place', { turn: 90 }, { ...field, height: h });
    expect(largestDifference(h, field.height)).toBeLessThan(1e-3);
    const flipped = await shapedHeights('place', { flip: 'columns' }, field);
    expect(flipped[10]).toBe(field.height[54]);
    const moved = await shapedHeights('place', { east: 40, north: -24, edge: 'wrap' }, field);
    // Five samples to the east, three to the south.
    expect(moved[40 * 65 + 40]).toBeCloseTo(field.height[37 * 65 + 35], 3);
    const twice = await shapedHeights('place', { across: 2, down: 2 }, field);
    expect(twice[32 * 65 + 42]).toBeCloseTo(field.height[32 * 65 + 37], 3);
  });

  it('both move along what earlier steps left behind', async () => {
    const steep = hills(groundOf(65, 65, 8), 3, 900);
    const course = makeCourse('t', steep.ground, [stepUse('talus', { repose: 20 }), stepUse('place', { flip: 'rows' })]);
    const { stages } = await evaluate(course, { kernels, from: steep });
    for (let c = 0; c < 65; c++) expect(stages[1].layers.cut[c]).toBeCloseTo(stages[0].layers.cut[64 * 65 + c], 4);
  });
});
