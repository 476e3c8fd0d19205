import { describe, expect, it } from 'vitest';
import { fieldFrom } from '@upland-cast/core';
import { groundOf } from '../../tests/helpers/grounds';
import { heightAt, pick, slopeAt } from './pick';
import { choosePatches } from './quadtree';
import { rampPixels, roundInterval, TINT } from './ramp';

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
});

describe('the level of detail', () => {
  it('covers the ground once, with finer patches near the eye', () => {
    const patches = choosePatches((x, z, size) => Math.hypot(Math.max(0, x - 100, 0), Math.max(0, z - 100), size * 0), { width: 1000, depth: 1000 }, 1025, 2);
    expect(patches.reduce((sum, p) => sum + p.size * p.size, 0)).toBeCloseTo(1, 9);
    const near = patches.find((p) => p.x === 0 && p.z === 0)!;
    const far = patches.find((p) => p.x + p.size === 1 && p.z + p.size === 1)!;
    expect(near.size).toBeLessThan(far.size);
    expect(Math.min(...patches.map((p) => p.size))).toBeGreaterThanOrEqual(32 / 1024 - 1e-9);
  });

  it('leaves out what lies beyond a ground that is not square', () => {
    const patches = choosePatches(() => 0, { width: 1000, depth: 250 }, 129, 2);
    expect(patches.every((p) => p.z < 0.25)).toBe(true);
  });
});

describe('the tint', () => {
  it('grows lighter evenly from low to high', () => {
    const pixels = rampPixels(TINT);
    const light = (i: number) => 0.2126 * pixels[4 * i] + 0.7152 * pixels[4 * i + 1] + 0.0722 * pixels[4 * i + 2];
    for (let i = 1; i < 256; i++) expect(light(i)).toBeGreaterThanOrEqual(light(i - 1) - 0.01);
    expect([pixels[0], pixels[1], pixels[2]]).toEqual([0x4c, 0x63, 0x50]);
  });

  it('cuts ranges at round numbers', () => {
    expect([roundInterval(529, 30), roundInterval(1000, 10), roundInterval(0.07, 10), roundInterval(0, 5)]).toEqual([20, 100, 0.005, 1].map((v) => v));
  });
});
