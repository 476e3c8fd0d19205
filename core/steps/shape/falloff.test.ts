import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { runShape, shapedHeights } from '../../../tests/helpers/shape-steps';

describe('falloff, roughen and level areas', () => {
  it('an isle lies at its level all around; a rim stands up all around; the middle stays', async () => {
    const field = hills(groundOf(65, 65, 16));
    for (const outline of ['round', 'square']) {
      const isle = await shapedHeights('falloff', { outline, width: 250, level: -30, ragged: 0 }, field);
      for (let c = 0; c < 65; c++) expect(isle[c]).toBe(-30);
      expect(isle[32 * 65 + 32]).toBe(field.height[32 * 65 + 32]);
    }
    const rim = await shapedHeights('falloff', { kind: 'rim', outline: 'square', width: 250, rise: 90, ragged: 0 }, field);
    expect(rim[5]).toBeCloseTo(field.height[5] + 90, 3);
  });

  it('roughens what is steep and leaves what is not', async () => {
    const field = fieldFrom(groundOf(65, 65, 8), (east) => (east > 256 ? (east - 256) * 1.2 : 0));
    const h = await shapedHeights('roughen', { steepFrom: 40, steepFade: 10, height: 10 }, field);
    const spread = (from: number, to: number) => {
      let worst = 0;
      for (let r = 0; r < 65; r++) for (let c = from; c < to; c++) worst = Math.max(worst, Math.abs(h[r * 65 + c] - field.height[r * 65 + c]));
      return worst;
    };
    expect(spread(0, 30)).toBe(0);
    expect(spread(36, 65)).toBeGreaterThan(2);
  });

  it('levels what lies within an outline, comes back over its bank, and leaves the rest to the bit', async () => {
    const field = hills(groundOf(65, 65, 10));
    const points = [
      { east: 200, south: 200 },
      { east: 400, south: 210 },
      { east: 300, south: 400 },
    ];
    const h = await shapedHeights('level-area', { points, at: 'elevation', level: 480, bank: 50 }, field);
    expect(h[26 * 65 + 30]).toBe(480);
    expect(h[5 * 65 + 5]).toBe(field.height[5 * 65 + 5]);
    const mean = await shapedHeights('level-area', { points, bank: 0 }, field);
    let [sum, count] = [0, 0];
    for (let i = 0; i < mean.length; i++) {
      if (mean[i] !== mean[26 * 65 + 30]) continue;
      sum += field.height[i];
      count++;
    }
    expect(count).toBeGreaterThan(100);
    expect(sum / count).toBeCloseTo(mean[26 * 65 + 30], 2);
    expect((await runShape('level-area', { points: points.slice(0, 2) }, field)).fault).toMatch(/2 corners; it needs three/);
  });
});
