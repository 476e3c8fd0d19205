import { grouped } from '../../grouped';
import { quoted, UplandError } from '../../errors';
import { plainText, textOf } from '../../formats/text';
import { triangleCount, triangleIndices, vertexCount, type Mesh } from '../mesh';
import type { MeshFormat } from './types';
import { writeJoined } from './write';
import { Numbers, placesOf } from './places';

const HEADER = 84;
const FACET = 50;

/** STL (3D Systems, 1988): triangles alone, z up: a mesh whose y is up is turned on writing. Written binary; read binary and as text. Vertices of the same place are joined on reading. */
export const stl: MeshFormat = {
  id: 'stl',
  title: 'STL',
  endings: ['.stl'],
  mediaType: 'model/stl',
  quads: false,
  textured: false,
  colours: false,
  options: [],
  axes: {
    up: 'z',
    handed: 'right',
    reason: 'STL is read right-handed with z up (common practice). Choose that, or write OBJ or PLY.',
  },
  sniff: (b) => isBinary(b) || isText(b),
  read,
  encode,
  write: writeJoined(() => stl),
};

const isText = (b: Uint8Array) => {
  const start = textOf(plainText(b.subarray(0, 2000))).toLowerCase();
  return start.trimStart().startsWith('solid') && /\b(facet|endsolid)\b/.test(start);
};

/** Facets as its header counts them fill the file; a writer may have left something after them. */
function isBinary(b: Uint8Array): boolean {
  if (b.length < HEADER) return false;
  const count = new DataView(b.buffer, b.byteOffset).getUint32(80, true);
  const end = count * FACET + HEADER;
  return end === b.length || (count > 0 && end < b.length && b.length - end <= MOST_TRAILING && !isText(b));
}

/** Bytes after the last facet that are passed over, with a sentence. */
const MOST_TRAILING = 4096;

function encode(mesh: Mesh, name: string): Uint8Array<ArrayBuffer> {
  const triangles = triangleIndices(mesh);
  const count = triangleCount(mesh);
  const bytes = new Uint8Array(HEADER + count * FACET);
  // It must not begin with the word that a text file begins with.
  bytes.set(new TextEncoder().encode(`binary ${name.replace(/[^\x20-\x7e]/g, '?')}`.slice(0, 79)));
  const view = new DataView(bytes.buffer);
  view.setUint32(80, count, true);
  const p = mesh.up === 'z' ? mesh.positions : turned(mesh.positions);
  for (let t = 0, at = HEADER; t < count; t++, at += FACET) {
    const [a, b, c] = [3 * triangles[3 * t], 3 * triangles[3 * t + 1], 3 * triangles[3 * t + 2]];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const [nx, ny, nz] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const length = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1;
    view.setFloat32(at, nx / length, true);
    view.setFloat32(at + 4, ny / length, true);
    view.setFloat32(at + 8, nz / length, true);
    for (const [k, from] of [a, b, c].entries()) for (let axis = 0; axis < 3; axis++) view.setFloat32(at + 12 + 12 * k + 4 * axis, p[from + axis], true);
  }
  return bytes;
}

/** Y up to z up: south becomes −y. */
function turned(positions: Float32Array): Float32Array {
  const out = new Float32Array(positions.length);
  for (let i = 0; i < out.length; i += 3) {
    out[i] = positions[i];
    out[i + 1] = -positions[i + 2];
    out[i + 2] = positions[i + 1];
  }
  return out;
}

function read(bytes: Uint8Array<ArrayBuffer>): Mesh {
  const { corners, ...rest } = isBinary(bytes) ? binaryCorners(bytes) : textCorners(bytes);
  if (corners.length === 0) throw new UplandError('no-faces', 'This STL has no faces.');
  return { ...joined(corners), ...rest };
}

interface Corners {
  corners: Float32Array<ArrayBuffer>;
  origin?: Mesh['origin'];
  odd?: string[];
}

function binaryCorners(bytes: Uint8Array): Corners {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const count = view.getUint32(80, true);
  const out = new Float32Array(9 * count);
  for (let t = 0; t < count; t++) for (let k = 0; k < 9; k++) out[9 * t + k] = view.getFloat32(HEADER + FACET * t + 12 + 4 * k, true);
  const trailing = bytes.length - HEADER - FACET * count;
  return { corners: out, ...(trailing ? { odd: [`${grouped(trailing)} bytes after its last facet were not read.`] } : {}) };
}

/** Word by word, so that it does not matter how its lines are broken and in which letters it is written. */
function textCorners(given: Uint8Array): Corners {
  const bytes = plainText(given);
  const numbers = new Numbers(new Float64Array(4096), (n) => new Float64Array(n));
  let at = 0;
  const word = () => {
    while (at < bytes.length && bytes[at] <= 32) at++;
    const from = at;
    while (at < bytes.length && bytes[at] > 32) at++;
    return textOf(bytes, from, Math.min(at, from + 40));
  };
  for (let text = word(); text !== ''; text = word()) {
    if (text.toLowerCase() !== 'vertex') continue;
    const place = [word(), word(), word()];
    for (const part of place) {
      const value = part === '' ? NaN : Number(part);
      if (!(Math.abs(value) < 3e38)) throw new UplandError('damaged', `This STL is damaged: "vertex ${place.map((p) => quoted(p)).join(' ')}" is not a place.`);
      numbers.push(value);
    }
  }
  if (numbers.length % 9) throw new UplandError('damaged', 'This STL is damaged: its last facet is cut short.');
  const { positions, ...rest } = placesOf(numbers.done());
  return { corners: positions, ...rest };
}

/** Corners of the same place become one vertex. */
function joined(corners: Float32Array<ArrayBuffer>): Mesh {
  const count = corners.length / 3;
  const bits = new Uint32Array(corners.buffer, corners.byteOffset, corners.length);
  // Open addressing over the bits of a place.
  let size = 16;
  while (size < 2 * count) size *= 2;
  const slots = new Int32Array(size).fill(-1);
  const indices = new Uint32Array(count);
  const places = new Float32Array(corners.length);
  let vertices = 0;
  for (let i = 0; i < count; i++) {
    const [x, y, z] = [bits[3 * i], bits[3 * i + 1], bits[3 * i + 2]];
    let slot = (Math.imul(x, 0x9e3779b1) ^ Math.imul(y, 0x85ebca6b) ^ Math.imul(z, 0xc2b2ae35)) >>> 0;
    slot = (slot ^ (slot >>> 15)) & (size - 1);
    for (;;) {
      const v = slots[slot];
      if (v < 0) {
        slots[slot] = vertices;
        places.set(corners.subarray(3 * i, 3 * i + 3), 3 * vertices);
        indices[i] = vertices++;
        break;
      }
      if (places[3 * v] === corners[3 * i] && places[3 * v + 1] === corners[3 * i + 1] && places[3 * v + 2] === corners[3 * i + 2]) {
        indices[i] = v;
        break;
      }
      slot = (slot + 1) & (size - 1);
    }
  }
  const mesh: Mesh = { positions: places.slice(0, 3 * vertices), indices, corners: 3, up: 'z' };
  if (vertexCount(mesh) < 3) throw new UplandError('no-faces', 'This STL has no faces that stand anywhere.');
  return mesh;
}
