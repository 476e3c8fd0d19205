import { describe, expect, it } from 'vitest';
import { sweepFront } from './eikonal';

const front = async (across: number, down: number, from: [number, number], speed: (column: number, row: number) => number, spacing = { x: 1, y: 1 }) => {
  const time = new Float32Array(across * down).fill(Infinity);
  time[from[1] * across + from[0]] = 0;
  const speeds = Float32Array.from(time, (_, i) => speed(i % across, Math.floor(i / across)));
  await sweepFront(time, speeds, { across, down, spacing });
  return (column: number, row: number) => time[row * across + column];
};

describe('a front', () => {
  it('comes to a place when it has gone the distance at its speed, on grids of any spacing', async () => {
    const at = await front(81, 61, [40, 30], () => 2, { x: 3, y: 5 });
    for (const [c, r] of [
      [60, 30],
      [40, 50],
      [70, 55],
      [5, 8],
    ]) {
      const far = Math.hypot((c - 40) * 3, (r - 30) * 5);
      // First order: late off the axes by a few cells' worth.
      expect(at(c, r)).toBeGreaterThanOrEqual(far / 2 - 1e-3);
      expect(at(c, r)).toBeLessThan(far / 2 + 6);
    }
    expect(at(60, 30)).toBeCloseTo(30, 4);
  });

  it('goes around what never gives way', async () => {
    const at = await front(41, 41, [5, 20], (c, r) => (c === 20 && r > 2 ? 0 : 1));
    expect(at(20, 30)).toBe(Infinity);
    const around = Math.hypot(15, 18) + Math.hypot(15, 18);
    expect(at(35, 20)).toBeGreaterThan(around - 2);
    expect(at(35, 20)).toBeLessThan(around + 5);
  });
});
