import {
  encode,
  gridMesh,
  makeCourse,
  makeField,
  makeGround,
  makeTributary,
  maskUse,
  meshFormats,
  orderForReceiver,
  receivers,
  stepUse,
  writeProject,
  type Field,
} from '@upland-cast/core';
import { zipSync } from 'fflate';
import { tinyFiles } from './tiny-files';

export type Target = 'heightmap' | 'mesh' | 'project' | 'order' | 'question';

/** A good file, and what reads it. */
export interface Case {
  name: string;
  target: Target;
  bytes: Uint8Array<ArrayBuffer>;
  /** How raw bytes are read, and what lies beside them. */
  as?: string;
  beside?: Record<string, Uint8Array>;
}

const text = (words: string) => new TextEncoder().encode(words) as Uint8Array<ArrayBuffer>;

function hill(across: number, down: number): Field {
  const ground = makeGround({ width: 10 * across, depth: 10 * down, across, down, registration: 'area' });
  return makeField(
    ground,
    Float32Array.from({ length: across * down }, (_, i) => 100 + 7 * ((i % across) - 3) - 0.4 * (Math.floor(i / across) - 2) ** 2),
  );
}

/** Everything that a stranger may hand to a reader, each as small as it can be. */
export async function fuzzCases(): Promise<Case[]> {
  const field = hill(9, 7);
  const range = { low: 60, high: 160 };
  const cases: Case[] = [];
  for (const [format, types] of Object.entries({
    png: ['u16', 'u8'],
    tiff: ['f32', 'u16', 'f64'],
    npy: ['f32', 'u16'],
    pgm: ['u16', 'u8'],
    bmp: ['u8'],
    packed: ['u24'],
    asc: ['f32'],
    xyz: ['f32'],
    exr: ['f32'],
    pfm: ['f32'],
  })) {
    for (const type of types) {
      const codes = type[0] === 'u';
      const options = format === 'tiff' ? { compression: 'deflate' as const } : undefined;
      const { bytes } = await encode(field, { format, type: type as 'f32', ...(codes ? { range } : {}), options });
      cases.push({ name: `${format}-${type}`, target: 'heightmap', bytes });
    }
  }
  for (const format of ['flt', 'bil'] as const) {
    const { bytes, beside } = await encode(field, { format, type: 'f32' });
    cases.push({ name: format, target: 'heightmap', bytes, beside: Object.fromEntries(beside.map((b) => [b.ending, b.bytes])) });
  }
  for (const [name, base64] of Object.entries(tinyFiles)) {
    cases.push({ name, target: 'heightmap', bytes: Uint8Array.from(atob(base64), (c) => c.charCodeAt(0)) });
  }
  const npy = cases.find((c) => c.name === 'npy-f32')!.bytes;
  cases.push({ name: 'npz', target: 'heightmap', bytes: zipSync({ 'a.npy': npy, 'b.npy': npy }) as Uint8Array<ArrayBuffer> });
  cases.push({ name: 'raw', target: 'heightmap', bytes: new Uint8Array(126).map((_, i) => i * 3), as: 'raw:u16:le:9x7:skip=0' });
  for (const [name, words] of Object.entries({
    'asc-odd':
      '\ufeff# made by hand\r\nNROWS: 2 rows\r\nNCOLS: 3\r\ndx 30 m\r\nNODATA_value -3.402823e+38\r\n1,5 2,5 3,5\r4,5 -3,4028235e38 1e999 # end\r\nrest',
    'xyz-named': 'id;Easting;Northing;Height\r\n1;0,5;0,5;10,25\r\n2;1,5;0,5;11\r\n3;0,5;1,5;12\r\n4;1,5;1,5;13,5\r\n',
    'xyz-plain': '0 0 1\n1 0 2\n0 1 3\n1 1 4\n2 0 5\n2 1 6\n',
    ppm: 'P3\n3 2\n255\n1 1 1 2 2 2 3 3 3 4 4 4 5 5 5 6 6 6\n',
    pbm: 'P1\n3 2\n101010\n',
    pam: 'P7\nWIDTH 2\nHEIGHT 2\nDEPTH 2\nMAXVAL 255\nTUPLTYPE GRAYSCALE_ALPHA\nENDHDR\n12345678',
  }))
    cases.push({ name, target: 'heightmap', bytes: text(words) });

  const mesh = gridMesh(hill(5, 4), { uvs: true });
  for (const format of meshFormats) cases.push({ name: format.id, target: 'mesh', bytes: format.encode(mesh, 'hill') });
  const plain = meshFormats.find((f) => f.id === 'ply')!.encode(gridMesh(hill(4, 3), { normals: false, uvs: false, faces: 'quads' }), 'quads');
  cases.push({ name: 'ply-quads', target: 'mesh', bytes: plain });
  for (const [name, words] of Object.entries({
    'obj-odd': '\ufeff# hand\no a\nf 1//1 2//1 3//1 # face first\rv 4500000.25 10 5200000.5\rv 4500010 11 5200000\rv 4500000 12 5200010\rf -3 -2 \\\r-1\r',
    'ply-ascii':
      'ply\rformat ascii 1.0\rcomment x\relement vertex 3\rproperty double x\rproperty double y\rproperty double z\relement face 1\rproperty list uchar int corners\rend_header\r0 0 0\r1 0 0\r0 1 0\r3 0 1 2\r',
    'stl-line': 'SOLID X FACET NORMAL 0 0 1 OUTER LOOP VERTEX 0 0 0 VERTEX 1 0 0 VERTEX 0 1 0 ENDLOOP ENDFACET ENDSOLID',
    'gltf-sparse': JSON.stringify({
      asset: { version: '2.0' },
      extensionsRequired: ['KHR_materials_unlit'],
      nodes: [{ children: [1] }, { mesh: 0, scale: [2, 2, 2] }],
      meshes: [{ primitives: [{ attributes: { POSITION: 0 }, mode: 5 }] }],
      accessors: [
        { componentType: 5126, count: 4, type: 'VEC3', sparse: { count: 3, indices: { bufferView: 0, componentType: 5121 }, values: { bufferView: 1 } } },
      ],
      bufferViews: [
        { buffer: 0, byteLength: 3 },
        { buffer: 0, byteOffset: 4, byteLength: 36 },
      ],
      buffers: [
        {
          byteLength: 40,
          uri: `data:application/octet-stream;base64,${btoa(String.fromCharCode(1, 2, 3, 0, ...new Uint8Array(new Float32Array([1, 0, 0, 0, 0, 1, 1, 1, 1]).buffer)))}`,
        },
      ],
    }),
  }))
    cases.push({ name, target: 'mesh', bytes: text(words) });

  const side = makeTributary('Side', [stepUse('noise', { height: 20 })], 'side');
  const where = { masks: [maskUse('height', { low: 0, high: 50 })], combine: 'multiply' as const };
  const course = makeCourse(
    'Fell',
    makeGround({ width: 64, depth: 64, across: 9, down: 9, registration: 'point' }),
    [stepUse('noise', { height: 50 }), stepUse('talus', { sweeps: 3 }, { where }), stepUse('join', { from: 'side' })],
    [side],
  );
  cases.push({
    name: 'project',
    target: 'project',
    bytes: writeProject({ course, marks: [{ name: 'then', at: 5, course }], assets: new Map(), thumbnail: npy }),
  });
  // Stored, so that what is changed is the course and not its packing.
  cases.push({
    name: 'project-stored',
    target: 'project',
    bytes: zipSync({ 'course.json': [text(JSON.stringify(course)), { level: 0 }] }) as Uint8Array<ArrayBuffer>,
  });
  cases.push({ name: 'order', target: 'order', bytes: text(JSON.stringify(orderForReceiver(receivers[0], course, 9))) });
  cases.push({ name: 'frame', target: 'question', bytes: text('east=1000&south=2000&width=5000&depth=4000&spacing=30&format=png') });
  return cases;
}
