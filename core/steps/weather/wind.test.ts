import { describe, expect, it } from 'vitest';
import { fieldFrom } from '../../field/field';
import { groundOf } from '../../../tests/helpers/grounds';
import { weathered } from '../../../tests/helpers/weather-steps';

describe('wind', () => {
  const flat = fieldFrom(groundOf(129, 129, 4), () => 20);

  it('keeps every slab where edges come round, and its volume to the rounding of one slab', async () => {
    for (const source of ['laid', 'ground']) {
      const stage = await weathered(flat, 'wind', { amount: 60, scale: 20, sand: 5, source });
      const sum = stage.layers.sediment.reduce((a, b) => a + b, 0);
      expect(Math.abs(sum - 5 * 129 * 129) / (5 * 129 * 129)).toBeLessThan(1e-5);
    }
  });

  it('builds ridges across the wind (Werner 1995): heights vary more along it than across', async () => {
    const along = async (from: number) => {
      const { height } = await weathered(flat, 'wind', { amount: 300, scale: 20, sand: 8, from });
      let [ew, ns] = [0, 0];
      for (let row = 1; row < 128; row++) {
        for (let column = 4; column < 125; column++) {
          const i = row * 129 + column;
          ew += (height[i + 4] - height[i - 4]) ** 2;
          ns += (height[Math.min(128, row + 4) * 129 + column] - height[Math.max(0, row - 4) * 129 + column]) ** 2;
        }
      }
      return ew / ns;
    };
    expect(await along(270)).toBeGreaterThan(1.15);
    expect(await along(0)).toBeLessThan(1 / 1.15);
  });

  it('loses sand over open edges, and says how much', async () => {
    const stage = await weathered(flat, 'wind', { amount: 60, scale: 20, sand: 5, edges: 'open' });
    expect(stage.words[0]).toMatch(/m³ of sand went over the edge/);
  });
});
