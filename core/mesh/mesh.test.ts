import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference, range } from '../../tests/helpers/grounds';
import { UplandError } from '../errors';
import { fieldFrom, flatField, makeField } from '../field/field';
import { meshFormatByName, meshFormats, readMesh } from './formats';
import { displacementRatio, gridMesh } from './surface/grid';
import { compareMeshToField } from './raster/measure';
import type { MeshFrame } from './model/model';
import { boundsOf, faceCount, triangleCount, triangleIndices, vertexCount, type Mesh } from './mesh';
import { rasterizeMesh } from './raster/rasterize';

const field = hills(groundOf(65, 49, 7), 2);
const [low, high] = range(field.height);
const centred = (w: number, d: number) => ({ west: -w / 2, east: w / 2, north: -d / 2, south: d / 2 });

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

describe('every mesh format', () => {
  for (const format of meshFormats) {
    for (const faces of ['triangles', 'quads'] as const) {
      for (const up of ['y', 'z'] as const) {
        it(`${format.title} with ${faces}, ${up} up: heights there and back`, () => {
          const bytes = format.encode(gridMesh(field, { faces, up }), 'ground');
          const mesh = readMesh(bytes);
          expect(vertexCount(mesh)).toBe(65 * 49);
          expect(triangleCount(mesh)).toBe(64 * 48 * 2);
          const { field: back } = rasterizeMesh(mesh, { size: { across: 65, down: 49 }, up: format.axes?.up ?? up });
          const bound = format.id === 'obj' ? 1e-5 : 1e-6;
          expect(
            largestDifference(
              back.height.map((h) => h + back.ground.datum),
              field.height,
            ),
          ).toBeLessThanOrEqual(bound * (high - low));
        });
      }
    }
  }

  it('PLY is read as text and in both byte orders', () => {
    const text =
      'ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n4 1 0\n4 2 4\n3 0 2 1\n';
    expect(readMesh(new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>).positions[7]).toBe(2);
    const head = new TextEncoder().encode(
      'ply\nformat binary_big_endian 1.0\nelement vertex 3\nproperty double x\nproperty double y\nproperty double z\nelement face 1\nproperty list uchar uint vertex_index\nend_header\n',
    );
    const bytes = new Uint8Array(head.length + 72 + 13);
    bytes.set(head);
    const view = new DataView(bytes.buffer, head.length);
    [0, 0, 0, 4, 1, 0, 4, 2, 4].forEach((v, i) => view.setFloat64(i * 8, v));
    view.setUint8(72, 3);
    [0, 2, 1].forEach((v, i) => view.setUint32(73 + 4 * i, v));
    expect([...readMesh(bytes).indices]).toEqual([0, 2, 1]);
  });

  it('OBJ is read with negative numbers, fans of many corners and lines carried on', () => {
    const mesh = readMesh(new TextEncoder().encode('# five\nv 0 0 0\nv 4 0 0\nv 5 1 3\nv 2 1 5\nv 0 1 3\nf -5 -4 -3 \\\n -2 -1\n') as Uint8Array<ArrayBuffer>);
    expect([...mesh.indices]).toEqual([0, 1, 2, 0, 2, 3, 0, 3, 4]);
  });

  it('GLB nodes are put where their matrices say', () => {
    const bytes = meshFormats.find((f) => f.id === 'glb')!.encode(gridMesh(field), 'g');
    const view = new DataView(bytes.buffer);
    const length = view.getUint32(12, true);
    const json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)));
    json.nodes = [
      { children: [1], translation: [100, 0, 0] },
      { mesh: 0, scale: [1, 2, 1] },
    ];
    const text = new TextEncoder().encode(JSON.stringify(json).padEnd(Math.ceil(JSON.stringify(json).length / 4) * 4));
    const moved = new Uint8Array(20 + text.length + bytes.length - 20 - length);
    moved.set(bytes.subarray(0, 20));
    moved.set(text, 20);
    moved.set(bytes.subarray(20 + length), 20 + text.length);
    new DataView(moved.buffer).setUint32(12, text.length, true);
    const { min, max } = boundsOf(readMesh(moved).positions);
    expect(min[0]).toBe(100 - field.ground.width / 2);
    expect(max[1]).toBeCloseTo(2 * high, 3);
  });

  it('that is damaged is refused with a sentence, or read', () => {
    const isSentence = (error: unknown) => error instanceof UplandError && /[.]$/.test(error.message);
    const small = hills(groundOf(6, 5));
    const originals = meshFormats.map((f) => f.encode(gridMesh(small), 'g'));
    fc.assert(
      fc.property(fc.constantFrom(...originals), fc.array(fc.tuple(fc.nat(), fc.nat(255)), { maxLength: 5 }), fc.nat(), (bytes, changes, cut) => {
        const damaged = bytes.slice(0, cut % 2 ? cut % bytes.length : bytes.length);
        for (const [at, value] of changes) if (damaged.length) damaged[at % damaged.length] = value;
        try {
          rasterizeMesh(readMesh(damaged), { size: { across: 9, down: 9 } });
        } catch (error) {
          if (!isSentence(error)) throw error;
        }
      }),
      { seed: 5, numRuns: 3000 },
    );
    for (const text of ['', 'v 1 2\nf 1 2 3', 'v 1 2 3\n', 'v 0 0 0\nv 1 0 0\nv 1 0 1\nf 1 2 9', 'ply\nformat ascii 1.0\n', 'solid x']) {
      expect(() => readMesh(new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>)).toThrow(UplandError);
    }
    expect(() => meshFormatByName('a.png')).toThrow(/no ending of a mesh/);
  });
});
