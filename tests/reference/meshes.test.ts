import { createRequire } from 'node:module';
import Delatin from 'delatin';
import { afterAll, describe, expect, it } from 'vitest';
import {
  adaptiveSurface,
  boundsOf,
  encodeImage,
  faceCount,
  gridMesh,
  gridSurface,
  inlineKernels,
  mergeMeshes,
  meshFormats,
  modelOf,
  rasterizeMesh,
  readMesh,
  readMeshFiles,
  triangleCount,
  vertexCount,
  writeModel,
  type MeshOptions,
  type ModelOptions,
} from '@upland-cast/core';
import { groundOf, hills, largestDifference } from '../helpers/grounds';
import { readBytes, run, save, scratch } from '../helpers/outside';

const { path, done } = scratch();
afterAll(done);
const field = hills(groundOf(65, 41, 30), 5, 200);
const mesh = gridMesh(field);

// Assimp (https://www.assimp.org), Debian's assimp-utils: the outside reader and writer of meshes.
describe('Assimp', () => {
  it.each(meshFormats.map((f) => [f.title, f] as const))('reads our %s: the same counts and bounds', (_, format) => {
    const file = path(`ours${format.endings[0]}`);
    // STL has its z up, and no corners in common.
    const stl = format.id === 'stl';
    const given = stl ? gridMesh(field, { up: 'z' }) : mesh;
    save(file, format.encode(given, 'ground'));
    // Assimp gives every corner a vertex of its own; -jiv joins those that are identical again.
    const info = run('assimp', ['info', file, '-jiv']);
    const figure = (name: string) => Number(new RegExp(`${name}:\\s+(\\d+)`).exec(info)![1]);
    expect(figure('Vertices')).toBe(stl ? 3 * faceCount(mesh) : vertexCount(mesh));
    expect(figure('Faces')).toBe(faceCount(mesh));
    const point = (name: string) => new RegExp(`${name}\\s+\\(([-\\d. e+]+)\\)`).exec(info)![1].trim().split(/\s+/).map(Number);
    const { min, max } = boundsOf(given.positions);
    for (let k = 0; k < 3; k++) {
      expect(point('Minimum point')[k]).toBeCloseTo(min[k], 2);
      expect(point('Maximum point')[k]).toBeCloseTo(max[k], 2);
    }
  });

  it.each(meshFormats.map((f) => [f.title, f] as const))(
    'reads our %s in parts, with water, colours and pictures: the same counts and bounds',
    async (_, format) => {
      const wet = { ...field, ground: { ...field.ground, sea: 500 } };
      const stl = format.id === 'stl';
      const model = modelOf(wet, gridSurface(wet, { x: 64, y: 40 }, 'triangles', { across: 3, down: 2 }), 'ground', {
        water: true,
        up: stl ? 'z' : 'y',
        colours: new Uint8Array(3 * 65 * 41).fill(90),
      });
      const png = encodeImage({ width: 2, height: 2, channels: 3, samples: new Uint8Array(12).fill(128) });
      const files = await writeModel(format, model, 'parts', { colour: png });
      for (const file of files) save(path(file.name), file.bytes);
      const info = run('assimp', ['info', path(files[0].name), '-jiv']);
      const figure = (name: string) => Number(new RegExp(`${name}:\\s+(\\d+)`).exec(info)![1]);
      const one = stl || format.id === 'ply';
      const meant = model.parts.filter((p) => !one || p.kind === 'ground').map((p) => p.mesh);
      expect(figure('Faces')).toBe(meant.reduce((n, m) => n + triangleCount(m), 0));
      expect(figure('Meshes')).toBe(one ? 1 : 7);
      if (!one) expect(figure('Materials')).toBeGreaterThanOrEqual(2);
      const { min, max } = boundsOf(mergeMeshes(meant).positions);
      const point = (name: string) => new RegExp(`${name}\\s+\\(([-\\d. e+]+)\\)`).exec(info)![1].trim().split(/\s+/).map(Number);
      for (let k = 0; k < 3; k++) {
        expect(point('Minimum point')[k]).toBeCloseTo(min[k], 2);
        expect(point('Maximum point')[k]).toBeCloseTo(max[k], 2);
      }
    },
  );

  it('writes what we read: PLY, OBJ and GLB out of our OBJ give the same heights', () => {
    save(path('source.obj'), meshFormats.find((f) => f.id === 'obj')!.encode(mesh, 'ground'));
    for (const [kind, ending] of [
      ['ply', 'ply'],
      ['plyb', 'plyb.ply'],
      ['obj', 'again.obj'],
      ['glb2', 'glb'],
    ]) {
      const out = path(`theirs.${ending}`);
      run('assimp', ['export', path('source.obj'), out, `-f${kind}`]);
      const back = readMesh(readBytes(out));
      expect(triangleCount(back), kind).toBe(triangleCount(mesh));
      const { field: pressed } = rasterizeMesh(back, { size: { across: 65, down: 41 }, up: 'y' });
      expect(
        largestDifference(
          pressed.height.map((h) => h + pressed.ground.datum),
          field.height,
        ),
        kind,
      ).toBeLessThan(0.01);
    }
  });
});

// The Khronos glTF validator, from the npm registry.
describe('the Khronos validator', () => {
  const dressings: [string, ModelOptions, MeshOptions, boolean][] = [
    ['in parts, with exact normals and a skirt', { normals: 'exact', skirt: 20 }, {}, false],
    ['flat, in metres, with its corner at the origin', { normals: 'flat', uvs: 'metres', pivot: 'corner' }, {}, false],
    ['closed below', { closed: 50 }, {}, false],
    ['with its water, colours and pictures inside', { water: true, tangents: true, colours: new Uint8Array(3 * 65 * 41).fill(90) }, {}, true],
    ['quantised', { tangents: true, colours: new Uint8Array(3 * 65 * 41).fill(90) }, { quantised: true }, true],
    ['packed', { tangents: true }, { packed: true }, true],
    ['packed and quantised', { tangents: true }, { packed: true, quantised: true }, true],
  ];
  it.each(dressings)('finds no error and no warning that is ours in a GLB %s', async (_, dressing, options, worn) => {
    const wet = { ...field, ground: { ...field.ground, sea: 500 } };
    const model = modelOf(wet, gridSurface(wet, { x: 64, y: 40 }, 'triangles', { across: 3, down: 2 }), 'ground', dressing);
    const png = encodeImage({ width: 2, height: 2, channels: 3, samples: Uint8Array.from([128, 128, 255, 128, 128, 255, 128, 128, 255, 128, 128, 255]) });
    const [file] = await writeModel(meshFormats[0], model, 'ground', worn ? { normal: png, colour: png } : {}, options);
    const report = await validator.validateBytes(file.bytes);
    expect([report.issues.numErrors, report.issues.numWarnings], JSON.stringify(report.issues.messages.slice(0, 5))).toEqual([0, 0]);
    if (!options.packed) expect(report.info.totalTriangleCount).toBe(model.parts.reduce((n, p) => n + triangleCount(p.mesh), 0));
    // The same as JSON, with its numbers and pictures in files beside it.
    const files = await writeModel(
      meshFormats.find((f) => f.id === 'gltf')!,
      model,
      'ground α',
      worn ? { normal: png, colour: png } : {},
      options,
    );
    expect(files.map((f) => f.name)).toEqual(['ground α.gltf', 'ground α.bin', ...(worn ? ['ground α-colour.png', 'ground α-normal.png'] : [])]);
    const beside = await validator.validateBytes(files[0].bytes, {
      externalResourceFunction: async (uri) => files.find((f) => f.name === decodeURIComponent(uri))!.bytes,
    });
    expect([beside.issues.numErrors, beside.issues.numWarnings], JSON.stringify(beside.issues.messages.slice(0, 5))).toEqual([0, 0]);
    expect(beside.info).toMatchObject({ totalVertexCount: report.info.totalVertexCount, totalTriangleCount: report.info.totalTriangleCount });
    const [one, other] = [await readMeshFiles([file]), await readMeshFiles(files)];
    expect(other.positions).toEqual(one.positions);
    expect(other.indices).toEqual(one.indices);
  });

  const validator = createRequire(import.meta.url)('gltf-validator') as {
    validateBytes(
      bytes: Uint8Array,
      options?: { externalResourceFunction(uri: string): Promise<Uint8Array> },
    ): Promise<{ issues: { numErrors: number; numWarnings: number; messages: unknown[] }; info: { totalVertexCount: number; totalTriangleCount: number } }>;
  };
  it('finds no error and no warning in our GLB', async () => {
    for (const options of [{}, { faces: 'quads' as const }, { normals: false }, { uvs: false }, { up: 'z' as const }, { strength: 3, base: -7 }]) {
      const report = await validator.validateBytes(meshFormats.find((f) => f.id === 'glb')!.encode(gridMesh(field, options), 'ground "α"'));
      expect([report.issues.numErrors, report.issues.numWarnings], JSON.stringify(report.issues.messages)).toEqual([0, 0]);
      expect(report.info).toMatchObject({ totalVertexCount: 65 * 41, totalTriangleCount: 64 * 40 * 2 });
    }
  });
});

// delatin (npm registry): another greedy insertion after Garland & Heckbert 1995.
describe('delatin', () => {
  it.each([8, 3, 1])('takes as many triangles as ours for a largest error of %d m, within a thousandth', async (bound) => {
    const own = hills(groundOf(257, 201, 20), 9, 200);
    const theirs = new Delatin(own.height, 257, 201);
    theirs.run(bound);
    const { surface, error } = await adaptiveSurface(inlineKernels(), own, { maxError: bound });
    expect(error).toBeLessThanOrEqual(bound);
    expect(theirs.getMaxError()).toBeLessThanOrEqual(bound);
    expect(surface.faces.length / 3).toBeLessThanOrEqual((theirs.triangles.length / 3) * 1.001 + 2);
  });
});
