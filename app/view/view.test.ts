import { describe, expect, it } from 'vitest';
import { fieldFrom } from '@upland-cast/core';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { heightAt, pick, slopeAt } from './pick';
import { banksOf } from './banks';
import { choosePatches, deepestLevel, forget, PATCH_QUADS, patchErrors } from '../drawing/quadtree';
import { rampPixels, roundInterval, TINT } from '../drawing/ramp';

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

describe('the banks of a path', () => {
  it('run as far as the ground climbs at their angle', () => {
    // A cut 10 m wide whose banks climb at 45° to level ground 20 m above its floor.
    const cut = fieldFrom(groundOf(101, 101, 2), (east) => Math.min(20, Math.max(0, Math.abs(east - 100) - 5)));
    const line = [40, 100, 160].map((south) => ({ east: 100, south }));
    const [left, right, leftFoot, rightFoot] = banksOf(cut, line, 10, 45);
    expect([left[1].east, right[1].east].sort((a, b) => a - b)).toEqual([95, 105]);
    expect(Math.abs(leftFoot[1].east - 100)).toBeCloseTo(25, -1);
    expect(Math.abs(rightFoot[1].east - 100)).toBeGreaterThan(20);
    expect(Math.abs(rightFoot[1].east - 100)).toBeLessThan(29);
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
