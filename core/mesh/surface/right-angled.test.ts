import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { modelOf } from '../model/model';
import { rightAngledSurface } from './right-angled';
import { errorOf, strayEdges } from '../../../tests/helpers/mesh-edges';

describe('right-angled halving', () => {
  it.each([
    [8, groundOf(65)],
    [2, groundOf(65)],
    [0.5, groundOf(33)],
    [9, groundOf(149, 137)],
    [9, groundOf(128, 128, 10, 'area')],
  ])('leaves no sample further off than %d m, without a T-junction', (bound, ground) => {
    const own = hills(ground, 5, ground.across > 100 ? 60 : 120);
    const { surface, error } = rightAngledSurface(own, { maxError: bound });
    const held = errorOf(own, surface);
    expect(error).toBeLessThanOrEqual(bound);
    expect(held.maxError).toBeLessThanOrEqual(bound * (1 + 1e-5));
    expect(held.holes).toBe(0);
    expect(strayEdges(modelOf(own, surface, 'm').parts.map((p) => p.mesh))).toEqual([]);
  });

  it('has right angles only, takes two triangles for a plane, and as few as are asked for', () => {
    const own = hills(groundOf(65), 5, 120);
    const { surface } = rightAngledSurface(own, { maxError: 0, triangles: 500 });
    expect(surface.faces.length / 3).toBeLessThanOrEqual(500);
    expect(surface.faces.length / 3).toBeGreaterThan(400);
    const { faces, east, south } = surface;
    for (let t = 0; t < faces.length; t += 3) {
      const p = [0, 1, 2].map((k) => [east[faces[t + k]], south[faces[t + k]]]);
      const dots = p.map((q, k) => (p[(k + 1) % 3][0] - q[0]) * (p[(k + 2) % 3][0] - q[0]) + (p[(k + 1) % 3][1] - q[1]) * (p[(k + 2) % 3][1] - q[1]));
      expect(Math.min(...dots.map(Math.abs))).toBeLessThan(1e-12);
    }
    const plane = fieldFrom(groundOf(33), (e) => e);
    expect(rightAngledSurface(plane, { maxError: 0.001 }).surface.faces.length / 3).toBe(2);
  });

  it('parts in powers of two that meet corner to corner', () => {
    const own = hills(groundOf(65), 5, 120);
    const { surface } = rightAngledSurface(own, { maxError: 5, parts: 4 });
    const { parts } = modelOf(own, surface, 'm');
    expect(parts.length).toBe(16);
    expect(strayEdges(parts.map((p) => p.mesh))).toEqual([]);
    expect(() => rightAngledSurface(own, { maxError: 5, parts: 3 })).toThrow(/1, 2, 4, 8/);
    // Corners that are no samples cannot come as close as one likes.
    expect(() => rightAngledSurface(hills(groundOf(50), 5), { maxError: 0.001 })).toThrow(/stay up to [\d.]+ m off/);
  });
});
