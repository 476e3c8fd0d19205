import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { fieldFrom, flatField, makeField } from '../../field/field';
import { displacementRatio, gridMesh } from './grid';
import { boundsOf, faceCount, triangleIndices, vertexCount } from '../mesh';

const field = hills(groundOf(65, 49, 7), 2);

describe('the grid', () => {
  it('has one vertex more than faces each way', () => {
    const mesh = gridMesh(field, { segments: { x: 512, y: 3 } });
    expect(vertexCount(mesh)).toBe(513 * 4);
    expect(faceCount(mesh)).toBe(512 * 3 * 2);
    expect(faceCount(gridMesh(field, { segments: { x: 8, y: 8 }, faces: 'quads' }))).toBe(64);
  });

  it('is displaced by base + strength × (height − zero), the ground’s own size wide', () => {
    const mesh = gridMesh(flatField(groundOf(5, 5, 10), 250), { strength: 2, zero: 200, base: 7 });
    const { min, max } = boundsOf(mesh.positions);
    expect([min, max]).toEqual([
      [-20, 107, -20],
      [20, 107, 20],
    ]);
  });

  it('has the ratio of relief to width: 307 m over 2 048 m is 0.1499 (common practice)', () => {
    const ramp = fieldFrom(groundOf(9, 9, 256), (east) => (307 * east) / 2048);
    expect(displacementRatio(ramp)).toBeCloseTo(0.1499, 4);
  });

  it('faces outwards: the normals of its triangles point up, and agree with those given', () => {
    for (const up of ['y', 'z'] as const) {
      for (const faces of ['triangles', 'quads'] as const) {
        const mesh = gridMesh(hills(groundOf(65, 49, 70), 2, 60), { up, faces });
        const axis = up === 'y' ? 1 : 2;
        const t = triangleIndices(mesh);
        const p = mesh.positions;
        for (let i = 0; i < t.length; i += 33) {
          const k = i - (i % 3);
          const [a, b, c] = [t[k] * 3, t[k + 1] * 3, t[k + 2] * 3];
          const u = [0, 1, 2].map((j) => p[b + j] - p[a + j]);
          const v = [0, 1, 2].map((j) => p[c + j] - p[a + j]);
          const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
          expect(n[axis]).toBeGreaterThan(0);
          expect([0, 1, 2].reduce((sum, j) => sum + n[j] * mesh.normals![a + j], 0)).toBeGreaterThan(0);
        }
      }
    }
  });

  it('has on a plane rising 45° to the east the normal (−0.7071, 0.7071, 0)', () => {
    const { normals } = gridMesh(fieldFrom(groundOf(9), (east) => east));
    expect([...normals!.slice(120, 123)].map((v) => Number(v.toFixed(4)) + 0)).toEqual([-0.7071, 0.7071, 0]);
  });

  it('carries the outer value on to the edge under area registration', () => {
    const cells = fieldFrom(groundOf(4, 4, 10, 'area'), () => 33);
    const { positions } = gridMesh(cells, { segments: { x: 4, y: 4 } });
    for (let i = 1; i < positions.length; i += 3) expect(positions[i]).toBeCloseTo(33, 5);
  });

  it('refuses no faces, too many, and ground with holes', () => {
    expect(() => gridMesh(field, { segments: { x: 0, y: 4 } })).toThrow(/at least one face/);
    expect(() => gridMesh(field, { segments: { x: 8000, y: 8000 } })).toThrow(/are the most/);
    expect(() => gridMesh(makeField(field.ground, field.height, new Uint8Array(field.height.length)))).toThrow(/have no height/);
  });
});
