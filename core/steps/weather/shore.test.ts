import { describe, expect, it } from 'vitest';
import { fieldFrom } from '../../field/field';
import { groundOf } from '../../../tests/helpers/grounds';
import { weathered } from '../../../tests/helpers/weather-steps';

describe('shore', () => {
  it('changes nothing above the waves, keeps the water line where it was, and nears its slopes', async () => {
    const field = fieldFrom(groundOf(201, 41, 4), (e) => (e - 400) * 0.3);
    const stage = await weathered(field, 'shore', { amount: 1, scale: 80, height: 6, beach: 4, bench: 2 });
    for (let i = 0; i < field.height.length; i++) {
      if (field.height[i] > 6) expect(stage.height[i]).toBe(field.height[i]);
      expect(stage.height[i] >= 0).toBe(field.height[i] >= 0);
    }
    const row = 20 * 201;
    const slope = (a: number, b: number) => (Math.atan((stage.height[row + b] - stage.height[row + a]) / ((b - a) * 4)) * 180) / Math.PI;
    expect(slope(101, 103)).toBeLessThan(12);
    expect(slope(96, 99)).toBeLessThan(6);
  });
});
