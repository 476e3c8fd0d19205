import { describe, expect, it } from 'vitest';
import { firstWrong } from '../../../tests/helpers/grounds';
import { runMend, rmse, clean } from '../../../tests/helpers/mend-steps';

describe('trim edge', () => {
  it.each(clean)('brings the error of %s in a white frame down by 70 % at least, and mends only the frame', async (_, field) => {
    const { across, down } = field.ground;
    const white = field.height.reduce((a, b) => Math.max(a, b), -Infinity) + 40;
    const [north, east, south, west] = [4, 7, 3, 5];
    const inside = (i: number) => i % across >= west && i % across < across - east && i >= north * across && i < (down - south) * across;
    const damaged = field.height.map((h, i) => (inside(i) ? h : white));
    const { height, stages } = await runMend('trim-edge', { ...field, height: damaged });
    expect(stages[0].words[0]).toMatch(/4 samples in the north, 7 in the east, 3 in the south, 5 in the west/);
    expect(rmse(height, field.height)).toBeLessThan(0.3 * rmse(damaged, field.height));
    expect(firstWrong(height.length, (i) => !inside(i) || height[i] === field.height[i])).toBe(-1);
  });

  it('takes typed widths, and leaves ground that would be all strip', async () => {
    const [, field] = clean[0];
    const { height } = await runMend('trim-edge', field, { find: false, west: 30 });
    expect(height[3]).toBe(field.height[3]);
    expect(height[0]).not.toBe(field.height[0]);
    const { stages } = await runMend('trim-edge', field, { find: false, west: 1500, east: 1500 });
    expect(stages[0].words[0]).toMatch(/cover the whole ground/);
  });
});
