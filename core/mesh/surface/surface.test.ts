import { describe, expect, it } from 'vitest';
import { groundOf, hills, noiseField } from '../../../tests/helpers/grounds';
import { fieldFrom, makeField } from '../../field/field';
import { inlineKernels } from '../../kernels/pool';
import { modelOf } from '../model/model';
import { adaptiveSurface } from './surface';
import { errorOf, strayEdges } from '../../../tests/helpers/mesh-edges';

const kernels = inlineKernels();

const field = hills(groundOf(65, 49, 7), 2, 120);

describe('greedy insertion', () => {
  it.each([
    [10, groundOf(65, 49, 7)],
    [2, groundOf(65, 49, 7)],
    [0.3, groundOf(33, 57, 7)],
    [3, groundOf(40, 31, 7, 'area')],
  ])('leaves no sample further off than %d m', async (bound, ground) => {
    const own = hills(ground, 4, 120);
    const { surface, error } = await adaptiveSurface(kernels, own, { maxError: bound });
    const held = errorOf(own, surface);
    expect(held.holes).toBe(0);
    expect(held.maxError).toBeLessThanOrEqual(bound * (1 + 1e-5));
    expect(error).toBeLessThanOrEqual(bound);
    expect(surface.faces.length / 3).toBeLessThan(2 * ground.across * ground.down + 400);
  });

  it('takes two triangles for a plane, and all samples for noise without error', async () => {
    const plane = fieldFrom(groundOf(33, 17), (e, s) => 0.25 * e + 0.5 * s);
    expect((await adaptiveSurface(kernels, plane, { maxError: 0.001 })).surface.faces.length / 3).toBe(2);
    const noise = noiseField(groundOf(17), 3, 0, 50);
    const all = await adaptiveSurface(kernels, noise, { maxError: 0 });
    expect(all.surface.height.length).toBe(17 * 17);
    expect(all.surface.faces.length / 3).toBe(2 * 16 * 16);
  });

  it('is Delaunay: no corner lies within the circle of a neighbour', async () => {
    const { surface } = await adaptiveSurface(kernels, field, { maxError: 4 });
    const { faces, east, south } = surface;
    const at = (v: number) => [Math.round(east[v] * 64), Math.round(south[v] * 48)];
    let inside = 0;
    for (let t = 0; t < faces.length; t += 3) {
      const [[ax, ay], [bx, by], [cx, cy]] = [0, 1, 2].map((k) => at(faces[t + k]));
      const d = 2 * (ax * (by - cy) + bx * (cy - ay) + cx * (ay - by));
      const ux = ((ax * ax + ay * ay) * (by - cy) + (bx * bx + by * by) * (cy - ay) + (cx * cx + cy * cy) * (ay - by)) / d;
      const uy = ((ax * ax + ay * ay) * (cx - bx) + (bx * bx + by * by) * (ax - cx) + (cx * cx + cy * cy) * (bx - ax)) / d;
      const r = (ax - ux) ** 2 + (ay - uy) ** 2;
      for (let v = 0; v < east.length; v++) {
        const [x, y] = at(v);
        if ((x - ux) ** 2 + (y - uy) ** 2 < r - 1e-6) inside++;
      }
    }
    expect(inside).toBe(0);
  });

  it('stops at a count, and its course falls from the first error to the last', async () => {
    const { surface, course, error } = await adaptiveSurface(kernels, field, { maxError: 0, triangles: 300 });
    expect(surface.faces.length / 3).toBeGreaterThan(295);
    expect(surface.faces.length / 3).toBeLessThanOrEqual(300);
    expect(course[0][0]).toBe(2);
    expect(course.at(-1)![1]).toBe(error);
    for (let k = 1; k < course.length; k++) expect(course[k][0]).toBeGreaterThan(course[k - 1][0]);
  });

  it('in parts keeps the bound, and the parts meet corner to corner', async () => {
    for (const split of [
      { across: 2, down: 2 },
      { across: 5, down: 3 },
    ]) {
      const { surface } = await adaptiveSurface(kernels, field, { maxError: 2, split });
      expect(errorOf(field, surface).maxError).toBeLessThanOrEqual(2 * (1 + 1e-5));
      const model = modelOf(field, surface, 'm');
      expect(model.parts.length).toBe(split.across * split.down);
      expect(strayEdges(model.parts.map((p) => p.mesh))).toEqual([]);
    }
    await expect(adaptiveSurface(kernels, field, { maxError: 0, triangles: 10, split: { across: 2, down: 1 } })).rejects.toThrow(/by its error/);
  });

  it('refuses a bound that is none, and ground with holes', async () => {
    await expect(adaptiveSurface(kernels, field, { maxError: NaN })).rejects.toThrow(/0 m or more/);
    await expect(adaptiveSurface(kernels, makeField(field.ground, field.height, new Uint8Array(field.height.length)), { maxError: 1 })).rejects.toThrow(
      /have no height/,
    );
  });
});
