import { describe, expect, it } from 'vitest';
import { fieldFrom } from '@upland-cast/core';
import { groundOf } from '../../../tests/helpers/grounds';
import { heightAt } from './pick';
import { goOn, PACES, putDown } from './walk';

const still = { ahead: 0, aside: 0, up: 0 };
const ahead = { ...still, ahead: 1 };
const plain = fieldFrom(groundOf(101), () => 0);

describe('somebody on the ground', () => {
  it('walks at a walker’s pace, north, east and aside, and not beyond the edge', () => {
    const begun = putDown(plain, null, 'walk', 500, 500);
    const north = goOn(begun, plain, null, 10, ahead);
    expect([north.east, north.south]).toEqual([500, 500 - 10 * PACES.walk].map((v) => expect.closeTo(v, 6)));
    const east = goOn({ ...begun, heading: 90, pace: 'run' }, plain, null, 5, ahead);
    expect([east.east, east.south]).toEqual([520, 500].map((v) => expect.closeTo(v, 6)));
    const aside = goOn(begun, plain, null, 10, { ...still, aside: 1 });
    expect(aside.east).toBeCloseTo(514, 6);
    expect(goOn({ ...begun, pace: 'ride' }, plain, null, 1000, ahead).south).toBe(0);
  });

  it('keeps its feet on the ground, goes up as steeply as it may, and no steeper', () => {
    const hill = fieldFrom(groundOf(101), (_, south) => 0.5 * (1000 - south));
    const up = goOn(putDown(hill, null, 'walk', 500, 800), hill, null, 30, ahead);
    expect(up.south).toBeLessThan(800 - 41);
    expect(up.feet).toBeCloseTo(heightAt(hill, up.east, up.south), 4);
    const stopped = goOn({ ...putDown(hill, null, 'walk', 500, 800), steepest: 20 }, hill, null, 30, ahead);
    expect([stopped.south, stopped.stopped]).toEqual([800, true]);
    const down = goOn({ ...putDown(hill, null, 'walk', 500, 800), heading: 180 }, hill, null, 30, ahead);
    expect(down.feet).toBeCloseTo(heightAt(hill, down.east, down.south), 1);
  });

  it('is carried by the water that is shown, and goes through what is not', () => {
    const { ground } = plain;
    const basin = fieldFrom({ ...ground, sea: -5 }, (east) => (east > 400 && east < 600 ? -20 : 0));
    const depths = basin.height.map((h) => (h < -10 ? 12 : 0));
    expect(putDown(basin, { depths }, 'walk', 500, 500).feet).toBe(-5);
    expect(putDown({ ...basin, ground: { ...basin.ground, sea: -100 } }, { depths }, 'walk', 500, 500).feet).toBeCloseTo(-8, 6);
    expect(putDown(basin, null, 'walk', 500, 500).feet).toBe(-20);
    let walker = { ...putDown(basin, { depths }, 'walk', 380, 500), heading: 90 };
    for (let n = 0; n < 100; n++) walker = goOn(walker, basin, { depths }, 0.25, ahead);
    expect(walker.feet).toBe(-5);
    expect(walker.east).toBeGreaterThan(405);
    const flown = goOn({ ...putDown(basin, { depths }, 'fly', 500, 500), pitch: -80, pace: 'ride' }, basin, { depths }, 60, ahead);
    expect(flown.feet).toBeGreaterThanOrEqual(-5);
  });

  it('falls off a cliff as things fall, and lands', () => {
    const cliff = fieldFrom(groundOf(101), (east) => (east < 500 ? 60 : 0));
    let walker = { ...putDown(cliff, null, 'walk', 480, 500), heading: 90, pace: 'ride' as const };
    for (let n = 0; n < 40 && walker.falling === 0; n++) walker = { ...goOn(walker, cliff, null, 0.1, ahead), heading: 90, pace: 'ride' };
    expect(walker.falling).toBeGreaterThan(0);
    const from = walker.feet;
    const later = goOn(walker, cliff, null, 1, still);
    expect(from - later.feet).toBeGreaterThan(4);
    expect(from - later.feet).toBeLessThan(7 + walker.falling);
    const landed = goOn(later, cliff, null, 10, still);
    expect([landed.falling, landed.feet]).toEqual([0, heightAt(cliff, landed.east, landed.south)]);
  });

  it('in the air goes where it looks, and never under the ground', () => {
    const flying = putDown(plain, null, 'fly', 500, 500);
    expect(flying.feet).toBeGreaterThan(10);
    expect(goOn({ ...flying, pitch: 45 }, plain, null, 1, ahead).feet).toBeGreaterThan(flying.feet);
    expect(goOn({ ...flying, pitch: -80 }, plain, null, 60, ahead).feet).toBe(0);
    expect(goOn(flying, plain, null, 1, { ...still, up: 1 }).feet).toBeGreaterThan(flying.feet);
  });
});
