import { describe, expect, it } from 'vitest';
import { groundOf, noiseField } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { shapedHeights } from '../../../tests/helpers/shape-steps';

describe('smooth faces', () => {
  it('takes roughness away, keeps a cliff, and leaves a plain slope alone', async () => {
    const ground = groundOf(129, 33, 2);
    const rough = noiseField(ground, 9, -0.5, 0.5);
    const cliff = { ground, height: rough.height.map((r, i) => r + (i % 129 > 64 ? 60 : 0)) };
    const h = await shapedHeights('edge-smooth', { size: 8, edge: 2 }, cliff);
    const row = 16 * 129;
    expect(h[row + 66] - h[row + 63]).toBeGreaterThan(55);
    let before = 0;
    let after = 0;
    for (let c = 8; c < 50; c++) {
      before += rough.height[row + c] ** 2;
      after += h[row + c] ** 2;
    }
    expect(after).toBeLessThan(before / 6);
    const plane = fieldFrom(ground, (east) => 0.8 * east);
    const flat = await shapedHeights('edge-smooth', { size: 8, edge: 2 }, plane);
    for (let c = 30; c < 100; c++) expect(flat[row + c]).toBeCloseTo(plane.height[row + c], 2);
  });
});
