import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { extentOf, sourceHeights } from '../../../tests/helpers/source-steps';
import { agedProfiles, freshProfile, impactsOf } from './craters';

const ground = groundOf(513, 513, 8);
const one = { count: 1, largest: 1200, smallest: 1200, age: 0, ragged: 0, seed: 4 };

describe('a fresh crater', () => {
  it('is a fifth of its diameter deep and has a rim a twenty-fifth high (Pike 1977, from memory)', async () => {
    const { height } = await sourceHeights('craters', one, ground);
    const [low, high] = [extentOf(height).low, extentOf(height).high];
    expect((high - low) / 1200).toBeCloseTo(0.2, 2);
    expect(high / 1200).toBeCloseTo(0.04, 2);
  });

  it('has a blanket that thins with the cube of distance (McGetchin, Settle & Head 1973)', () => {
    for (const t of [1.1, 1.5, 2]) expect(freshProfile(t, 0.2, false) / freshProfile(1, 0.2, false)).toBeCloseTo(t ** -3, 6);
    expect(freshProfile(4, 0.2, false)).toBe(0);
  });

  it('beyond a diameter has a level floor and a peak, and is shallower for its size (Pike 1977, from memory: D^0.3)', async () => {
    const simple = await sourceHeights('craters', one, ground);
    const { height } = await sourceHeights('craters', { ...one, complex: 300 }, ground);
    const deep = (h: Float32Array) => extentOf(h).high - extentOf(h).low;
    // Four times the diameter at which it begins: 4^−0.7.
    expect(deep(height) / deep(simple.height)).toBeCloseTo(4 ** -0.7, 1);
    const floor = freshProfile(0.35, 0.1, true);
    expect(freshProfile(0.45, 0.1, true)).toBeCloseTo(floor, 6);
    expect(freshProfile(0, 0.1, true)).toBeGreaterThan(floor + 0.03);
  });
});

describe('a crater that ages', () => {
  const profiles = agedProfiles(0.2, false);
  const step = 4 / (profiles[0].length - 1);
  /** What a profile holds, turned around its middle: by rings. */
  const volume = (h: Float64Array) => h.reduce((sum, v, k) => sum + v * (k === 0 ? (step * step) / 8 : k * step * step), 0);

  it('keeps its volume to the last bit of soil: what creeps from the rim lies in the bowl', () => {
    for (const aged of profiles) expect(volume(aged)).toBeCloseTo(volume(profiles[0]), 10);
  });

  it('grows shallower with every age, and its rim lower', () => {
    for (let k = 1; k < profiles.length; k++) {
      expect(profiles[k][0]).toBeGreaterThan(profiles[k - 1][0]);
      expect(Math.max(...profiles[k])).toBeLessThan(Math.max(...profiles[k - 1]) + 1e-12);
    }
    expect(profiles.at(-1)![0]).toBeGreaterThan(0.25 * profiles[0][0]);
  });
});

describe('many craters', () => {
  it('are of sizes by the power law: the cumulative count falls with D^−b', () => {
    for (const power of [1.5, 2, 3]) {
      const law = { count: 4000, largest: 10_000, smallest: 100, power, age: 0.5, complex: 15_000, seed: 9 };
      const sizes = impactsOf(law, { width: 1e5, depth: 1e5 }).map((one) => 2 * one.radius);
      const over = (d: number) => sizes.filter((size) => size > d).length;
      expect(Math.abs(Math.log(over(150) / over(500)) / Math.log(500 / 150) - power)).toBeLessThan(0.15);
      expect(extentOf(Float32Array.from(sizes))).toEqual({ low: expect.closeTo(100, 0), high: 10_000 });
    }
  });

  it('leave nothing of what was there: a crater in a crater has its own floor', async () => {
    const { height } = await sourceHeights('craters', { count: 600, largest: 900, smallest: 500, age: 0, ragged: 0 }, ground);
    // Six hundred bowls of 180 m on one another would lie kilometres deep if they were added up.
    expect(extentOf(height).low).toBeGreaterThan(-700);
    expect(extentOf(height).high).toBeLessThan(500);
  });

  it('hold the largest that was asked for, whatever the roll, and say when the sizes are the wrong way round', async () => {
    for (const seed of [1, 2, 3]) {
      const { height } = await sourceHeights('craters', { count: 40, largest: 1500, smallest: 80, age: 0.2, seed }, ground);
      expect(extentOf(height).low).toBeLessThan(-120);
    }
    const { words } = await sourceHeights('craters', { count: 3, largest: 100, smallest: 400 }, ground);
    expect(words.join(' ')).toMatch(/larger than the largest/);
  });
});
