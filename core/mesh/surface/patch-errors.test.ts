import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { turnTakingKernels } from '../../../tests/helpers/turn-taking';
import type { Field } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { deepestLevel, firstPatch, PATCH_QUADS, patchErrors } from './patch-errors';

const kernels = inlineKernels();

/** Between four samples, at the edge the outermost. */
function heightAt({ ground, height }: Field, east: number, south: number): number {
  const { across, down, width, depth, registration } = ground;
  const along = (share: number, n: number) => Math.min(n - 1, Math.max(0, registration === 'area' ? share * n - 0.5 : share * (n - 1)));
  const [x, y] = [along(east / width, across), along(south / depth, down)];
  const [x0, y0] = [Math.floor(x), Math.floor(y)];
  const at = (column: number, row: number) => height[Math.min(down - 1, row) * across + Math.min(across - 1, column)];
  const row = (k: number) => at(x0, k) + (at(x0 + 1, k) - at(x0, k)) * (x - x0);
  return row(y0) + (row(y0 + 1) - row(y0)) * (y - y0);
}

describe('how far patches lie off the ground', () => {
  it.each([
    ['points', groundOf(129, 129, 4)],
    ['areas', groundOf(128, 128, 4, 'area')],
    ['points that no level falls on', groundOf(150, 90, 4)],
  ])('is known of every one, on %s', async (_, ground) => {
    const field = hills(ground, 5);
    const errors = await patchErrors(kernels, field);
    const deepest = deepestLevel(Math.max(ground.across, ground.down));
    expect(errors.length).toBe(firstPatch(deepest + 1));
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
    for (const [patch, off] of worst.entries()) {
      expect(off, `patch ${patch}`).toBeLessThanOrEqual(errors[1 + patch] * 1.0001 + 1e-4);
      // No more than it is, either: places between samples may be missed, samples not.
      expect(errors[1 + patch], `patch ${patch}`).toBeLessThanOrEqual(off * 1.6 + 1e-3);
    }
    expect(errors[0]).toBeGreaterThanOrEqual(Math.max(...errors.slice(1, 5)));
  });

  it('is the same on any number of threads, and nothing where quads are single samples or the ground is level', async () => {
    const field = hills(groundOf(257, 193, 4), 5);
    const alone = await patchErrors(kernels, field);
    for (const lastFirst of [false, true]) expect(await patchErrors(turnTakingKernels(3, lastFirst), field)).toEqual(alone);
    const finest = firstPatch(deepestLevel(257));
    expect(Math.max(...alone.slice(finest))).toBe(0);
    expect(alone.slice(0, 5).every((off) => off > 0)).toBe(true);
    expect(Math.max(...(await patchErrors(kernels, { ...field, height: new Float32Array(field.height.length).fill(80) })))).toBe(0);
    expect(await patchErrors(kernels, hills(groundOf(33, 20, 4), 5))).toEqual(new Float32Array(1));
  });
});
