import { describe, expect, it } from 'vitest';
import { maskUse } from '../../course/where';
import { fieldFrom } from '../../field/field';
import { groundOf } from '../../../tests/helpers/grounds';
import { weathered } from '../../../tests/helpers/weather-steps';

describe('shore', () => {
  it('changes nothing above the waves, keeps the water line where it was, and nears its slopes', async () => {
    const field = fieldFrom(groundOf(201, 41, 4), (e) => (e - 400) * 0.3);
    const stage = await weathered(field, 'shore', { retreat: 0, amount: 1, scale: 80, height: 6, beach: 4, bench: 2 });
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

describe('a coast that is cut back', () => {
  // Land to the east of a sea that is open to the west; a bay in the middle of its line.
  const coast = (bay: number) =>
    fieldFrom(groundOf(201, 201, 10), (e, s) => {
      const line = 1000 + (Math.abs(s - 1000) < 220 ? bay : 0);
      return e < line ? -8 - 0.01 * (line - e) : 40 + 0.02 * (e - line);
    });
  const params = { retreat: 200, stacks: 0, scale: 40, height: 3, bench: 1, cliff: 70 };
  const shoreline = (height: Float32Array, row: number) => height.slice(row * 201, (row + 1) * 201).findIndex((h) => h >= 0);

  it('goes back as far as is said where it is open and straight, less at the head of a bay', async () => {
    const field = coast(500);
    const stage = await weathered(field, 'shore', params);
    const went = (row: number) => 10 * (shoreline(stage.height, row) - shoreline(field.height, row));
    expect(went(40)).toBeGreaterThan(100);
    expect(went(40)).toBeLessThan(260);
    expect(went(100)).toBeLessThan(0.85 * went(40));
  });

  it('leaves a bench just under the water, a cliff, and what lies behind it as it was', async () => {
    const field = coast(0);
    const { height } = await weathered(field, 'shore', params);
    const row = 60 * 201;
    const line = shoreline(height, 60);
    for (let c = 101; c < line; c++) {
      expect(height[row + c]).toBeLessThan(0);
      expect(height[row + c]).toBeGreaterThan(-8);
    }
    expect(height[row + line + 2]).toBeGreaterThan(25);
    for (let c = line + 4; c < 201; c++) expect(height[row + c]).toBe(field.height[row + c]);
  });

  it('stands where its mask says that nothing gives way, as stacks too', async () => {
    const field = coast(0);
    const where = { masks: [maskUse('noise', { feature: 120, low: 0.6, softness: 0, seed: 2 })], combine: 'multiply' as const };
    const { height } = await weathered(field, 'shore', params, 0, { where });
    let [kept, gone] = [0, 0];
    for (let i = 0; i < height.length; i++) {
      if (field.height[i] < 0) continue;
      if (height[i] < 0) gone++;
      else if (i % 201 < 112) kept++;
    }
    expect(gone).toBeGreaterThan(50);
    expect(kept).toBeGreaterThan(50);
  });

  it('differs from place to place when it is uneven', async () => {
    const field = coast(0);
    const { height } = await weathered(field, 'shore', { ...params, stacks: 1 });
    const lines = Array.from({ length: 160 }, (_, k) => shoreline(height, 20 + k));
    expect(Math.max(...lines) - Math.min(...lines)).toBeGreaterThan(10);
  });

  it('is the same ground at another count of samples', async () => {
    const make = (n: number) => ({ ...coast(0), ...fieldFrom({ ...groundOf(n, n, 2000 / (n - 1)) }, (e) => (e < 1000 ? -8 : 40)) });
    const a = await weathered(make(201), 'shore', { ...params, stacks: 1 });
    const b = await weathered(make(401), 'shore', { ...params, stacks: 1 });
    const lineOf = (height: Float32Array, n: number, row: number) => height.slice(row * n, (row + 1) * n).findIndex((h) => h >= 0) * (2000 / (n - 1));
    let apart = 0;
    for (let k = 20; k < 180; k++) apart += Math.abs(lineOf(a.height, 201, k) - lineOf(b.height, 401, 2 * k)) / 160;
    expect(apart).toBeLessThan(12);
  });
});
