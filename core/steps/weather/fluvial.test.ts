import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { weathered } from '../../../tests/helpers/weather-steps';

describe('rivers', () => {
  it('end at the sea: its floor and the ground under it keep their bits, nothing is cut below its level', async () => {
    const field = fractal(groundOf(129, 129, 16), { seed: 8, height: 260 });
    const stage = await weathered(field, 'fluvial', { amount: 20_000 }, 290);
    for (let i = 0; i < field.height.length; i++) {
      if (field.height[i] < 290) expect(stage.height[i]).toBe(field.height[i]);
      else expect(stage.height[i]).toBeGreaterThanOrEqual(290);
    }
  });

  it('lay down more, and cut less in all, the more settles on the way', async () => {
    const field = fractal(groundOf(129, 129, 16), { seed: 8, height: 260 });
    const none = await weathered(field, 'fluvial', { amount: 4000, lakes: 'stay' }, -900);
    const much = await weathered(field, 'fluvial', { amount: 4000, lakes: 'stay', deposit: 1.5 }, -900);
    const sum = (l: Float32Array) => l.reduce((a, b) => a + b, 0);
    expect(sum(much.layers.cut)).toBeLessThan(0.9 * sum(none.layers.cut));
  });
});
