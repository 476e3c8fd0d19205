import { describe, expect, it } from 'vitest';
import { fieldFrom } from '@upland-cast/core';
import { groundOf } from '../../../tests/helpers/grounds';
import { depthAt, heightAt, pick, slopeAt } from './pick';

const plane = fieldFrom(groundOf(101), (east, south) => 0.2 * east + 0.1 * south);

describe('reading off the ground', () => {
  it('is bilinear and carries the outer value on', () => {
    expect(heightAt(plane, 333, 777)).toBeCloseTo(0.2 * 333 + 77.7, 3);
    expect(heightAt(plane, -50, -50)).toBe(0);
    expect(slopeAt(plane, 500, 500)).toBeCloseTo((Math.atan(Math.hypot(0.2, 0.1)) * 180) / Math.PI, 4);
  });

  it('finds where a ray meets it, from above and from aside, and where it misses', () => {
    const hit = pick(plane, [0, 800, 900], [0, -0.6, -0.8], 0, 1)!;
    expect(hit.east).toBeCloseTo(500, 3);
    const y = 800 - 0.75 * (900 - (hit.south - 500));
    expect(y).toBeCloseTo(heightAt(plane, hit.east, hit.south), 1);
    expect(pick(plane, [120, 5000, -40], [0, -1, 0], 0, 1)).toEqual({ east: 620, south: 460 });
    expect(pick(plane, [0, 800, 900], [0, 0.6, -0.8], 0, 1)).toBeNull();
    expect(pick(plane, [5000, 800, 0], [0, 0, 1], 0, 1)).toBeNull();
  });

  it('finds the depth of water, none where a stream too narrow for one runs, and none of water on another grid', () => {
    const water = new Float32Array(101 * 101).fill(-0.5);
    water[50 * 101 + 50] = 6;
    expect(depthAt(plane, water, 500, 500)).toBeCloseTo(6, 5);
    expect(depthAt(plane, water, 100, 100)).toBe(0);
    expect(depthAt(plane, new Float32Array(9).fill(3), 500, 500)).toBe(0);
  });
});
