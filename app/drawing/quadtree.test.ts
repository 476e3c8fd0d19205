import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { heightAt } from '../view/ground/pick';
import { choosePatches, deepestLevel, forget, PATCH_QUADS, patchErrors } from './quadtree';

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

  it.each([
    ['points', groundOf(129, 129, 4)],
    ['areas', groundOf(128, 128, 4, 'area')],
    ['points that no level falls on', groundOf(150, 90, 4)],
  ])('knows how far every patch lies off the ground, on %s', (_, ground) => {
    const field = hills(ground, 5);
    const errors = patchErrors(field);
    const deepest = deepestLevel(Math.max(ground.across, ground.down));
    expect(errors.length).toBe((4 ** (deepest + 1) - 1) / 3);
    const longest = Math.max(ground.width, ground.depth);
    const quads = PATCH_QUADS * 2;
    // Level one, drawn: every sample held against the two triangles over it, by patch.
    const worst = [0, 0, 0, 0];
    for (let k = 0; k < 4000; k++) {
      const [east, south] = [((k * 0.618034) % 1) * ground.width * 0.98, ((k * 0.754878) % 1) * ground.depth * 0.98];
      const [qx, qz] = [Math.floor((east / longest) * quads), Math.floor((south / longest) * quads)];
      const [u, v] = [(east / longest) * quads - qx, (south / longest) * quads - qz];
      const corner = (x: number, z: number) => heightAt(field, ((qx + x) / quads) * longest, ((qz + z) / quads) * longest);
      const [a, b, c, d] = [corner(0, 0), corner(1, 0), corner(0, 1), corner(1, 1)];
      const drawn = u + v <= 1 ? a + u * (b - a) + v * (c - a) : d + (1 - u) * (c - d) + (1 - v) * (b - d);
      const patch = Math.floor(qz / PATCH_QUADS) * 2 + Math.floor(qx / PATCH_QUADS);
      worst[patch] = Math.max(worst[patch], Math.abs(drawn - heightAt(field, east, south)));
    }
    for (const [patch, off] of worst.entries()) expect(off, `patch ${patch}`).toBeLessThanOrEqual(errors[1 + patch] * 1.0001 + 1e-4);
    expect(errors[0]).toBeGreaterThanOrEqual(Math.max(...errors.slice(1, 5)));
    forget(errors, 0.6, 0.1, 0.7, 0.2);
    expect([...errors.slice(0, 5)].map((e) => e === Infinity)).toEqual([true, false, true, false, false]);
  });
});
