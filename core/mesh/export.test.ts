import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { inlineKernels } from '../kernels/pool';
import { readMeshFiles } from './formats';
import { triangleCount, vertexCount } from './mesh';
import { exportMesh, memoryOfMesh, surfaceOf, type ExportedLevel } from './export';
import { meshSettingsFor, type MeshSettings } from './settings';

const field = hills(groundOf(129, 97, 8), 3, 60);
const kernels = inlineKernels();
const settings = (change: Partial<MeshSettings> = {}): MeshSettings => ({ ...meshSettingsFor(field.ground), segments: 128, ...change });

async function exported(change: Partial<MeshSettings>, more: Partial<Parameters<typeof exportMesh>[2]> = {}): Promise<ExportedLevel[]> {
  const levels: ExportedLevel[] = [];
  for await (const level of exportMesh(field, settings(change), { kernels, name: 'hills', ...more })) levels.push(level);
  return levels;
}

describe('a mesh that is exported', () => {
  it('at the ground’s own density has every sample as a vertex, and no error but float32’s', async () => {
    const [whole] = await exported({});
    expect(whole.vertices).toBe(129 * 97);
    expect(whole.triangles).toBe(2 * 128 * 96);
    expect(whole.error.maxError).toBeLessThan(1e-4);
    expect(whole.files.map((f) => f.name)).toEqual(['hills.glb']);
    expect(whole.bytes).toBe(whole.files[0].bytes.length);
  });

  it('is measured on what was written: the figures are those of the files that are read again', async () => {
    const [one] = await exported({ kind: 'adaptive', maxError: 1, format: 'obj' });
    const read = await readMeshFiles(one.files);
    expect([vertexCount(read), triangleCount(read)]).toEqual([one.vertices, one.triangles]);
    expect(one.error.maxError).toBeLessThanOrEqual(1.001);
    expect(one.error.maxError).toBeGreaterThan(0.2);
  });

  it('has lighter levels, each with about half the triangles, a larger error, and a distance from which it will do', async () => {
    const levels = await exported({ levels: 2 });
    expect(levels.map((l) => l.files[0].name)).toEqual(['hills.glb', 'hills-level-1.glb', 'hills-level-2.glb']);
    for (const [k, level] of levels.entries()) {
      if (k === 0) {
        expect(level.switchDistance).toBe(0);
        continue;
      }
      const share = level.triangles / levels[k - 1].triangles;
      expect(share).toBeGreaterThan(0.4);
      expect(share).toBeLessThan(0.6);
      expect(level.error.maxError).toBeGreaterThan(levels[k - 1].error.maxError);
      expect(level.switchDistance).toBeGreaterThan(levels[k - 1].switchDistance);
    }
  });

  it('carries its normal map inside where the format can, else beside', async () => {
    const [inside] = await exported({ segments: 16, normalMap: 64 });
    expect(inside.files).toHaveLength(1);
    const [beside] = await exported({ segments: 16, normalMap: 64, format: 'ply' });
    expect(beside.files.map((f) => f.name)).toEqual(['hills.ply', 'hills-normal.png']);
    expect([...beside.files[1].bytes.subarray(1, 4)]).toEqual([...'PNG'].map((c) => c.charCodeAt(0)));
  });

  it('leaves the water’s plane out of its error', async () => {
    const wet = { ...field, ground: { ...field.ground, sea: 500 } };
    const levels: ExportedLevel[] = [];
    for await (const one of exportMesh(wet, settings({ water: true, segments: 32 }), { kernels, name: 'wet' })) levels.push(one);
    const [dry] = await exported({ segments: 32 });
    expect(levels[0].triangles).toBe(dry.triangles + 2);
    expect(levels[0].error.maxError).toBeCloseTo(dry.error.maxError, 3);
  });

  it('tells how far it is, from the beginning towards the end, and never back', async () => {
    const told: [string, number][] = [];
    await exported({ segments: 16, levels: 2 }, { progress: (words, share) => told.push([words, share]) });
    expect(told[0]).toEqual(['Making the faces', 0]);
    for (let i = 1; i < told.length; i++) expect(told[i][1]).toBeGreaterThanOrEqual(told[i - 1][1]);
    expect(told.at(-1)![1]).toBeLessThan(1);
    expect(told.at(-1)![1]).toBeGreaterThan(0.85);
  });

  it('stops when told to', async () => {
    const control = new AbortController();
    const work = exportMesh(field, settings({ levels: 4 }), { kernels, name: 'hills', signal: control.signal });
    await work.next();
    control.abort();
    await expect(work.next()).rejects.toThrow('Stopped.');
  });

  it('that cannot be is refused before anything is made', async () => {
    await expect(exported({ faces: 'quads', levels: 1 })).rejects.toThrow('Levels of detail are made out of triangles.');
    await expect(exported({ format: 'stl', up: 'y', handed: 'left' })).rejects.toThrow();
  });
});

describe('the faces that settings ask for', () => {
  it('of a grid with its faces named both ways has so many', async () => {
    const { surface } = await surfaceOf(field, settings({ segments: 10, segmentsDown: 7 }), { kernels });
    expect(surface.height.length).toBe(11 * 8);
  });

  it('in parts by vertices has as many parts as it takes, and none beyond the limit', async () => {
    const { surface, split } = await surfaceOf(field, settings({ parts: 'limit', partVertices: 1500 }), { kernels });
    expect(split.across).toBe(split.down);
    expect(split.across).toBeGreaterThan(1);
    for (const { from, to } of surface.parts) expect(new Set(surface.faces.subarray(from, to)).size).toBeLessThanOrEqual(1500);
    const fewer = await surfaceOf(field, settings({ kind: 'adaptive', maxError: 0.5, parts: 'limit', partVertices: 200 }), { kernels });
    for (const { from, to } of fewer.surface.parts) expect(new Set(fewer.surface.faces.subarray(from, to)).size).toBeLessThanOrEqual(200);
  });

  it('in parts that can never be small enough are refused', async () => {
    await expect(surfaceOf(field, settings({ kind: 'adaptive', maxError: 0, parts: 'limit', partVertices: 4 }), { kernels })).rejects.toThrow(/Allow more/);
  });
});

describe('the memory that a mesh takes', () => {
  it('grows with what its vertices carry, and most with text', () => {
    const plain = settings({ normals: 'none', uvs: 'none' });
    const least = memoryOfMesh(1000, 2000, plain);
    expect(memoryOfMesh(1000, 2000, { ...plain, uvs: 'whole' })).toBe(least + 3 * 8 * 1000);
    expect(memoryOfMesh(1000, 2000, { ...plain, normals: 'smooth' })).toBe(least + 3 * 12 * 1000);
    expect(memoryOfMesh(1000, 2000, { ...plain, normals: 'flat' })).toBeGreaterThan(memoryOfMesh(1000, 2000, { ...plain, normals: 'smooth' }));
    expect(memoryOfMesh(1000, 2000, { ...plain, format: 'obj' })).toBeGreaterThan(2 * least);
  });
});
