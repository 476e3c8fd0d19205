import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { inlineKernels } from '../../kernels/pool';
import { buildSurface, type SurfaceSettings } from './build';
import { meshFormats, readMesh } from '../formats';
import { mergeMeshes, type Mesh } from '../mesh';
import { modelOf } from '../model/model';
import { rasterizeMesh } from '../raster/rasterize';

const kernels = inlineKernels();
const field = hills(groundOf(65, 65, 10), 3, 120);
const made = (choice: SurfaceSettings) => buildSurface(kernels, field, choice);

describe('the faces that are asked for', () => {
  it('of a grid without a count have one vertex a sample, under either registration', async () => {
    expect((await made({ kind: 'grid' })).height.length).toBe(65 * 65);
    const area = { ...field, ground: { ...field.ground, registration: 'area' as const } };
    // Every sample, and half a cell beyond the outer ones the edge.
    expect((await buildSurface(kernels, area, { kind: 'grid' })).height.length).toBe(65 * 65 + 4 * 64);
    expect((await made({ kind: 'grid', segments: { x: 8, y: 4 }, faces: 'quads' })).faces.length).toBe(8 * 4 * 4);
  });

  it.each(['adaptive', 'halved'] as const)('%s: no more triangles than were asked for, more for a smaller error, in parts too', async (kind) => {
    const count = ({ faces }: { faces: Uint32Array }) => faces.length / 3;
    expect(count(await made({ kind, triangles: 300 }))).toBeLessThanOrEqual(300);
    const [rough, fine] = [await made({ kind, maxError: 8 }), await made({ kind, maxError: 1 })];
    expect(count(fine)).toBeGreaterThan(count(rough));
    expect((await made({ kind, maxError: 8, split: { across: 2, down: 2 } })).parts.length).toBe(4);
    await expect(made({ kind, maxError: 8, faces: 'quads' })).rejects.toThrow(/only a regular grid/);
  });

  describe('of samples that are the middles of cells', () => {
    const area = hills(groundOf(96, 80, 30, 'area'), 6, 120);
    const rough = { ...area, height: area.height.map((h, i) => h + 40 * ((i * 7919) % 13)) };
    const span = Math.max(...rough.height) - Math.min(...rough.height);
    const back = (mesh: Mesh) => rasterizeMesh(mesh, { size: { across: 96, down: 80 }, registration: 'area' }).field;
    const worst = (a: Float32Array, b: Float32Array) => a.reduce((most, h, i) => Math.max(most, Math.abs(h - b[i])), 0);

    it.each(['glb', 'ply', 'stl', 'obj'])('there and back through %s is exact, triangles and quads, whole and in parts', async (id) => {
      const format = meshFormats.find((f) => f.id === id)!;
      for (const faces of ['triangles', 'quads'] as const) {
        for (const split of [undefined, { across: 3, down: 2 }]) {
          const surface = await buildSurface(kernels, rough, { kind: 'grid', faces, split });
          const { parts } = modelOf(rough, surface, 'm', { normals: 'none', up: id === 'stl' ? 'z' : 'y' });
          const field = back(readMesh(format.encode(mergeMeshes(parts.map((p) => p.mesh)), 'm')));
          expect(field.valid).toBeUndefined();
          expect(worst(field.height.map((h) => h + field.ground.datum) as Float32Array, rough.height)).toBeLessThanOrEqual((id === 'obj' ? 1e-5 : 1e-6) * span);
        }
      }
    });

    it.each(['adaptive', 'halved'] as const)('%s: the bound holds at the ground’s own samples, and the count with the outer half cells', async (kind) => {
      for (const split of [undefined, { across: 2, down: 2 }]) {
        const { parts } = modelOf(rough, await buildSurface(kernels, rough, { kind, maxError: 60, split }), 'm', { normals: 'none' });
        const field = back(mergeMeshes(parts.map((p) => p.mesh)));
        expect(worst(field.height.map((h) => h + field.ground.datum) as Float32Array, rough.height)).toBeLessThanOrEqual(60 * (1 + 1e-6));
      }
      expect((await buildSurface(kernels, rough, { kind, triangles: 2000 })).faces.length / 3).toBeLessThanOrEqual(2000);
    });

    it('reaches the ground’s edge, where the outer values go on', async () => {
      const { east, south, height } = await buildSurface(kernels, area, { kind: 'grid' });
      expect([Math.min(...east), Math.max(...east), Math.min(...south), Math.max(...south)]).toEqual([0, 1, 0, 1]);
      const corner = east.findIndex((e, i) => e === 0 && south[i] === 0);
      expect(height[corner]).toBe(area.height[0]);
    });
  });

  it('of halved triangles part in as many across as down', async () => {
    await expect(made({ kind: 'halved', maxError: 8, split: { across: 4, down: 2 } })).rejects.toThrow(/as many across as down/);
  });
});
