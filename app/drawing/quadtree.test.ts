import { describe, expect, it } from 'vitest';
import { firstPatch } from '@upland-cast/core';
import { choosePatches, forget } from './quadtree';

describe('the level of detail', () => {
  it('covers the ground once, with finer patches where they are asked for', () => {
    const patches = choosePatches((x, z, size) => Math.hypot(Math.max(0, x - 100), Math.max(0, z - 100)) < 2 * size, { width: 1000, depth: 1000 }, 1025);
    expect(patches.reduce((sum, p) => sum + p.size * p.size, 0)).toBeCloseTo(1, 9);
    const near = patches.find((p) => p.x === 0 && p.z === 0)!;
    const far = patches.find((p) => p.x + p.size === 1 && p.z + p.size === 1)!;
    expect(near.size).toBeLessThan(far.size);
    expect(Math.min(...patches.map((p) => p.size))).toBeGreaterThanOrEqual(32 / 1024 - 1e-9);
  });

  it('leaves out what lies beyond a ground that is not square, and what is not seen', () => {
    const patches = choosePatches(() => true, { width: 1000, depth: 250 }, 129);
    expect(patches.every((p) => p.z < 0.25)).toBe(true);
    const east = choosePatches(
      () => true,
      { width: 1000, depth: 1000 },
      129,
      (x, _, size) => x + size > 500,
    );
    expect(east.length).toBe(8);
  });

  it('takes every patch over a piece as not known, on every level', () => {
    const errors = new Float32Array(firstPatch(4));
    forget(errors, 0.6, 0.1, 0.7, 0.2);
    expect([...errors.slice(0, 5)].map((e) => e === Infinity)).toEqual([true, false, true, false, false]);
    expect([...errors.slice(5, 21)].flatMap((e, i) => (e === Infinity ? [i] : []))).toEqual([2]);
  });
});
