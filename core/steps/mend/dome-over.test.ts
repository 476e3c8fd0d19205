import { describe, expect, it } from 'vitest';
import { firstWrong, groundOf } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { runMend, rmse } from '../../../tests/helpers/mend-steps';

const ground = groundOf(201, 161, 10);

describe('dome over', () => {
  it('builds a cap over a top that was cut off, says that it is invented, and leaves the rest its bits', async () => {
    const truth = fieldFrom(ground, (e, s) => 400 - ((e - 1000) ** 2 + (s - 800) ** 2) / 2500);
    const cut = truth.height.map((h) => Math.min(h, 330));
    const { height, stages } = await runMend('dome-over', { ...truth, height: cut });
    // A paraboloid's cap is nearly what the rim's slope makes of it.
    expect(rmse(height, truth.height)).toBeLessThan(0.1 * rmse(cut, truth.height));
    expect(firstWrong(height.length, (i) => truth.height[i] >= 330 || height[i] === cut[i])).toBe(-1);
    expect(stages[0].words[0]).toMatch(/invented.*Nothing in the file/);
    const limited = await runMend('dome-over', { ...truth, height: cut }, { most: 10 });
    expect(Math.max(...limited.height)).toBeLessThanOrEqual(340);
  });
});
