import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { extentOf, sourceHeights } from '../../../tests/helpers/source-steps';
import { asymmetric, crestHeight } from './dunes';

const ground = groundOf(513, 513, 4);
const side = 513;
const straight = { wind: 0, sinuous: 0, varies: 0, spacing: 200, supply: 0.8 };
const rowOf = (height: Float32Array, row = 256) => [...height.subarray(row * side, (row + 1) * side)];
/** Degrees of the steepest drop from sample to sample along a row, and of the steepest rise. */
const steepest = (row: number[]) => {
  const rises = row.slice(1).map((h, i) => h - row[i]);
  const angle = (by: number) => (Math.atan(by / 4) * 180) / Math.PI;
  return { down: angle(-Math.min(...rises)), up: angle(Math.max(...rises)) };
};
const crestsOf = (row: number[], over: number) =>
  row.flatMap((h, i) => (i > 0 && i < row.length - 1 && h > over && h >= row[i - 1] && h > row[i + 1] ? [i] : []));

describe('transverse dunes', () => {
  it('stand so far apart as they are told to, and as high as dunes of that spacing are (Lancaster 1995)', async () => {
    const { height } = await sourceHeights('dunes', { ...straight, kind: 'transverse' }, ground);
    const row = rowOf(height);
    const crests = crestsOf(row, 2);
    expect(crests.length).toBeGreaterThan(8);
    expect((4 * (crests.at(-1)! - crests[0])) / (crests.length - 1)).toBeCloseTo(200, 0);
    // h = 0.0677 λ^0.81: 4.95 m at 200 m.
    expect(crestHeight(200)).toBeCloseTo(4.95, 1);
    expect(Math.max(...row) / crestHeight(200)).toBeGreaterThan(0.85);
    expect(Math.max(...row) / crestHeight(200)).toBeLessThan(1.2);
  });

  it('slip at 32 to 34° downwind (Bagnold 1941) and rise gently against the wind', async () => {
    const profile = asymmetric(200, 0.8);
    let [down, up] = [0, 0];
    for (let u = 0; u < 0.9995; u += 0.0005) {
      const by = (profile(u + 0.0005, 1) - profile(u, 1)) / 0.1;
      if (by < down) down = by;
      if (by > up) up = by;
    }
    const degrees = (slope: number) => (Math.atan(slope) * 180) / Math.PI;
    expect(degrees(-down)).toBeGreaterThan(32);
    expect(degrees(-down)).toBeLessThan(34);
    expect(degrees(up)).toBeLessThan(15);
  });

  it('turn with the wind: seen along it the slip faces are on the other side', async () => {
    const east = steepest(rowOf((await sourceHeights('dunes', { ...straight, kind: 'transverse' }, ground)).height));
    const west = steepest(rowOf((await sourceHeights('dunes', { ...straight, kind: 'transverse', wind: 180 }, ground)).height));
    expect(east.down).toBeGreaterThan(2 * east.up);
    expect(west.up).toBeGreaterThan(2 * west.down);
  });
});

describe('dunes of other winds', () => {
  it('crescents lie apart on a level floor, the more of it the less sand there is', async () => {
    const bare = async (supply: number) => {
      const { height } = await sourceHeights('dunes', { kind: 'barchan', spacing: 160, supply }, ground);
      expect(extentOf(height).low).toBe(0);
      return height.filter((h) => h === 0).length / height.length;
    };
    const [little, much] = [await bare(0.2), await bare(0.9)];
    expect(little).toBeGreaterThan(0.8);
    expect(much).toBeLessThan(little - 0.2);
  });

  it('linear ridges run along the wind, with flanks alike to both sides', async () => {
    const { height } = await sourceHeights('dunes', { ...straight, kind: 'linear' }, ground);
    const across = Array.from({ length: side }, (_, row) => height[row * side + 256]);
    const along = rowOf(height);
    expect(Math.max(...along) - Math.min(...along)).toBeLessThan(0.2);
    expect(crestsOf(across, 1).length).toBeGreaterThan(8);
    const { up, down } = steepest(across);
    expect(Math.abs(up - down)).toBeLessThan(1.5);
  });

  it('stars are higher than ridges that stand as far apart, and no flank is steeper than sand lies', async () => {
    const { height: star } = await sourceHeights('dunes', { ...straight, kind: 'star', spacing: 500 }, ground);
    const { height: ridge } = await sourceHeights('dunes', { ...straight, kind: 'transverse', spacing: 500 }, ground);
    expect(extentOf(star).high).toBeGreaterThan(1.2 * extentOf(ridge).high);
    let most = 0;
    for (let row = 0; row < side; row++) most = Math.max(most, ...rowOf(star, row).map((h, i, all) => (i ? Math.abs(h - all[i - 1]) : 0)));
    expect((Math.atan(most / 4) * 180) / Math.PI).toBeLessThan(34);
  });

  it('say so where they stand closer than the samples', async () => {
    const { words } = await sourceHeights('dunes', { kind: 'transverse', spacing: 5 }, ground);
    expect(words.join(' ')).toMatch(/closer than two samples/);
  });
});
