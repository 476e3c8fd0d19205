import { describe, expect, it } from 'vitest';
import { rasterizeMesh } from '../raster/rasterize';
import { meshFormats, readMesh, readMeshFiles } from '.';

/** Meshes as other programs and people write them: made here, by the descriptions of the formats. */

const bytes = (text: string) => new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>;
const read = (text: string) => readMesh(bytes(text));
const place = [0, 0, 0, 10, 1, 0, 0, 2, 10];

describe('OBJ', () => {
  it.each([
    ['remarks on faces and places', 'v 0 0 0 # here\nv 10 1 0\nv 0 2 10\nf 1 2 3 # the only one\n'],
    ['a mark of byte order', '\ufeffv 0 0 0\nv 10 1 0\nv 0 2 10\nf 1 2 3\n'],
    ['CR alone', 'v 0 0 0\rv 10 1 0\rv 0 2 10\rf 1 2 3\r'],
    ['faces before places', '# a\no hill\ng all\ns 1\nusemtl x\nf 1//1 2//1 3//1\nvn 0 1 0\nv 0 0 0\nv 10 1 0\nv 0 2 10\n'],
    ['lines that go on', 'v 0 0 0\nv 10 \\\n1 0\nv 0 2 10\nf 1 2 \\\n3\n'],
    ['counted from the end', 'v 0 0 0\nv 10 1 0\nv 0 2 10\nf -3/1/1 -2/2/2 -1/3/3\n'],
    ['colours behind places', 'v 0 0 0 1 1 1\nv 10 1 0 0 0 0\nv 0 2 10 0.5 0.5 0.5\nf 1 2 3\n'],
  ])('%s', (_, text) => {
    const mesh = read(text);
    expect([...mesh.positions]).toEqual(place);
    expect([...mesh.indices]).toEqual([0, 1, 2]);
  });

  it('numbers of a national grid keep their centimetres: the origin is moved, and that is said', () => {
    const [east, north] = [4_512_345.25, 5_312_345.75];
    const text = [0, 1, 2, 3].map((i) => `v ${east + 100 * (i % 2)} ${250 + i} ${north + 100 * (i >> 1)}`).join('\n');
    const mesh = read(`${text}\nf 1 3 4 2\n`);
    expect(mesh.origin).toEqual([Math.floor(east), 0, Math.floor(north)]);
    expect(mesh.odd?.join(' ')).toMatch(/origin was moved to 4 512 345, 0, 5 312 345/);
    expect(mesh.positions[0]).toBe(0.25);
    expect(mesh.positions[2]).toBe(0.75);
    // An extent in the file's own numbers finds it.
    const extent = { west: east, east: east + 100, north, south: north + 100 };
    const { field, holes } = rasterizeMesh(mesh, { size: { across: 2, down: 2 }, extent });
    expect(holes).toBe(0);
    expect([...field.height].map((h) => h + field.ground.datum)).toEqual([250, 251, 252, 253]);
  });

  it('parts with origins of their own are put together in one', async () => {
    const part = (east: number) => bytes(`v ${east} 5 1000000\nv ${east + 8} 5 1000000\nv ${east} 6 1000008\nf 1 3 2\n`);
    const mesh = await readMeshFiles([
      { name: 'a.obj', bytes: part(3_000_000) },
      { name: 'b.obj', bytes: part(3_000_008) },
    ]);
    expect([...mesh.positions].filter((_, i) => i % 3 === 0)).toEqual([0, 8, 0, 8, 16, 8]);
  });

  it('what cannot be is refused where it stands, quoted', () => {
    expect(() => read('v 0 0 0\nv 1 0 x\u0007\nv 0 1 0\nf 1 2 3')).toThrow(/line 2: "x·" is not a number/);
    expect(() => read('v 0 0 1e400\nf 1 1 1')).toThrow(/line 1: "1e400" is larger than any place/);
    expect(() => read('v 0 0 0\nf 1 2.5 3')).toThrow(/line 2: "2.5" is not the number of a vertex/);
  });
});

describe('STL', () => {
  const facet = 'facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 10 1 0\nvertex 0 2 10\nendloop\nendfacet\n';
  it.each([
    ['as it is written', `solid hill\n${facet}endsolid hill\n`],
    ['in upper case', `SOLID HILL\n${facet.toUpperCase()}ENDSOLID\n`],
    ['in one line', `solid hill ${facet.replace(/\n/g, ' ')}endsolid`],
    ['CR alone, with a mark of byte order', `\ufeffsolid hill\r${facet.replace(/\n/g, '\r')}endsolid\r`],
  ])('as text, %s', (_, text) => expect([...read(text).positions]).toEqual(place));

  it('binary with something after its last facet, which is said', () => {
    const stl = meshFormats.find((f) => f.id === 'stl')!;
    const whole = stl.encode({ positions: Float32Array.from(place), indices: Uint32Array.of(0, 1, 2), corners: 3, up: 'z' }, 'hill');
    const longer = new Uint8Array(whole.length + 12).fill(9);
    longer.set(whole);
    const mesh = readMesh(longer);
    expect([...mesh.positions]).toEqual(place);
    expect(mesh.odd?.join(' ')).toMatch(/12 bytes after its last facet/);
  });
});

describe('PLY', () => {
  const header = (list: string, remarks = '') =>
    `ply\nformat ascii 1.0\n${remarks}element vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty uchar flags\nproperty list uchar int ${list}\nend_header\n0 0 0\n10 1 0\n0 2 10\n7 3 0 1 2\n`;
  it.each(['vertex_indices', 'vertex_index', 'indices', 'corner_numbers'])('a list of corners called %s', (name) =>
    expect([...read(header(name)).indices]).toEqual([0, 1, 2]),
  );
  it('a header of 200 KiB', () => expect([...read(header('vertex_indices', `comment ${'x'.repeat(100)}\n`.repeat(2000))).positions]).toEqual(place));
  it('CR alone', () => expect([...read(header('vertex_indices').replace(/\n/g, '\r')).positions]).toEqual(place));
});

describe('glTF', () => {
  const data = (floats: number[]) => `data:application/octet-stream;base64,${btoa(String.fromCharCode(...new Uint8Array(Float32Array.from(floats).buffer)))}`;
  const base = {
    asset: { version: '2.0' },
    buffers: [{ byteLength: 36, uri: data(place) }],
    bufferViews: [{ buffer: 0, byteLength: 36 }],
    accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
    meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
  };
  const gltf = (more: object) => read(JSON.stringify({ ...base, ...more }));

  it('without scenes: every node that hangs from no other, once', () => {
    const mesh = gltf({
      nodes: [
        { children: [1], translation: [5, 0, 0] },
        { mesh: 0, scale: [2, 1, 1] },
      ],
    });
    expect([...mesh.positions]).toEqual([5, 0, 0, 25, 1, 0, 5, 2, 10]);
    expect(mesh.indices.length).toBe(3);
  });
  it('without nodes: its meshes', () => expect([...gltf({}).positions]).toEqual(place));
  it('sparse values, over others and over nothing (glTF 2.0, 3.6.2.3)', () => {
    const sparse = {
      buffers: [
        ...base.buffers,
        { byteLength: 16, uri: `data:;base64,${btoa(String.fromCharCode(2, 0, 0, 0, ...new Uint8Array(Float32Array.of(7, 8, 9).buffer)))}` },
      ],
      bufferViews: [...base.bufferViews, { buffer: 1, byteLength: 1 }, { buffer: 1, byteOffset: 4, byteLength: 12 }],
    };
    const values = { count: 1, indices: { bufferView: 1, componentType: 5121 }, values: { bufferView: 2 } };
    const over = gltf({ ...sparse, accessors: [{ ...base.accessors[0], sparse: values }] });
    expect([...over.positions]).toEqual([0, 0, 0, 10, 1, 0, 7, 8, 9]);
    const nothing = gltf({ ...sparse, accessors: [{ componentType: 5126, count: 3, type: 'VEC3', sparse: values }] });
    expect([...nothing.positions]).toEqual([0, 0, 0, 0, 0, 0, 7, 8, 9]);
  });
  it('extensions that do not touch the form are passed over, others are refused by name', () => {
    expect([...gltf({ extensionsRequired: ['KHR_materials_unlit', 'KHR_texture_transform', 'KHR_lights_punctual'] }).positions]).toEqual(place);
    expect(() => gltf({ extensionsRequired: ['KHR_draco_mesh_compression'] })).toThrow(/without "KHR_draco_mesh_compression"/);
    expect(() => gltf({ extensionsRequired: ['EXT_mesh_gpu_instancing'] })).toThrow(/EXT_mesh_gpu_instancing/);
  });
  it('1.0 is refused by name', () => {
    expect(() => gltf({ asset: { version: '1.0' } })).toThrow(/glTF 1\.0/);
    expect(() => read(JSON.stringify({ meshes: { hill: {} }, nodes: {} }))).toThrow(/glTF 1\.0/);
  });
  it('a node hangs from one other at the most', () => {
    expect(() => gltf({ nodes: [{ children: [1, 1] }, { mesh: 0 }], scenes: [{ nodes: [0] }] })).toThrow(/hangs from two others/);
  });
});

describe('what is not a mesh', () => {
  it('is refused by what it is', () => {
    expect(() => read('Kaydara FBX Binary  \0')).toThrow(/This is an FBX/);
    expect(() => read('GIF89a')).toThrow(/This is a GIF/);
    expect(() => read('just words')).toThrow(/not a mesh that is read here/);
  });
});
