import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { ambientShade } from './ambient';
import { fieldFrom } from '../field/field';

describe('ambient shade', () => {
  it('of level ground is 1, and of a hilltop', () => {
    const flat = ambientShade(fieldFrom(groundOf(33), () => 7));
    expect(flat.every((v) => v === 1)).toBe(true);
  });

  it('at the middle of a bowl with its rim at 45° is cos² 45° = ½ (arithmetic)', () => {
    const n = 201;
    const cone = fieldFrom(groundOf(n, n, 1), (east, south) => Math.min(80, Math.hypot(east - 100, south - 100)));
    const sky = ambientShade(cone, { directions: 32, exaggeration: 1 });
    // Lines run beside their true direction by up to half a sample, which counts most next to the middle.
    expect(Math.abs(sky[100 * n + 100] - 0.5)).toBeLessThan(0.025);
  });

  it('agrees with a horizon that is looked for sample by sample', () => {
    const small = hills(groundOf(48, 40, 5), 4);
    const { across, down } = small.ground;
    const sky = ambientShade(small, { directions: 4, exaggeration: 2 });
    // Four directions at 22.5° + 90° k… as the sweep has them: 45° and 135°, both ways.
    const truth = (column: number, row: number) => {
      let sum = 0;
      for (const [dx, dy] of [
        [1, 1],
        [-1, -1],
        [-1, 1],
        [1, -1],
      ]) {
        let horizon = 0;
        for (let k = 1; ; k++) {
          const [x, y] = [column + k * dx, row + k * dy];
          if (x < 0 || y < 0 || x >= across || y >= down) break;
          horizon = Math.max(horizon, (2 * (small.height[y * across + x] - small.height[row * across + column])) / (k * 5 * Math.SQRT2));
        }
        sum += 1 / (1 + horizon * horizon);
      }
      return sum / 4;
    };
    let off = 0;
    for (let row = 0; row < down; row++)
      for (let column = 0; column < across; column++) off = Math.max(off, Math.abs(sky[row * across + column] - truth(column, row)));
    expect(off).toBeLessThan(1e-6);
  });
});
