import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, range } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { gridMesh } from '../surface/grid';
import { compareMeshToField } from './measure';
import type { MeshFrame } from '../model/model';
import { type Mesh } from '../mesh';
import { rasterizeMesh } from './rasterize';

const field = hills(groundOf(65, 49, 7), 2);

const [low, high] = range(field.height);

const centred = (w: number, d: number) => ({ west: -w / 2, east: w / 2, north: -d / 2, south: d / 2 });

describe('pressing', () => {
  it('gives back every sample of the same grid, whichever way is up', () => {
    for (const up of ['y', 'z'] as const) {
      const { field: back, holes, overhangs } = rasterizeMesh(gridMesh(field, { up }), { size: { across: 65, down: 49 } });
      expect([holes, overhangs]).toEqual([0, 0]);
      expect(
        largestDifference(
          back.height.map((h) => h + back.ground.datum),
          field.height,
        ),
      ).toBeLessThanOrEqual(1e-6 * (high - low));
    }
  });

  it('is right between vertices: a tilted plane of two triangles is the plane at every sample', () => {
    const mesh: Mesh = {
      positions: Float32Array.from([0, 0, 0, 100, 50, 0, 100, 70, 100, 0, 20, 100]),
      indices: Uint32Array.from([0, 3, 2, 0, 2, 1]),
      corners: 3,
      up: 'y',
    };
    const { field: plane, holes } = rasterizeMesh(mesh, { size: { across: 41, down: 37 } });
    expect(holes).toBe(0);
    for (let row = 0; row < 37; row++) for (let c = 0; c < 41; c++) expect(plane.height[row * 41 + c]).toBeCloseTo((c / 40) * 50 + (row / 36) * 20, 4);
  });

  it('takes the topmost surface, counts what lies under overhangs, and leaves holes', () => {
    // A floor at 1 m with a roof at 9 m over its western half, and nothing in the south.
    const floor = [0, 1, 0, 10, 1, 0, 10, 1, 10, 0, 1, 10];
    const roof = [0, 9, 0, 4.6, 9, 0, 4.6, 9, 10, 0, 9, 10];
    const quads = [0, 3, 2, 1, 4, 7, 6, 5];
    const mesh: Mesh = { positions: Float32Array.from([...floor, ...roof]), indices: Uint32Array.from(quads), corners: 4, up: 'y' };
    const { field: pressed, holes, overhangs } = rasterizeMesh(mesh, { size: { across: 11, down: 21 }, extent: { west: 0, east: 10, north: 0, south: 20 } });
    expect(pressed.height[0]).toBe(9);
    expect(pressed.height[9]).toBe(1);
    expect(overhangs).toBe(5 * 11);
    expect(holes).toBe(10 * 11);
    expect(pressed.valid![220]).toBe(0);
  });

  it('of a paraboloid is within the tessellation’s own error', () => {
    const bowl = fieldFrom(groundOf(65, 65, 1), (e, s) => ((e - 32) ** 2 + (s - 32) ** 2) / 50);
    const mesh = gridMesh(bowl);
    const { field: fine } = rasterizeMesh(mesh, { size: { across: 257, down: 257 }, extent: centred(64, 64) });
    let worst = 0;
    for (let row = 0; row < 257; row++)
      for (let c = 0; c < 257; c++) worst = Math.max(worst, Math.abs(fine.height[row * 257 + c] - ((c / 4 - 32) ** 2 + (row / 4 - 32) ** 2) / 50));
    // On a cell of side d a paraboloid with second derivative f″ is missed by at most 2 · f″ d²/8.
    expect(worst).toBeLessThanOrEqual((2 * (2 / 50)) / 8 + 1e-4);
    expect(worst).toBeGreaterThan(1e-3);
  });

  it('gives the same heights whatever the order of the faces', () => {
    const mesh = gridMesh(field);
    const turned = mesh.indices.slice();
    for (let i = 0; i < turned.length; i += 3)
      [turned[i], turned[i + 1], turned[i + 2]] = [
        mesh.indices[turned.length - 3 - i],
        mesh.indices[turned.length - 2 - i],
        mesh.indices[turned.length - 1 - i],
      ];
    expect(rasterizeMesh({ ...mesh, indices: turned }, { size: { across: 64, down: 51 } })).toEqual(rasterizeMesh(mesh, { size: { across: 64, down: 51 } }));
  });

  it('measures a lighter mesh against the ground: fewer faces, more error', () => {
    const frame = (strength = 1, zero = 0, base = 0): MeshFrame => ({
      ...field.ground,
      strength,
      zero,
      base,
      scale: 1,
      up: 'y',
      handed: 'right',
      move: [0, 0, 0],
    });
    const errors = [64, 32, 16, 8].map((n) => compareMeshToField(gridMesh(field, { segments: { x: n, y: (n * 3) / 4 } }), field, frame()).rmse);
    expect(errors[0]).toBeLessThan(1e-4);
    for (let i = 1; i < errors.length; i++) expect(errors[i]).toBeGreaterThan(errors[i - 1]);
    const strong = compareMeshToField(gridMesh(field, { strength: 3, zero: 100, base: 50 }), field, frame(3, 100, 50));
    expect(strong.maxError).toBeLessThan(1e-3);
  });

  it('refuses meshes in which there is no ground', () => {
    const one = (positions: number[], indices = [0, 1, 2]): Mesh => ({
      positions: Float32Array.from(positions),
      indices: Uint32Array.from(indices),
      corners: 3,
      up: 'y',
    });
    expect(() => rasterizeMesh(one([], []))).toThrow(/no faces/);
    expect(() => rasterizeMesh(one([0, 0, 0, 1, NaN, 0, 1, 0, 1]))).toThrow(/not a number/);
    expect(() => rasterizeMesh(one([0, 0, 0, 0, 5, 0, 0, 5, 1]))).toThrow(/other axis up/);
    expect(() => rasterizeMesh(one([0, 0, 0, 1, 0, 0, 1, 0, 1], [0, 1, 7]))).toThrow(/names vertex 7/);
    expect(() => rasterizeMesh(one([0, 0, 0, 1, 0, 0, 1, 0, 1]), { extent: { west: 50, east: 60, north: 50, south: 60 } })).toThrow(/does not meet/);
  });
});
