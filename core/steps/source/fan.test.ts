import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { extentOf, sourceHeights } from '../../../tests/helpers/source-steps';

const ground = groundOf(513, 513, 8);
const side = 513;
// The apex in the north, running south.
const plain = { length: 2400, slope: 6, opens: 120, turn: 90, east: 0, north: 1600, channel: 0, forks: 0 };
const below = (height: Float32Array, metres: number) => height[(256 - 200 + Math.round(metres / 8)) * side + 256];

describe('a fan', () => {
  it('falls from its apex by the slope that it is told, and more gently on', async () => {
    const { height } = await sourceHeights('fan', plain, ground);
    const slope = (from: number, to: number) => (Math.atan((below(height, from) - below(height, to)) / (to - from)) * 180) / Math.PI;
    expect(slope(0, 160)).toBeGreaterThan(5.2);
    expect(slope(0, 160)).toBeLessThan(6.4);
    expect(slope(1400, 1700)).toBeLessThan(0.75 * slope(0, 300));
  });

  it('straight, it is a piece of a cone: the same slope everywhere', async () => {
    const { height } = await sourceHeights('fan', { ...plain, concave: 0 }, ground);
    const drop = (from: number) => below(height, from) - below(height, from + 240);
    expect(drop(160) / drop(1600)).toBeGreaterThan(0.8);
    expect(drop(160) / drop(1600)).toBeLessThan(1.25);
  });

  it('is convex across, and nothing of it lies behind its apex or beyond its sides', async () => {
    const { height } = await sourceHeights('fan', plain, ground);
    const across = (east: number) => height[(256 - 200 + 100) * side + 256 + east / 8];
    expect(across(0)).toBeGreaterThan(across(480));
    expect(across(480)).toBeGreaterThan(across(800));
    expect(height.subarray(0, 50 * side).every((h) => h === 0)).toBe(true);
  });

  it('has channels that fork: the more, the more of it they cut, and never under its floor', async () => {
    const whole = (await sourceHeights('fan', plain, ground)).height;
    const cut = async (forks: number) => {
      const { height } = await sourceHeights('fan', { ...plain, channel: 60, forks }, ground);
      expect(extentOf(height).low).toBe(0);
      return height.reduce((n, h, i) => n + (whole[i] - h > 0.3 ? 1 : 0), 0);
    };
    const [one, many] = [await cut(0), await cut(5)];
    expect(one).toBeGreaterThan(500);
    expect(many).toBeGreaterThan(1.5 * one);
  });
});
