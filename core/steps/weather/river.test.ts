import { describe, expect, it } from 'vitest';
import { fieldFrom } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { drainageOf } from '../../analysis/drainage';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { weathered, grounds } from '../../../tests/helpers/weather-steps';

const kernels = inlineKernels();

describe('river channels', () => {
  it('grow with their flow: depth by its power of 0.4 (Leopold & Maddock 1953), and fall all the way', async () => {
    const field = fractal(groundOf(193, 193, 16), { seed: 4, height: 200 });
    const stage = await weathered(field, 'river', { scale: 300, amount: 1 }, -900);
    const { flow, water, cut } = stage.layers;
    const drainage = await drainageOf(kernels, field);
    let channels = 0;
    for (let i = 0; i < flow.length; i++) {
      if (water[i] === 0) continue;
      channels++;
      const discharge = (flow[i] * 0.8) / 31_557_600;
      expect(water[i]).toBeCloseTo(0.3 * discharge ** 0.4, 5);
      const r = drainage.receiver[i];
      expect(stage.height[r]).toBeLessThanOrEqual(stage.height[i] + 1e-3);
      expect(cut[i]).toBeGreaterThanOrEqual(water[i] - 1e-3);
    }
    expect(channels).toBeGreaterThan(200);
  });

  it('grow wider by its power of 0.5: a river across a plane of known catchment', async () => {
    // A trough that falls to the south: its middle gathers a whole width of the ground more with every row.
    const ground = groundOf(401, 401, 2);
    const trough = fieldFrom(ground, (e, s) => 500 - 0.05 * s + 0.3 * Math.abs(e - 400));
    const stage = await weathered(trough, 'river', { scale: 100, amount: 20, bank: 80, widthAt1: 20, depthAt1: 0.3 }, -900);
    const widthAt = (row: number) => stage.layers.cut.slice(row * 401, (row + 1) * 401).filter((c) => c > 0.2).length * 2;
    for (const row of [150, 300, 390]) {
      const discharge = (stage.layers.flow[row * 401 + 200] * 0.8) / 31_557_600;
      const wide = 20 * 20 * discharge ** 0.5;
      expect(Math.abs(widthAt(row) - wide)).toBeLessThan(0.12 * wide + 6);
    }
    expect(widthAt(390) / widthAt(100)).toBeGreaterThan(1.5);
  });

  it('say where none begins', async () => {
    expect((await weathered(grounds.flat, 'river', { scale: 20_000 })).words[0]).toMatch(/no channel begins/);
  });
});
