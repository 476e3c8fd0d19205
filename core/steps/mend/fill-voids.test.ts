import { describe, expect, it } from 'vitest';
import { firstWrong, groundOf, random } from '../../../tests/helpers/grounds';
import { fieldFrom, type Field } from '../../field/field';
import { runMend, clean } from '../../../tests/helpers/mend-steps';

const spanOf = (h: Float32Array) => h.reduce((a, b) => Math.max(a, b), -Infinity) - h.reduce((a, b) => Math.min(a, b), Infinity);

const worst = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i] - b[i]));
  return most;
};

const ground = groundOf(201, 161, 10);

describe('fill voids', () => {
  const holed = (field: Field) => {
    const { across } = field.ground;
    const valid = new Uint8Array(field.height.length).fill(1);
    const next = random(8);
    for (let hole = 0; hole < 14; hole++) {
      const [x, y, r] = [12 + next() * (across - 24), 12 + next() * (field.ground.down - 24), 1 + next() * 9];
      for (let i = 0; i < valid.length; i++) if (((i % across) - x) ** 2 + (Math.floor(i / across) - y) ** 2 < r * r) valid[i] = 0;
    }
    return { ...field, valid, height: field.height.map((h, i) => (valid[i] ? h : -9999)) };
  };
  it('rebuilds a plane to 1e-5 of its range and a quadratic to 1e-3, and leaves every other sample its bits', async () => {
    for (const [truth, bound] of [
      [clean[3][1], 1e-5],
      [fieldFrom(ground, (e, s) => 400 + ((e - 900) ** 2 + 0.6 * e * s - (s - 500) ** 2) / 4000), 1e-3],
    ] as const) {
      const field = holed(truth);
      const { height, layers } = await runMend('fill-voids', field);
      expect(worst(height, truth.height) / spanOf(truth.height)).toBeLessThan(bound);
      expect(firstWrong(height.length, (i) => !field.valid[i] || height[i] === truth.height[i])).toBe(-1);
      expect(layers.void.every((v) => v === 0)).toBe(true);
    }
  });

  it('fills a hole a third of the ground wide, one at the very edge, and ground that is nearly all hole', async () => {
    const truth = fieldFrom(groundOf(129), (e, s) => e * 0.3 + s * 0.1);
    for (const known of [
      (x: number, y: number) => (x - 64) ** 2 + (y - 64) ** 2 > 1600,
      (x: number) => x > 20,
      (x: number, y: number) => x % 16 === 0 && y % 16 === 0,
    ]) {
      const valid = Uint8Array.from(truth.height, (_, i) => (known(i % 129, Math.floor(i / 129)) ? 1 : 0));
      const { height } = await runMend('fill-voids', { ...truth, valid, height: truth.height.map((h, i) => (valid[i] ? h : 0)) });
      expect(worst(height, truth.height) / spanOf(truth.height)).toBeLessThan(1e-4);
    }
  });

  it('as a membrane stays between the heights of the rim', async () => {
    const truth = fieldFrom(ground, (e, s) => ((e - 900) ** 2 + (s - 800) ** 2) / 2000);
    const field = holed(truth);
    const { height } = await runMend('fill-voids', field, { how: 'membrane' });
    expect(Math.min(...height)).toBeGreaterThanOrEqual(Math.min(...height.filter((_, i) => field.valid[i] === 1)));
    expect(worst(height, truth.height)).toBeGreaterThan(1);
  });

  it('says so where there are none', async () => {
    const { stages, height } = await runMend('fill-voids', clean[0][1]);
    expect(stages[0].words.join()).toMatch(/no holes/);
    expect(height).toEqual(clean[0][1].height);
  });
});
