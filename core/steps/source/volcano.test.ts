import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { extentOf, sourceHeights } from '../../../tests/helpers/source-steps';
import { concavityOf } from './volcano';

const ground = groundOf(513, 513, 16);
const side = 513;
const bare = { flows: 0, gullies: 0 };
const middleRow = (height: Float32Array) => [...height.subarray(256 * side, 257 * side)];
const steepest = (row: number[]) => (Math.atan(Math.max(...row.slice(1).map((h, i) => Math.abs(h - row[i]))) / 16) * 180) / Math.PI;

describe('a cone', () => {
  it('stands as high as it is told to, with its crater that deep, and ends at its foot', async () => {
    const { height } = await sourceHeights('volcano', { ...bare, height: 900, radius: 3000, crater: 400, depth: 150 }, ground);
    const row = middleRow(height);
    expect(Math.max(...row)).toBeGreaterThan(870);
    expect(Math.max(...row)).toBeLessThanOrEqual(900);
    expect(row[256]).toBeCloseTo(750, 0);
    expect([row[0], row[20], row[side - 1]]).toEqual([0, 0, 0]);
  });

  it('is no steeper at its top than loose rock stands, however concave it is asked for', async () => {
    for (const concave of [0, 0.5, 1]) {
      const { height } = await sourceHeights('volcano', { ...bare, height: 1400, radius: 3000, crater: 100, depth: 10, concave }, ground);
      expect(steepest(middleRow(height).slice(256 - 80, 256 + 80))).toBeLessThan(33.8);
    }
    expect(concavityOf(100, 10_000, 3)).toBe(3);
    expect(concavityOf(1400, 3000, 4.2)).toBeLessThan(1.5);
  });

  it('hollows towards its foot: half way down it lies under the straight line', async () => {
    const { height } = await sourceHeights('volcano', { ...bare, height: 600, radius: 3600, crater: 0, concave: 0.8 }, ground);
    const row = middleRow(height);
    const half = row[256 + Math.round(1800 / 16)];
    expect(half).toBeLessThan(0.42 * Math.max(...row));
    expect(half).toBeGreaterThan(0.1 * Math.max(...row));
  });

  it('is cut by gullies that leave its rim and its foot', async () => {
    const params = { height: 900, radius: 3000, crater: 200, depth: 50, flows: 0 };
    const whole = (await sourceHeights('volcano', { ...params, gullies: 0 }, ground)).height;
    const cut = (await sourceHeights('volcano', { ...params, gullies: 1 }, ground)).height;
    const depths = extentOf(whole.map((h, i) => h - cut[i]));
    expect(depths.low).toBeGreaterThanOrEqual(0);
    expect(depths.high).toBeGreaterThan(20);
    expect(extentOf(cut).high).toBeCloseTo(extentOf(whole).high, 0);
  });
});

describe('a shield', () => {
  it('is nowhere steeper than 10°, and says when it is lower for that', async () => {
    const { height, words } = await sourceHeights('volcano', { ...bare, kind: 'shield', height: 3000, radius: 3000, crater: 300, depth: 0 }, ground);
    expect(steepest(middleRow(height))).toBeLessThan(10);
    expect(words.join(' ')).toMatch(/no higher than 26\d m/);
  });
});

describe('flows', () => {
  it('lie on the flank, no thicker than a flow of twice their thickness where two cross, with levees higher than their middle', async () => {
    const params = { kind: 'shield', height: 300, radius: 3600, crater: 200, depth: 20, gullies: 0, thick: 20 };
    const none = (await sourceHeights('volcano', { ...params, flows: 0 }, ground)).height;
    const flowed = (await sourceHeights('volcano', { ...params, flows: 1 }, ground)).height;
    const thickness = flowed.map((h, i) => h - none[i]);
    expect(extentOf(thickness).low).toBeGreaterThan(-1e-3);
    expect(extentOf(thickness).high).toBeLessThan(30);
    const covered = thickness.filter((d) => d > 1).length * 256;
    expect(covered).toBeGreaterThan(50_000);
    expect(covered).toBeLessThan(0.2 * Math.PI * 3600 * 3600);
  });
});
