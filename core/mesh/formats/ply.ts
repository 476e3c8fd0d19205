import { grouped } from '../../grouped';
import { quoted, UplandError } from '../../errors';
import { checkUnpacked } from '../../formats/limits';
import { getter } from '../../formats/raw';
import type { SampleType } from '../../formats/format';
import { textOf } from '../../formats/text';
import { faceCount, vertexCount, type Mesh } from '../mesh';
import type { MeshFormat } from './types';
import { writeJoined } from './write';
import { guessUp } from './obj/read';
import { placesOf } from './places';

/** PLY (Turk 1994). Written binary, little-endian; read binary in both orders and as text. */
export const ply: MeshFormat = {
  id: 'ply',
  title: 'PLY',
  endings: ['.ply'],
  mediaType: 'model/ply',
  quads: true,
  textured: false,
  colours: true,
  options: [],
  sniff: (b) => b[0] === 0x70 && b[1] === 0x6c && b[2] === 0x79 && (b[3] === 10 || b[3] === 13),
  read,
  encode,
  write: writeJoined(() => ply),
};

const TYPES: Record<string, SampleType | 's8'> = {
  char: 's8',
  int8: 's8',
  uchar: 'u8',
  uint8: 'u8',
  short: 's16',
  int16: 's16',
  ushort: 'u16',
  uint16: 'u16',
  int: 's32',
  int32: 's32',
  uint: 'u32',
  uint32: 'u32',
  float: 'f32',
  float32: 'f32',
  double: 'f64',
  float64: 'f64',
};
const SIZES: Record<string, number> = { s8: 1, u8: 1, s16: 2, u16: 2, s32: 4, u32: 4, f32: 4, f64: 8 };

function encode(mesh: Mesh, name: string): Uint8Array<ArrayBuffer> {
  const { positions, normals, uvs, colours, indices, corners, up } = mesh;
  const vertices = vertexCount(mesh);
  const faces = faceCount(mesh);
  const names = ['x', 'y', 'z', ...(normals ? ['nx', 'ny', 'nz'] : []), ...(uvs ? ['s', 't'] : [])];
  const header = new TextEncoder().encode(
    `ply\nformat binary_little_endian 1.0\ncomment ${name.replace(/[^\x20-\x7e]/g, '?')}, ${up} up, metres\nelement vertex ${vertices}\n` +
      `${names.map((n) => `property float ${n}\n`).join('')}${colours ? 'property uchar red\nproperty uchar green\nproperty uchar blue\n' : ''}element face ${faces}\nproperty list uchar int vertex_indices\nend_header\n`,
  );
  const stride = names.length * 4 + (colours ? 3 : 0);
  const bytes = new Uint8Array(header.length + vertices * stride + faces * (1 + 4 * corners));
  bytes.set(header);
  const view = new DataView(bytes.buffer);
  let at = header.length;
  const put = (value: number) => {
    view.setFloat32(at, value, true);
    at += 4;
  };
  for (let i = 0; i < vertices; i++) {
    for (let k = 0; k < 3; k++) put(positions[3 * i + k]);
    if (normals) for (let k = 0; k < 3; k++) put(normals[3 * i + k]);
    if (uvs) {
      put(uvs[2 * i]);
      put(1 - uvs[2 * i + 1]);
    }
    if (colours) for (let k = 0; k < 3; k++) bytes[at++] = colours[3 * i + k];
  }
  for (let f = 0; f < indices.length; f += corners) {
    bytes[at++] = corners;
    for (let k = 0; k < corners; k++, at += 4) view.setInt32(at, indices[f + k], true);
  }
  return bytes;
}

interface Property {
  name: string;
  type: string;
  /** The type of the count, for lists. */
  count?: string;
}

interface Element {
  name: string;
  count: number;
  properties: Property[];
}

function read(bytes: Uint8Array<ArrayBuffer>): Mesh {
  const { elements, format, start } = readHeader(bytes);
  const vertex = elements.find((e) => e.name === 'vertex');
  const face = elements.find((e) => e.name === 'face');
  if (!vertex || !['x', 'y', 'z'].every((n) => vertex.properties.some((p) => p.name === n))) {
    throw new UplandError('no-vertices', 'This PLY has no vertices with x, y and z.');
  }
  if (!face || face.count === 0) throw new UplandError('no-faces', 'This PLY has vertices but no faces.');
  // Most writers call it vertex_indices; whatever the only list of a face is called, it is that.
  const lists = face.properties.filter((p) => p.count);
  const cornersOf = lists.find((p) => /^(vertex_?)?ind(ex|ices)$/i.test(p.name)) ?? (lists.length === 1 ? lists[0] : undefined);
  if (!cornersOf) throw new UplandError('no-faces', 'This PLY has faces, but none of their lists names their corners.');
  const cut = () =>
    new UplandError('cut-short', `This PLY is cut short: it ends before its ${grouped(vertex.count)} vertices and ${grouped(face.count)} faces.`);
  // Every vertex takes at least one byte a number; refuse before making room for what cannot be there.
  if (vertex.count * 3 > bytes.length || face.count > bytes.length) throw cut();
  checkUnpacked('PLY', bytes.length, 36 * vertex.count);

  const next = format === 'ascii' ? asciiNumbers(bytes, start, cut) : binaryNumbers(bytes, start, format === 'binary_little_endian', cut);
  const numbers = new Float64Array(vertex.count * 3);
  let triangles: number[] | Uint32Array<ArrayBuffer> = [];
  const quads: number[] = [];
  let onlyQuads = true;
  // What has no numbers takes no bytes, however many there are said to be.
  for (const element of elements.filter((e) => e.properties.length > 0)) {
    for (let i = 0; i < element.count; i++) {
      for (const property of element.properties) {
        if (!property.count) {
          const value = next(property.type);
          const axis = element === vertex ? 'xyz'.indexOf(property.name) : -1;
          if (axis >= 0 && property.name.length === 1) numbers[3 * i + axis] = value;
          continue;
        }
        const n = next(property.count);
        const corners: number[] = [];
        if (!(n >= 0 && n <= 100_000)) throw new UplandError('damaged', `This PLY is damaged: a list has ${n} entries.`);
        for (let k = 0; k < n; k++) corners.push(next(property.type));
        if (element !== face || property !== cornersOf) continue;
        for (const c of corners) {
          if (!(c >= 0 && c < vertex.count))
            throw new UplandError('mesh-index', `This PLY is damaged: face ${i + 1} names vertex ${c}, and there are ${grouped(vertex.count)}.`);
        }
        if (n === 4) quads.push(...corners);
        else onlyQuads = false;
        for (let k = 2; k < n; k++) triangles.push(corners[0], corners[k - 1], corners[k]);
      }
    }
  }
  triangles = Uint32Array.from(onlyQuads ? quads : triangles);
  if (triangles.length === 0) throw new UplandError('no-faces', 'This PLY has faces, but none with three corners or more.');
  const places = placesOf(numbers);
  return { ...places, indices: triangles, corners: onlyQuads ? 4 : 3, up: guessUp(places.positions) };
}

/** Bytes that a header may have: some writers put all of their settings into its comments. */
const LONGEST_HEADER = 1 << 20;
/** Kinds of elements, and numbers of each. */
const MOST_KINDS = 100;

function readHeader(bytes: Uint8Array) {
  const text = textOf(bytes, 0, Math.min(bytes.length, LONGEST_HEADER));
  const end = /\bend_header(\r\n|\n|\r)/.exec(text);
  if (!text.startsWith('ply') || !end) throw new UplandError('damaged', 'This PLY is damaged: its header does not end.');
  const elements: Element[] = [];
  let format = '';
  for (const line of text.slice(0, end.index).split(/\r\n|\n|\r/)) {
    const words = line.trim().split(/\s+/);
    if (words[0] === 'format') format = words[1];
    else if (words[0] === 'element') {
      const count = Number(words[2]);
      if (!Number.isInteger(count) || count < 0 || count > 0xffffffff)
        throw new UplandError('damaged', `This PLY is damaged: it says it has ${quoted(words[2] ?? '')} of ${quoted(words[1] ?? '')}.`);
      elements.push({ name: words[1], count, properties: [] });
      if (elements.length > MOST_KINDS) throw new UplandError('damaged', `This PLY says it has more than ${MOST_KINDS} kinds of elements.`);
    } else if (words[0] === 'property' && elements.length) {
      const list = words[1] === 'list';
      const property: Property = list ? { name: words[4], count: TYPES[words[2]], type: TYPES[words[3]] } : { name: words[2], type: TYPES[words[1]] };
      if (!property.type || (list && !property.count))
        throw new UplandError('damaged', `This PLY has a property that is not known: ${quoted(line.trim(), 60)}.`);
      elements[elements.length - 1].properties.push(property);
    }
  }
  if (!['ascii', 'binary_little_endian', 'binary_big_endian'].includes(format))
    throw new UplandError('damaged', `This PLY is of the kind ${quoted(format)}, which is not known.`);
  return { elements, format, start: end.index + end[0].length };
}

function binaryNumbers(bytes: Uint8Array<ArrayBuffer>, start: number, little: boolean, cut: () => UplandError): (type: string) => number {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const getters = Object.fromEntries(Object.keys(SIZES).map((t) => [t, t === 's8' ? (at: number) => view.getInt8(at) : getter(view, t as SampleType, little)]));
  let at = start;
  return (type) => {
    const size = SIZES[type];
    if (at + size > bytes.length) throw cut();
    const value = getters[type](at);
    at += size;
    return value;
  };
}

function asciiNumbers(bytes: Uint8Array, start: number, cut: () => UplandError): (type: string) => number {
  let at = start;
  return () => {
    while (at < bytes.length && bytes[at] <= 32) at++;
    const from = at;
    while (at < bytes.length && bytes[at] > 32) at++;
    if (from === at) throw cut();
    const text = String.fromCharCode(...bytes.subarray(from, Math.min(at, from + 40)));
    const value = Number(text);
    if (Number.isNaN(value)) throw new UplandError('damaged', `This PLY is damaged: ${quoted(text)} is not a number.`);
    return value;
  };
}
