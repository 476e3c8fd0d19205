import { describe, expect, it } from 'vitest';
import { UplandError } from '../../../errors';
import { readGlb, readGltf } from './read';

// By hand, after the Khronos glTF 2.0 specification; its sections stand beside what they say.

type Json = Record<string, unknown>;
const TRIANGLE = [0, 0, 0, 1, 0, 0, 0, 0, 1];
const floats = (...values: number[]) => [...new Uint8Array(Float32Array.from(values).buffer)];
const base64 = (bytes: number[]) => `data:application/octet-stream;base64,${btoa(String.fromCharCode(...bytes))}`;

/** A glTF of one buffer. `bytes` are what it holds; what is not said is one triangle of floats in one mesh of one node. */
function gltf(parts: Json = {}, bytes = floats(...TRIANGLE)): Uint8Array<ArrayBuffer> {
  const json = {
    asset: { version: '2.0' },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ mesh: 0 }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
    accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
    bufferViews: [{ buffer: 0, byteLength: bytes.length }],
    buffers: [{ byteLength: bytes.length, uri: base64(bytes) }],
    ...parts,
  };
  return new TextEncoder().encode(JSON.stringify(json)) as Uint8Array<ArrayBuffer>;
}
const places = (parts: Json = {}, bytes?: number[]) => [...readGltf(gltf(parts, bytes)).positions];
const refused = (parts: Json, bytes?: number[]) => {
  try {
    readGltf(gltf(parts, bytes));
  } catch (error) {
    expect(error).toBeInstanceOf(UplandError);
    return (error as Error).message;
  }
  return 'read';
};

describe('the nodes of a glTF', () => {
  it('move, turn and scale what hangs from them, in that order from the inside (3.5.3)', () => {
    const node = { mesh: 0, translation: [10, 0, 0], rotation: [0, Math.SQRT1_2, 0, Math.SQRT1_2], scale: [2, 2, 2] };
    // A quarter turn about y takes x to −z.
    const [, , , x, y, z] = places({ nodes: [node] });
    expect([x, y, z].map((v) => Math.round(v * 1e5) / 1e5)).toEqual([10, 0, -2]);
    const matrix = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 5, 6, 7, 1];
    expect(places({ nodes: [{ mesh: 0, matrix }] }).slice(0, 3)).toEqual([5, 6, 7]);
  });

  it('hang from one another', () => {
    const nodes = [
      { children: [1], translation: [1, 0, 0] },
      { children: [2], scale: [3, 3, 3] },
      { mesh: 0, translation: [0, 2, 0] },
    ];
    expect(places({ nodes }).slice(0, 3)).toEqual([1, 6, 0]);
  });

  it('show a mesh as often as they name it', () => {
    const nodes = [{ mesh: 0 }, { mesh: 0, translation: [0, 5, 0] }];
    expect(places({ nodes, scenes: [{ nodes: [0, 1] }] })).toHaveLength(18);
    // Of the scene that is meant.
    expect(places({ nodes, scenes: [{ nodes: [0] }, { nodes: [1] }], scene: 1 })[1]).toBe(5);
    // Without a scene all that hang from no other; without nodes the meshes themselves.
    expect(places({ nodes: [{ mesh: 0, children: [1] }, { mesh: 0 }], scenes: undefined, scene: undefined })).toHaveLength(18);
    expect(places({ nodes: undefined, scenes: undefined })).toHaveLength(9);
  });

  it('that hang from themselves, from two others, or from nothing that is there are refused', () => {
    expect(refused({ nodes: [{ children: [0] }] })).toMatch(/hangs from two others, or from itself/);
    expect(refused({ nodes: [{ children: [1, 2] }, { children: [2] }, { mesh: 0 }] })).toMatch(/hangs from two others/);
    expect(refused({ nodes: [{ children: [7] }] })).toMatch(/the node 7 is missing/);
    const deep = Array.from({ length: 80 }, (_, i) => (i < 79 ? { children: [i + 1] } : { mesh: 0 }));
    expect(refused({ nodes: deep })).toMatch(/nested without an end/);
    expect(refused({ nodes: [{ mesh: 3 }] })).toMatch(/the mesh 3 is missing/);
  });
});

describe('the primitives of a glTF', () => {
  const four = floats(0, 0, 0, 1, 0, 0, 0, 0, 1, 1, 0, 1);
  const of = (mode: number | undefined) => ({
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, mode }] }],
    accessors: [{ bufferView: 0, componentType: 5126, count: 4, type: 'VEC3' }],
  });

  it('are triangles, strips whose every second is turned, and fans (3.7.2.1)', () => {
    expect([...readGltf(gltf(of(4), four)).indices]).toEqual([0, 1, 2]);
    expect([...readGltf(gltf(of(5), four)).indices]).toEqual([0, 1, 2, 2, 1, 3]);
    expect([...readGltf(gltf(of(6), four)).indices]).toEqual([0, 1, 2, 0, 2, 3]);
  });

  it('of points and lines are left out; of nothing else there is no ground', () => {
    expect(refused(of(0), four)).toMatch(/no triangles in its scene/);
    expect(refused(of(1), four)).toMatch(/no triangles in its scene/);
  });

  it('name their corners in one, two or four bytes, none beyond the last', () => {
    const indexed = (componentType: number, bytes: number[]) => ({
      parts: {
        meshes: [{ primitives: [{ attributes: { POSITION: 0 }, indices: 1 }] }],
        accessors: [
          { bufferView: 0, componentType: 5126, count: 4, type: 'VEC3' },
          { bufferView: 1, componentType, count: 3, type: 'SCALAR' },
        ],
        bufferViews: [
          { buffer: 0, byteLength: 48 },
          { buffer: 0, byteOffset: 48, byteLength: bytes.length },
        ],
      },
      bytes: [...four, ...bytes],
    });
    for (const [type, bytes] of [
      [5121, [3, 1, 2, 0]],
      [5123, [3, 0, 1, 0, 2, 0, 0, 0]],
      [5125, [3, 0, 0, 0, 1, 0, 0, 0, 2, 0, 0, 0]],
    ] as const) {
      const { parts, bytes: all } = indexed(type, [...bytes]);
      expect([...readGltf(gltf(parts, all)).indices], `${type}`).toEqual([3, 1, 2]);
    }
    const beyond = indexed(5121, [4, 1, 2, 0]);
    expect(refused(beyond.parts, beyond.bytes)).toMatch(/a face names vertex 4, and there are 4/);
  });
});

describe('the numbers of a glTF', () => {
  const accessor = (more: Json) => ({ accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3', ...more }] });

  it('may stand apart in their view', () => {
    const spread = floats(0, 0, 0, 99, 1, 0, 0, 99, 0, 0, 1, 99);
    expect(places({ bufferViews: [{ buffer: 0, byteLength: 48, byteStride: 16 }] }, spread)).toEqual(TRIANGLE);
  });

  it('may be whole numbers that stand for shares (3.11)', () => {
    const codes = [0, 0, 0, 255, 0, 0, 0, 0, 51, 0, 0, 0];
    const shares = places({ ...accessor({ componentType: 5121, normalized: true }), bufferViews: [{ buffer: 0, byteLength: 12, byteStride: 3 }] }, codes);
    expect(shares[3]).toBe(1);
    expect(shares[8]).toBeCloseTo(0.2, 6);
    expect(places({ ...accessor({ componentType: 5121 }), bufferViews: [{ buffer: 0, byteLength: 12, byteStride: 3 }] }, codes)[3]).toBe(255);
  });

  it('may be given in part, over nothing or over others (3.6.2.3)', () => {
    const bytes = [2, 0, 0, 0, ...floats(7, 8, 9)];
    const sparse = { count: 1, indices: { bufferView: 1, componentType: 5121 }, values: { bufferView: 2 } };
    const parts = (over: Json) => ({
      accessors: [{ componentType: 5126, count: 3, type: 'VEC3', sparse, ...over }],
      bufferViews: [
        { buffer: 0, byteOffset: 16, byteLength: 36 },
        { buffer: 0, byteLength: 1 },
        { buffer: 0, byteOffset: 4, byteLength: 12 },
      ],
    });
    expect(places(parts({}), [...bytes, ...floats(...TRIANGLE)])).toEqual([0, 0, 0, 0, 0, 0, 7, 8, 9]);
    expect(places(parts({ bufferView: 0 }), [...bytes, ...floats(...TRIANGLE)])).toEqual([0, 0, 0, 1, 0, 0, 7, 8, 9]);
    expect(refused(parts({ count: 2 }), [...bytes, ...floats(...TRIANGLE)])).toMatch(/sparse values of accessor 0 reach beyond/);
  });

  it.each([
    ['that is missing', { accessors: [] }, /the accessor 0 is missing/],
    ['of another kind', accessor({ type: 'VEC2' }), /of a kind that is not read here/],
    ['without a count', accessor({ count: -1 }), /has no count/],
    ['beyond its buffer', accessor({ count: 4 }), /reaches beyond its buffer/],
    ['before its buffer', accessor({ byteOffset: -4 }), /reaches beyond its buffer/],
    ['with a stride of nothing', { bufferViews: [{ buffer: 0, byteLength: 36, byteStride: 1 }] }, /reaches beyond its buffer/],
    ['in a view that is missing', { bufferViews: [] }, /the view 0 is missing/],
    ['in a view beyond its buffer', { bufferViews: [{ buffer: 0, byteLength: 4000 }] }, /the view 0 reaches beyond its buffer/],
    ['in a buffer that is missing', { buffers: [] }, /its buffer is missing/],
    ['in a file that was not brought', { buffers: [{ byteLength: 36, uri: 'rocks%20and%20more.bin' }] }, /bring .rocks%20and%20more\.bin. in together with it/],
    ['of which more would be made than there is', accessor({ count: 2 ** 40 }), /./],
  ])('%s are refused with a sentence', (_, parts, words) => {
    expect(refused(parts)).toMatch(words);
  });

  it('come from the files beside it, by their names without their folders', () => {
    const beside = new Map([['ground 1.bin', Uint8Array.from(floats(...TRIANGLE))]]);
    const file = gltf({ buffers: [{ byteLength: 36, uri: 'parts/Ground%201.bin' }] });
    expect([...readGltf(file, beside).positions]).toEqual(TRIANGLE);
  });
});

describe('what is asked of a reader', () => {
  it('is refused where it is not met: extensions that are required, an older version, no JSON', () => {
    expect(refused({ extensionsRequired: ['KHR_draco_mesh_compression'] })).toMatch(/Export it uncompressed/);
    expect(places({ extensionsRequired: ['KHR_materials_unlit', 'KHR_mesh_quantization'] })).toEqual(TRIANGLE);
    expect(refused({ asset: { version: '1.0' } })).toMatch(/glTF 1\.0/);
    expect(refused({ meshes: { a: {} } })).toMatch(/glTF 1\.0/);
    expect(() => readGltf(Uint8Array.of(123, 34) as Uint8Array<ArrayBuffer>)).toThrow(/its JSON cannot be read/);
  });

  it('of a GLB is its chunks, none of them cut short', () => {
    const json = gltf({ buffers: [{ byteLength: 36 }] });
    const body = Uint8Array.from(floats(...TRIANGLE));
    const padded = Math.ceil(json.length / 4) * 4;
    const out = new Uint8Array(20 + padded + 8 + body.length).fill(32);
    const view = new DataView(out.buffer);
    [0x46546c67, 2, out.length, padded, 0x4e4f534a].forEach((word, i) => view.setUint32(4 * i, word, true));
    out.set(json, 20);
    view.setUint32(20 + padded, body.length, true);
    view.setUint32(24 + padded, 0x004e4942, true);
    out.set(body, 28 + padded);
    expect([...readGlb(out).positions]).toEqual(TRIANGLE);
    for (const cut of [10, 19, 40, out.length - 1]) expect(() => readGlb(out.slice(0, cut) as Uint8Array<ArrayBuffer>), `${cut}`).toThrow(UplandError);
    view.setUint32(4, 1, true);
    expect(() => readGlb(out)).toThrow(/version 1/);
  });
});
