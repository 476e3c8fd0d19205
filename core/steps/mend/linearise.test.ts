import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { runMend } from '../../../tests/helpers/mend-steps';

describe('linearise', () => {
  it('undoes the sRGB curve: 0.5 becomes 0.21404, and 0.5 linear comes from 0.73536 (IEC 61966-2-1)', async () => {
    const field = { ground: groundOf(3, 1), height: Float32Array.of(0, 127.5, 255) };
    const { height } = await runMend('linearise', field);
    expect(height[0]).toBe(0);
    expect(height[1] / 255).toBeCloseTo(0.21404, 5);
    expect(height[2]).toBe(255);
    const back = await runMend('linearise', { ...field, height: Float32Array.of(0, 127.5, 255) }, { way: 'apply' });
    expect(back.height[1] / 255).toBeCloseTo(0.73536, 5);
    const power = await runMend('linearise', field, { curve: 'power', gamma: 2 });
    expect(power.height[1] / 255).toBeCloseTo(0.25, 5);
  });
});
