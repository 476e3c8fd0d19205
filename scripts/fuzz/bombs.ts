import { deflateRawSync } from 'node:zlib';
import { Zip, zlibSync, zipSync, type ZipInputFile } from 'fflate';
import { encode as encodeJpeg } from 'jpeg-js';
import { encodeImage, makeCourse, makeGround, writeProject } from '@upland-cast/core';
import { crc32 } from '../../core/kernels/checksums';
import type { Case, Target } from './cases';

/** Small files that promise, or unfold to, far more than they hold: each found or thought of once, each made here. */

const text = (words: string) => new TextEncoder().encode(words) as Uint8Array<ArrayBuffer>;

/** An archive of what unpacks to far more than it holds, packed by the platform: in a seventh of the time. */
function zipOf(files: Record<string, Uint8Array>): Uint8Array<ArrayBuffer> {
  const parts: Uint8Array[] = [];
  const zip = new Zip((_, part) => parts.push(part));
  for (const [filename, bytes] of Object.entries(files)) {
    const file: ZipInputFile = { filename, size: bytes.length, crc: crc32(bytes), compression: 8 };
    zip.add(file);
    file.ondata!(null, deflateRawSync(bytes), true);
  }
  zip.end();
  return Uint8Array.from(Buffer.concat(parts));
}

/** A classic little-endian TIFF of tags (tag, kind, numbers) with bytes before its directory. */
function tiffOf(tags: [number, number, number[]][], body: Uint8Array = new Uint8Array(0)): Uint8Array<ArrayBuffer> {
  const size = (kind: number) => (kind === 3 ? 2 : kind === 12 || kind === 16 ? 8 : 4);
  const spare: number[] = [];
  let at = 8 + body.length;
  for (const [, kind, values] of tags) {
    spare.push(values.length * size(kind) > 4 ? at : -1);
    if (values.length * size(kind) > 4) at += values.length * size(kind);
  }
  const out = new Uint8Array(at + 2 + 12 * tags.length + 4);
  const view = new DataView(out.buffer);
  out.set([0x49, 0x49, 42, 0]);
  view.setUint32(4, at, true);
  out.set(body, 8);
  view.setUint16(at, tags.length, true);
  tags.forEach(([tag, kind, values], i) => {
    const entry = at + 2 + 12 * i;
    view.setUint16(entry, tag, true);
    view.setUint16(entry + 2, kind, true);
    view.setUint32(entry + 4, values.length, true);
    let to = spare[i];
    if (to < 0) to = entry + 8;
    else view.setUint32(entry + 8, to, true);
    values.forEach((v, k) => (kind === 3 ? view.setUint16(to + 2 * k, v, true) : view.setUint32(to + 4 * k, v, true)));
  });
  return out;
}

const picture = (width: number, height: number, bits: number, compression: number): [number, number, number[]][] => [
  [256, 4, [width]],
  [257, 4, [height]],
  [258, 3, [bits]],
  [259, 3, [compression]],
  [262, 3, [1]],
];

function pngOf(width: number, height: number, depth: number, packed: Uint8Array, colour = 0): Uint8Array<ArrayBuffer> {
  // The pieces of a good file around other samples.
  const good = encodeImage({ width: 1, height: 1, channels: 1, samples: new Uint8Array(1) });
  const crc = (bytes: Uint8Array) => {
    let c = -1;
    for (const b of bytes) {
      c ^= b;
      for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
    }
    return ~c >>> 0;
  };
  const chunk = (kind: string, body: Uint8Array) => {
    const out = new Uint8Array(12 + body.length);
    const view = new DataView(out.buffer);
    view.setUint32(0, body.length);
    out.set(text(kind), 4);
    out.set(body, 8);
    view.setUint32(8 + body.length, crc(out.subarray(4, 8 + body.length)));
    return out;
  };
  const header = new Uint8Array(13);
  new DataView(header.buffer).setUint32(0, width);
  new DataView(header.buffer).setUint32(4, height);
  header[8] = depth;
  header[9] = colour;
  const parts = [good.subarray(0, 8), chunk('IHDR', header), chunk('IDAT', packed), chunk('IEND', new Uint8Array(0))];
  return Uint8Array.from(parts.flatMap((p) => [...p]));
}

function gltfOf(json: object, floats: number[] = [0, 0, 0, 1, 0, 0, 0, 0, 1]): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(Float32Array.from(floats).buffer);
  return text(
    JSON.stringify({ asset: { version: '2.0' }, buffers: [{ byteLength: bytes.length, uri: `data:;base64,${btoa(String.fromCharCode(...bytes))}` }], ...json }),
  );
}

const triangle = {
  bufferViews: [{ buffer: 0, byteLength: 36 }],
  accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
  meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
};

function exrOf(width: number, height: number, tile: number): Uint8Array<ArrayBuffer> {
  const parts: number[] = [0x76, 0x2f, 0x31, 1, 2, tile ? 2 : 0, 0, 0];
  const number = (v: number) => [v & 255, (v >> 8) & 255, (v >> 16) & 255, (v >> 24) & 255];
  const attribute = (name: string, type: string, data: number[]) => parts.push(...text(`${name}\0${type}\0`), ...number(data.length), ...data);
  attribute('channels', 'chlist', [89, 0, ...number(2), 0, 0, 0, 0, ...number(1), ...number(1), 0]);
  attribute('compression', 'compression', [3]);
  attribute('dataWindow', 'box2i', [...number(0), ...number(0), ...number(width - 1), ...number(height - 1)]);
  if (tile) attribute('tiles', 'tiledesc', [...number(tile), ...number(tile), 0]);
  parts.push(0, ...new Array<number>(64).fill(0));
  return Uint8Array.from(parts);
}

/** A grey progressive JPEG whose scans all hold nothing but runs of empty blocks (T.81, G.1.2.2). */
function progressiveOf(width: number, height: number, scans: number): Uint8Array<ArrayBuffer> {
  const two = (v: number) => [v >> 8, v & 255];
  const head = [0xff, 0xd8, 0xff, 0xdb, 0, 67, 0, ...new Array<number>(64).fill(1)];
  head.push(0xff, 0xc2, 0, 11, 8, ...two(height), ...two(width), 1, 1, 0x11, 0);
  // Two tables of one code, one bit long: no difference to the brightness before; a run of 2¹⁴ empty blocks and more.
  const table = (id: number, symbol: number) => [0xff, 0xc4, 0, 20, id, 1, ...new Array<number>(15).fill(0), symbol];
  head.push(...table(0, 0), ...table(0x10, 0xe0));
  const blocks = Math.ceil(width / 8) * Math.ceil(height / 8);
  const brightness = [0xff, 0xda, 0, 8, 1, 1, 0, 0, 0, 0, ...new Array<number>(Math.ceil(blocks / 8)).fill(0)];
  const run = new Uint8Array(10 + 2 * Math.ceil(blocks / 16_384));
  run.set([0xff, 0xda, 0, 8, 1, 1, 0, 1, 63, 0]);
  const out = new Uint8Array(head.length + brightness.length + scans * run.length + 2);
  out.set(head);
  out.set(brightness, head.length);
  for (let k = 0; k < scans; k++) out.set(run, head.length + brightness.length + k * run.length);
  out.set([0xff, 0xd9], out.length - 2);
  return out;
}

/** Made only when it is asked for: some take a moment. */
export interface Bomb extends Omit<Case, 'bytes'> {
  make(): Uint8Array<ArrayBuffer>;
}

export function bombs(): Bomb[] {
  const cases: Bomb[] = [];
  const add = (name: string, target: Target, make: () => Uint8Array<ArrayBuffer>) => cases.push({ name, target, make });
  const flat = zlibSync(new Uint8Array(64 * 2 ** 20), { level: 9 });
  add('png of 16 385² samples out of 64 KiB', 'heightmap', () => pngOf(16_385, 16_385, 16, flat));
  add('png in four colours, 8 000²', 'heightmap', () => pngOf(8000, 8000, 16, flat, 6));
  add('png that claims to be small', 'heightmap', () => pngOf(4, 4, 16, flat));
  add('tiff that is all sparse tiles', 'heightmap', () =>
    tiffOf([...picture(16_384, 16_384, 32, 1), [322, 3, [16_384]], [323, 3, [16_384]], [324, 4, [0]], [325, 4, [0]], [339, 3, [3]]]),
  );
  add('tiff of one tile, larger than its picture by far', 'heightmap', () =>
    tiffOf([...picture(3, 3, 64, 8), [322, 4, [65_535]], [323, 4, [65_535]], [324, 4, [8]], [325, 4, [flat.length]], [339, 3, [3]]], flat),
  );
  const shared = (n: number, value: number) => new Array<number>(n).fill(value);
  add('tiff whose strips all share one bomb', 'heightmap', () =>
    tiffOf([...picture(4096, 8000, 16, 8), [273, 4, shared(8000, 8)], [278, 3, [1]], [279, 4, shared(8000, flat.length)]], flat),
  );
  const clears = new Uint8Array(2 ** 20).fill(0x80);
  add('tiff whose strips all share one run of clear codes', 'heightmap', () =>
    tiffOf([...picture(64, 16_000, 16, 5), [273, 4, shared(16_000, 8)], [278, 3, [1]], [279, 4, shared(16_000, clears.length)]], clears),
  );
  add('tiff cut into a million tiles', 'heightmap', () =>
    tiffOf([...picture(16_000, 16_000, 8, 1), [322, 3, [1]], [323, 3, [1]], [324, 4, shared(500_000, 8)], [325, 4, [1]]]),
  );
  const lerc = new Uint8Array(64);
  lerc.set(text('Lerc2 '));
  new DataView(lerc.buffer).setInt32(6, 4, true);
  new DataView(lerc.buffer).setInt32(14, 60_000, true);
  new DataView(lerc.buffer).setInt32(18, 60_000, true);
  add('tiff with a block of LERC that is larger than its strip', 'heightmap', () =>
    tiffOf([...picture(8, 8, 32, 34_887), [273, 4, [8]], [279, 4, [64]], [339, 3, [3]]], lerc),
  );
  const window = Uint8Array.of(0x28, 0xb5, 0x2f, 0xfd, 0x00, 0xff, 1, 0, 0, 0, 0, 0, 0, 0);
  add('tiff with a frame of ZSTD that asks for a window of terabytes', 'heightmap', () =>
    tiffOf([...picture(8, 8, 32, 50_000), [273, 4, [8]], [279, 4, [14]], [339, 3, [3]]], window),
  );
  add('tiff whose directories form a ring', 'heightmap', () => {
    const bytes = tiffOf([...picture(2, 2, 8, 1), [273, 4, [8]], [279, 4, [4]]], new Uint8Array(4));
    new DataView(bytes.buffer).setUint32(bytes.length - 4, new DataView(bytes.buffer).getUint32(4, true), true);
    return bytes;
  });
  const meta = text(`<GDALMetadata>${'role="scale" '.repeat(60_000)}`);
  add('tiff with metadata that a pattern would walk through again and again', 'heightmap', () => {
    const tags: [number, number, number[]][] = [...picture(2, 2, 8, 1), [273, 4, [8]], [279, 4, [4]], [42_112, 3, [0]]];
    const bytes = tiffOf(tags, meta);
    const view = new DataView(bytes.buffer);
    const entry = view.getUint32(4, true) + 2 + 12 * (tags.length - 1);
    view.setUint16(entry + 2, 2, true);
    view.setUint32(entry + 4, meta.length, true);
    view.setUint32(entry + 8, 8, true);
    return bytes;
  });
  const jpeg = Uint8Array.of(0xff, 0xd8, 0xff, 0xc2, 0, 17, 8, 0x3f, 0xff, 0x3f, 0xff, 3, 1, 0x44, 0, 2, 0x11, 1, 3, 0x11, 1, 0xff, 0xd9);
  const padded = new Uint8Array(300_000);
  padded.set(jpeg);
  add('jpeg of 16 383² samples in 300 KB', 'heightmap', () => padded);
  add('jpeg of a photograph, 5 000 × 4 000 in colour', 'heightmap', () => {
    const [width, height] = [5000, 4000];
    const data = new Uint8Array(4 * width * height).map((_, i) => (i % 4 === 3 ? 255 : 38 + Math.abs((i % 5400) - 2700) / 15 + ((i * 7919) % 31)));
    return Uint8Array.from(encodeJpeg({ width, height, data }, 60).data);
  });
  add('jpeg of 50 000 scans that say nothing', 'heightmap', () => progressiveOf(8000, 4000, 50_000));
  add('jpeg of as many scans as are read', 'heightmap', () => progressiveOf(8000, 4000, 60));
  add('exr of 16 000² samples', 'heightmap', () => exrOf(16_000, 16_000, 0));
  add('exr with tiles of 60 000²', 'heightmap', () => exrOf(16, 16, 60_000));
  const npy = text("\x93NUMPY\x01\0v\0{'descr': '<f8', 'fortran_order': False, 'shape': (16000, 16000), }".padEnd(128)).slice(1);
  npy[0] = 0x93;
  const zipped = zipSync({ 'a.npy': Uint8Array.from([...npy, ...new Uint8Array(2 ** 20)]) }, { level: 9 }) as Uint8Array<ArrayBuffer>;
  add('npz that promises 2 GB', 'heightmap', () => zipped);
  add('npz that unpacks to 200 MB', 'heightmap', () => zipOf({ 'a.npy': new Uint8Array(200 * 2 ** 20) }));
  add('points at the ends of a lattice', 'heightmap', () =>
    text(Array.from({ length: 20_000 }, (_, i) => `${i % 2 ? i * 1.0001 : i * 977} ${(i * 7919) % 100_003} 1`).join('\n')),
  );
  add('a line of 8 MiB', 'heightmap', () => text('1 '.repeat(4 * 2 ** 20)));
  add('ascii grid with a header of 200 000 lines', 'heightmap', () => text(`${'cellsize 1\n'.repeat(200_000)}ncols 2\nnrows 2\n1 2 3 4`));
  add('ascii grid of spaces', 'heightmap', () => text(`ncols 9\nnrows 9\n${' '.repeat(4 * 2 ** 20)}1`));
  add('netpbm of remarks', 'heightmap', () => text(`P2\n${'#\n'.repeat(2 ** 21)}2 2\n255\n1 2 3 4`));

  add('obj of empty lines', 'mesh', () => text('\n'.repeat(200_000)));
  add('obj with a face of a million corners', 'mesh', () => text(`v 0 0 0\nv 1 0 0\nv 0 1 0\nf ${'1 2 3 '.repeat(330_000)}\n`));
  add('obj with lines that go on for ever', 'mesh', () => text(`v 0 0 0\nf ${'1 \\\n'.repeat(500_000)}`));
  add('ply of four milliard elements without numbers', 'mesh', () =>
    text(
      'ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement dust 4294967295\nelement face 1\nproperty list uchar int vertex_index\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n',
    ),
  );
  add('ply of 2 000 kinds', 'mesh', () => text(`ply\nformat ascii 1.0\n${'element dust 4294967295\nproperty uchar a\n'.repeat(2000)}end_header\n`));
  add('glTF with a stride of 0', 'mesh', () =>
    gltfOf({
      ...triangle,
      nodes: [{ mesh: 0 }],
      bufferViews: [{ buffer: 0, byteLength: 36, byteStride: 0 }],
      accessors: [{ bufferView: 0, componentType: 5126, count: 400_000_000, type: 'VEC3' }],
    }),
  );
  add('glTF whose nodes share their children, 2⁶⁰ ways', 'mesh', () =>
    gltfOf({ ...triangle, nodes: [...Array.from({ length: 60 }, (_, i) => ({ children: [i + 1, i + 1] })), { mesh: 0 }], scenes: [{ nodes: [0] }] }),
  );
  add('glTF with a node in a ring', 'mesh', () => gltfOf({ ...triangle, nodes: [{ children: [1] }, { children: [0], mesh: 0 }], scenes: [{ nodes: [0] }] }));
  add('glTF with 300 000 instances', 'mesh', () => gltfOf({ ...triangle, nodes: Array.from({ length: 300_000 }, () => ({ mesh: 0 })) }));
  add('glTF with sparse values out of nothing', 'mesh', () =>
    gltfOf({
      ...triangle,
      nodes: [{ mesh: 0 }],
      accessors: [
        {
          componentType: 5126,
          count: 500_000_000,
          type: 'VEC3',
          sparse: { count: 0, indices: { bufferView: 0, componentType: 5121 }, values: { bufferView: 0 } },
        },
      ],
    }),
  );
  add('glTF packed to far more than it holds', 'mesh', () =>
    gltfOf({
      ...triangle,
      nodes: [{ mesh: 0 }],
      bufferViews: [
        {
          buffer: 0,
          byteLength: 36,
          extensions: { EXT_meshopt_compression: { buffer: 0, byteLength: 36, byteStride: 12, count: 30_000_000, mode: 'ATTRIBUTES' } },
        },
      ],
    }),
  );
  add('glTF of brackets', 'mesh', () => text(`{"asset":{"version":"2.0"},"a":${'['.repeat(200_000)}`));

  const course = makeCourse('Fell', makeGround({ width: 64, depth: 64, across: 9, down: 9 }));
  const json = text(JSON.stringify(course));
  const zeros = new Uint8Array(150 * 2 ** 20);
  add('project whose thumbnail unpacks to 150 MB', 'project', () => zipOf({ 'course.json': json, 'thumbnail.png': zeros }));
  add('project whose marks unpack to 150 MB', 'project', () => zipOf({ 'course.json': json, 'marks.json': zeros }));
  add('project whose course unpacks to 150 MB', 'project', () => zipOf({ 'course.json': zeros }));
  add('project with an asset of 150 MB that nothing reads', 'project', () => zipOf({ 'course.json': json, [`assets/${'a'.repeat(64)}`]: zeros }));
  const lying = zipSync({ 'course.json': json, 'thumbnail.png': new Uint8Array(8 * 2 ** 20) }, { level: 9 }) as Uint8Array<ArrayBuffer>;
  // Its table says that the thumbnail is small.
  for (let i = 0; i + 4 < lying.length; i++) {
    if (new DataView(lying.buffer).getUint32(i, true) === 8 * 2 ** 20) new DataView(lying.buffer).setUint32(i, 100, true);
  }
  add('project whose table lies about its sizes', 'project', () => lying);
  add(
    'project with a course of a hundred thousand steps',
    'project',
    () =>
      zipSync({
        'course.json': text(JSON.stringify({ ...course, stem: Array.from({ length: 100_000 }, (_, i) => ({ id: `s${i}`, step: 'flat' })) })),
      }) as Uint8Array<ArrayBuffer>,
  );
  add('project that is whole', 'project', () => writeProject({ course, assets: new Map() }));
  return cases;
}
