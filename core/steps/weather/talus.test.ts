import { describe, expect, it } from 'vitest';
import { steepestDrop } from '../../analysis/slope';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { weathered } from '../../../tests/helpers/weather-steps';

describe('the slides keep what they move', () => {
  const field = fractal(groundOf(129, 97, 8), { seed: 4, height: 300 });
  const volume = (h: Float32Array) => {
    const { across, down } = field.ground;
    const share = (at: number, last: number) => (at === 0 || at === last ? 0.5 : 1);
    return h.reduce((sum, value, i) => sum + value * share(i % across, across - 1) * share(Math.floor(i / across), down - 1), 0);
  };

  it('talus to 1e-6 of what was moved, down to its angle and half a degree (Musgrave, Kolb & Mace 1989)', async () => {
    const stage = await weathered(field, 'talus', { soil: 10_000, fall: 0, spread: 0, repose: 30, sweeps: 1500 });
    const change = stage.height.map((h, i) => h - field.height[i]);
    const moved = volume(change.map(Math.abs));
    expect(moved).toBeGreaterThan(1000);
    expect(Math.abs(volume(stage.layers.cut) - volume(stage.layers.fill)) / moved).toBeLessThan(1e-6);
    expect(steepestDrop({ ...field, height: stage.height })).toBeLessThan(30.5);
  });

  it('talus over open edges loses some, and with a loose share leaves crags', async () => {
    const open = await weathered(field, 'talus', { soil: 10_000, fall: 0, spread: 0, repose: 20, sweeps: 300, edges: 'open' });
    expect(volume(open.layers.cut)).toBeGreaterThan(volume(open.layers.fill));
    const whole = await weathered(field, 'talus', { soil: 10_000, fall: 0, spread: 0, repose: 25, sweeps: 300 });
    const part = await weathered(field, 'talus', { soil: 10_000, fall: 0, spread: 0, repose: 25, sweeps: 300, loose: 0.4, patch: 150 });
    expect(volume(part.layers.cut)).toBeLessThan(0.8 * volume(whole.layers.cut));
    expect(steepestDrop({ ...field, height: part.height })).toBeGreaterThan(30);
  });

  it('snow to a thousandth, never under the ground, and deepest in the hollows', async () => {
    const stage = await weathered(field, 'settle', { amount: 3, repose: 30, sweeps: 200 });
    const depth = stage.layers.sediment;
    expect(Math.min(...depth)).toBeGreaterThanOrEqual(0);
    const laid = volume(new Float32Array(depth.length).fill(3));
    expect(Math.abs(volume(depth) - laid) / laid).toBeLessThan(2e-3);
    expect(stage.height.every((h, i) => h >= field.height[i])).toBe(true);
    expect(Math.max(...depth)).toBeGreaterThan(6);
  });
});
