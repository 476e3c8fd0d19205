import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { sourceHeights } from '../../../tests/helpers/source-steps';
import { errorFunction, throwAlong } from './fault';

const ground = groundOf(513, 513, 4);
const side = 513;
const straight = { throw: 40, length: 6000, worn: 80, bend: 1e5, wander: 0, turn: 0 };

describe('the error function', () => {
  it('is that of the tables (Abramowitz & Stegun 1964, table 7.1)', () => {
    for (const [x, value] of [
      [0, 0],
      [0.5, 0.5204999],
      [1, 0.8427008],
      [2, 0.9953223],
      [-1, -0.8427008],
    ])
      expect(errorFunction(x)).toBeCloseTo(value, 6);
  });
});

describe('a fault', () => {
  it('that is worn has the profile of a scarp that crept: half the throw times an error function (Hanks et al. 1984)', async () => {
    const { height } = await sourceHeights('fault', straight, ground);
    const at = (north: number) => height[(256 - north / 4) * side + 256];
    for (const north of [-320, -160, -80, -40, 40, 80, 160, 320]) expect(Math.abs(at(north) - 20 * errorFunction(north / 80))).toBeLessThan(0.15);
    // Its steepest is the throw over the width times √π.
    const slope = (at(4) - at(-4)) / 8;
    expect(slope).toBeCloseTo(40 / (80 * Math.sqrt(Math.PI)), 2);
  });

  it('that is fresh is a break from one sample to the next, the higher side on the left of the line', async () => {
    const { height } = await sourceHeights('fault', { ...straight, worn: 0 }, ground);
    const column = Array.from({ length: side }, (_, row) => height[row * side + 256]);
    const steps = column.slice(1).map((h, i) => column[i] - h);
    expect(Math.max(...steps)).toBeGreaterThan(39);
    expect(steps.filter((by) => Math.abs(by) > 1)).toHaveLength(1);
    expect(column[0]).toBeGreaterThan(column[side - 1]);
    const other = (await sourceHeights('fault', { ...straight, worn: 0, throw: -40 }, ground)).height;
    expect(other[256]).toBeCloseTo(-height[256], 4);
  });

  it('has its throw in the middle and none at its ends, smoothly', async () => {
    const { height } = await sourceHeights('fault', { ...straight, length: 1600, worn: 20 }, ground);
    const thrown = (east: number) => height[(256 - 30) * side + 256 + east / 4] - height[(256 + 30) * side + 256 + east / 4];
    expect(thrown(0)).toBeCloseTo(40, 0);
    expect(thrown(400) / thrown(0)).toBeCloseTo(throwAlong(0.5), 1);
    expect(Math.abs(thrown(800))).toBeLessThan(0.3);
    expect(thrown(900)).toBe(0);
    expect([throwAlong(0), throwAlong(1)]).toEqual([1, 0]);
  });

  it('bends back to level away from its line', async () => {
    const { height } = await sourceHeights('fault', { ...straight, bend: 300 }, ground);
    const at = (north: number) => height[(256 - north / 4) * side + 256];
    expect(at(200)).toBeGreaterThan(at(600));
    expect(at(900)).toBeLessThan(20 * Math.exp(-2.9));
  });
});
