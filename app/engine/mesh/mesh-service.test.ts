import { describe, expect, it } from 'vitest';
import { fractal } from '../../../tests/helpers/fractal';
import { groundOf } from '../../../tests/helpers/grounds';
import { storedInMemory } from '../../../tests/helpers/stored-assets';
import type { PressRequest } from '../api';
import type { MeshWork } from './work';

storedInMemory();
const { inlineKernels, makeCourse, meshSettings, meshSettingsFor, readHeightmap, readMeshFiles, StageCache, StoppedError, stepUse, triangleCount } =
  await import('@upland-cast/core');
const { loadAsset } = await import('../../storage/assets');
const { curve, preview, write } = await import('./mesh-service');
const { press } = await import('./press-service');

const ground = { ...groundOf(65, 49, 10), sea: 230 };
const field = fractal(ground, { seed: 3, feature: 300, height: 150, octaves: 6 });
const course = makeCourse('Fell', ground, [stepUse('flat', { level: 300 }, { id: 'f' })]);
const tools = { kernels: inlineKernels(), cache: new StageCache(16 * 1024 * 1024) };
const work = (parts: Partial<MeshWork> = {}): MeshWork => ({ tools, course, field, signal: new AbortController().signal, onWork: () => undefined, ...parts });
const begun = (parts: Record<string, unknown> = {}) => meshSettings.parse({ ...meshSettingsFor(ground), ...parts });

describe('a mesh that is made', () => {
  it('has as many faces as its grid, and lies on the samples it was made from', async () => {
    const made = await preview(work(), begun({ kind: 'grid', segments: 64 }));
    expect(made.facts.triangles).toBe(2 * 64 * 48);
    expect(made.facts.vertices).toBe(65 * 49);
    expect(made.facts.maxError).toBeLessThan(1e-3);
    const coarse = await preview(work(), begun({ kind: 'grid', segments: 16 }));
    expect(coarse.facts.maxError).toBeGreaterThan(2);
    expect(coarse.largest).toBe(coarse.facts.maxError);
    expect(coarse.words).toBe('');
  });

  it('of greedy triangles keeps to the error that was asked for', async () => {
    const made = await preview(work(), begun({ kind: 'adaptive', maxError: 4 }));
    expect(made.facts.maxError).toBeLessThanOrEqual(4 * 1.001);
    expect(made.facts.triangles).toBeLessThan(2 * 64 * 48);
    expect(made.picture.positions.length).toBe(3 * made.facts.vertices);
    expect(Math.max(...made.picture.indices)).toBeLessThan(made.facts.vertices);
  });

  it('shows its errors red over the ground and blue under it', async () => {
    const { error } = await preview(work(), begun({ kind: 'grid', segments: 8 }));
    expect([error.width, error.height]).toEqual([65, 49]);
    let [red, blue] = [0, 0];
    for (let i = 0; i < error.pixels.length; i += 4) {
      if (error.pixels[i] > error.pixels[i + 2] + 40) red++;
      if (error.pixels[i + 2] > error.pixels[i] + 20) blue++;
    }
    expect(red).toBeGreaterThan(50);
    expect(blue).toBeGreaterThan(50);
  });

  it('counts a sheet of water where the sea lies over the ground', async () => {
    const dry = await preview(work(), begun({ kind: 'grid', segments: 32, water: false }));
    const wet = await preview(work(), begun({ kind: 'grid', segments: 32, water: true }));
    expect(wet.facts.triangles).toBeGreaterThan(dry.facts.triangles);
    const high = { ...field, ground: { ...ground, sea: -500 } };
    expect((await preview(work({ field: high }), begun({ kind: 'grid', segments: 32, water: true }))).facts.triangles).toBe(dry.facts.triangles);
  });

  it('is written as another program reads it, its levels smaller and smaller', async () => {
    const heard: number[] = [];
    const done = await write(work({ onWork: (_, share) => heard.push(share) }), begun({ kind: 'grid', segments: 64, format: 'glb', levels: 3 }), 'fell');
    expect(done.levels).toHaveLength(4);
    expect(done.levels[1].triangles).toBeLessThan(done.levels[0].triangles);
    expect(done.levels[2].maxError).toBeGreaterThan(done.levels[0].maxError);
    expect(triangleCount(await readMeshFiles(done.mesh))).toBe(done.levels[0].triangles);
    expect(heard.length).toBeGreaterThan(0);
    const single = await write(work(), begun({ kind: 'grid', segments: 16, format: 'ply' }), 'fell');
    expect(single.name).toBe('fell.ply');
    expect(triangleCount(await readMeshFiles([single]))).toBe(2 * 16 * 12);
    await expect(write(work(), begun({ format: 'stl', up: 'y' }), 'fell')).rejects.toMatchObject({ code: 'mesh-frame' });
  });

  it('carries the ground’s colour as a picture where that is asked for', async () => {
    const done = await write(work(), begun({ kind: 'grid', segments: 16, format: 'glb', colourMap: 64 }), 'fell');
    const png = Buffer.from(done.bytes).indexOf(Buffer.from([0x89, 0x50, 0x4e, 0x47]));
    expect(png).toBeGreaterThan(0);
  });

  it('has its error against its triangles for every way of making it, less with more', async () => {
    const found = await curve(work());
    expect(found.grid.length).toBeGreaterThan(2);
    for (const way of [found.grid, found.simplified]) {
      expect(way.every(([n], i) => i === 0 || n > way[i - 1][0])).toBe(true);
      expect(way[way.length - 1][1]).toBeLessThan(way[0][1]);
    }
    expect(found.adaptive.length).toBeGreaterThan(5);
  });

  it('stops when it is told to', async () => {
    await expect(curve(work({ signal: AbortSignal.abort() }))).rejects.toThrow(StoppedError);
  });
});

describe('a mesh that is pressed', () => {
  const asked = (parts: Partial<PressRequest> = {}): Omit<PressRequest, 'files'> => ({
    scale: { by: 'factor', factor: 1 },
    smooth: false,
    fill: 'none',
    registration: 'point',
    againstGround: false,
    ...parts,
  });
  const files = async (settings: Record<string, unknown> = {}) =>
    (await write(work(), begun({ kind: 'grid', segments: 64, format: 'obj', ...settings }), 'fell')).mesh;
  const pressed = async (parts: Partial<PressRequest> = {}, of?: PressRequest['files']) =>
    press({ ...work(), field: async () => field }, { files: of ?? (await files()), ...asked(parts) });

  it('gives the heights that it was made from, and keeps them as a file', async () => {
    const found = await pressed({ againstGround: true });
    expect(found.difference).toBeDefined();
    expect(found.difference!.maxAbs).toBeLessThan(2e-3);
    expect(found).toMatchObject({ holes: 0, overhangs: 0, triangles: 2 * 64 * 48 });
    const kept = await readHeightmap(await loadAsset(found.asset));
    expect([kept.width, kept.height]).toEqual([65, 49]);
    expect(found.relief.pixels.length).toBe(4 * found.relief.width * found.relief.height);
  });

  it('comes to a width, or to the ground, or is taken by a factor', async () => {
    const of = await files();
    const own = await pressed({}, of);
    expect(own.own.width).toBeCloseTo(640, 1);
    expect((await pressed({ scale: { by: 'width', width: 1280 } }, of)).scale).toBeCloseTo(2, 5);
    expect((await pressed({ scale: { by: 'ground' } }, of)).scale).toBeCloseTo(1, 5);
    expect((await pressed({ across: 33, down: 25 }, of)).ground).toMatchObject({ across: 33, down: 25 });
    await expect(pressed({ scale: { by: 'factor', factor: 0 } }, of)).rejects.toMatchObject({ code: 'mesh-scale' });
  });

  it('marks holes, and fills those inside or all of them', async () => {
    // Without the faces about its middle.
    const [obj] = (await files()).filter((f) => f.name.endsWith('.obj'));
    const lines = new TextDecoder().decode(obj.bytes).split('\n');
    const at = lines.filter((l) => l.startsWith('v ')).map((l) => l.split(' ').slice(1, 4).map(Number));
    const kept = lines.filter((l) => {
      if (!l.startsWith('f ')) return true;
      const corners = l
        .split(' ')
        .slice(1)
        .map((c) => at[parseInt(c, 10) - 1]);
      return !corners.every(([x, , z]) => Math.abs(x) < 60 && Math.abs(z) < 60);
    });
    const holed = [{ name: 'holed.obj', bytes: new TextEncoder().encode(kept.join('\n')) as Uint8Array<ArrayBuffer> }];
    const open = await pressed({}, holed);
    expect(open.holes).toBeGreaterThan(50);
    expect(open.filled).toBe(0);
    const red = Array.from({ length: open.cover.length / 4 }, (_, i) => i).filter((i) => open.cover[4 * i] === 178).length;
    expect(red).toBeGreaterThan(50);
    expect((await pressed({ fill: 'inside' }, holed)).filled).toBe(open.holes);
  });
});
