import { UplandError } from '../../errors';
import { boundsOf, triangleIndices, type Mesh } from '../mesh';
import type { MeshFormat } from './format';

/**
 * glTF 2.0 in its binary container (Khronos glTF 2.0 specification). One mesh with positions,
 * normals and UVs; triangles; y up, metres. A mesh that is z up is turned on writing.
 */
export const glb: MeshFormat = {
  id: 'glb',
  title: 'GLB',
  endings: ['.glb'],
  mediaType: 'model/gltf-binary',
  quads: false,
  sniff: (b) => b[0] === 0x67 && b[1] === 0x6c && b[2] === 0x54 && b[3] === 0x46,
  read,
  write,
};

const FLOAT = 5126;
const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };

function write(mesh: Mesh, name: string): Uint8Array<ArrayBuffer> {
  const positions = mesh.up === 'y' ? mesh.positions : zUpToYUp(mesh.positions);
  const normals = mesh.normals && (mesh.up === 'y' ? mesh.normals : zUpToYUp(mesh.normals));
  const indices = triangleIndices(mesh);
  const { min, max } = boundsOf(positions);
  const parts = [positions, ...(normals ? [normals] : []), ...(mesh.uvs ? [mesh.uvs] : []), indices];
  const bufferViews: object[] = [];
  let length = 0;
  for (const part of parts) {
    bufferViews.push({ buffer: 0, byteOffset: length, byteLength: part.byteLength, target: part === indices ? 34_963 : 34_962 });
    length += part.byteLength;
  }
  const vertices = positions.length / 3;
  const accessors: object[] = [{ bufferView: 0, componentType: FLOAT, count: vertices, type: 'VEC3', min, max }];
  const attributes: Record<string, number> = { POSITION: 0 };
  if (normals) {
    attributes.NORMAL = accessors.length;
    accessors.push({ bufferView: accessors.length, componentType: FLOAT, count: vertices, type: 'VEC3' });
  }
  if (mesh.uvs) {
    attributes.TEXCOORD_0 = accessors.length;
    accessors.push({ bufferView: accessors.length, componentType: FLOAT, count: vertices, type: 'VEC2' });
  }
  const indexAccessor = accessors.length;
  accessors.push({ bufferView: indexAccessor, componentType: 5125, count: indices.length, type: 'SCALAR' });
  const json = {
    asset: { version: '2.0', generator: 'Upland Cast' },
    scene: 0,
    scenes: [{ nodes: [0] }],
    nodes: [{ mesh: 0, name }],
    meshes: [{ name, primitives: [{ attributes, indices: indexAccessor }] }],
    accessors,
    bufferViews,
    buffers: [{ byteLength: length }],
  };
  let text = JSON.stringify(json);
  text = text.padEnd(text.length + ((4 - (new TextEncoder().encode(text).length % 4)) % 4), ' ');
  const jsonBytes = new TextEncoder().encode(text);
  const bytes = new Uint8Array(12 + 8 + jsonBytes.length + 8 + length);
  const view = new DataView(bytes.buffer);
  [0x46546c67, 2, bytes.length, jsonBytes.length, 0x4e4f534a].forEach((v, i) => view.setUint32(i * 4, v, true));
  bytes.set(jsonBytes, 20);
  let at = 20 + jsonBytes.length;
  view.setUint32(at, length, true);
  view.setUint32(at + 4, 0x004e4942, true);
  at += 8;
  for (const part of parts) {
    for (let i = 0; i < part.length; i++, at += 4) {
      if (part === indices) view.setUint32(at, part[i], true);
      else view.setFloat32(at, part[i], true);
    }
  }
  return bytes;
}

function zUpToYUp(positions: Float32Array): Float32Array<ArrayBuffer> {
  const out = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    out[i] = positions[i];
    out[i + 1] = positions[i + 2];
    out[i + 2] = -positions[i + 1];
  }
  return out;
}

interface Gltf {
  asset?: { version?: string };
  scene?: number;
  scenes?: { nodes?: number[] }[];
  nodes?: { mesh?: number; children?: number[]; matrix?: number[]; translation?: number[]; rotation?: number[]; scale?: number[] }[];
  meshes?: { primitives?: { attributes?: Record<string, number>; indices?: number; mode?: number; extensions?: Record<string, unknown> }[] }[];
  accessors?: { bufferView?: number; byteOffset?: number; componentType: number; count: number; type: string; normalized?: boolean; sparse?: unknown }[];
  bufferViews?: { buffer: number; byteOffset?: number; byteLength: number; byteStride?: number }[];
  buffers?: { byteLength: number; uri?: string }[];
  extensionsRequired?: string[];
}

function read(bytes: Uint8Array<ArrayBuffer>): Mesh {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const damaged = (what: string) => new UplandError('damaged', `This GLB is damaged: ${what}.`);
  if (bytes.length < 20) throw new UplandError('cut-short', `This GLB is cut short: its header needs 20 bytes and ${bytes.length} are there.`);
  if (!glb.sniff(bytes)) throw damaged('it does not begin as one');
  if (view.getUint32(4, true) !== 2) throw new UplandError('glb-version', `This GLB is of version ${view.getUint32(4, true)}; version 2 is read here.`);
  let json: Gltf | undefined;
  let binary: Uint8Array<ArrayBuffer> | undefined;
  for (let at = 12; at + 8 <= bytes.length;) {
    const length = view.getUint32(at, true);
    const kind = view.getUint32(at + 4, true);
    if (at + 8 + length > bytes.length)
      throw new UplandError('cut-short', `This GLB is cut short: a chunk needs ${length} bytes and ${bytes.length - at - 8} are there.`);
    const body = bytes.subarray(at + 8, at + 8 + length);
    if (kind === 0x4e4f534a) {
      try {
        json = JSON.parse(new TextDecoder().decode(body)) as Gltf;
      } catch {
        throw damaged('its JSON cannot be read');
      }
    } else if (kind === 0x004e4942) binary ??= body;
    at += 8 + length;
  }
  if (!json || typeof json !== 'object') throw damaged('it has no JSON');
  if (json.extensionsRequired?.length) {
    throw new UplandError('glb-extension', `This GLB cannot be read without ${json.extensionsRequired.join(', ')}. Export it uncompressed.`);
  }
  const gltf = json;
  const merged: { vertices: Float32Array; indices: Uint32Array }[] = [];

  const accessor = (index: number | undefined, type: string): Float32Array | Uint32Array => {
    const a = index === undefined ? undefined : gltf.accessors?.[index];
    if (!a) throw damaged(`the accessor ${index} is missing`);
    if (a.type !== type || !COMPONENT_BYTES[a.componentType] || a.sparse) throw damaged(`the accessor ${index} is of a kind that is not read here`);
    const v = a.bufferView === undefined ? undefined : gltf.bufferViews?.[a.bufferView];
    if (!v) throw damaged(`the accessor ${index} has no data`);
    if (!binary || v.buffer !== 0 || gltf.buffers?.[0]?.uri) throw damaged('its buffer is missing; a GLB with outside files is not read here');
    const parts = type === 'VEC3' ? 3 : 1;
    const size = COMPONENT_BYTES[a.componentType];
    const stride = v.byteStride ?? size * parts;
    const start = (v.byteOffset ?? 0) + (a.byteOffset ?? 0);
    if (!(a.count >= 0) || start + Math.max(0, a.count - 1) * stride + size * parts > binary.length || !(start >= 0) || !(stride >= 0)) {
      throw damaged(`the accessor ${index} reaches beyond its buffer`);
    }
    const data = new DataView(binary.buffer, binary.byteOffset, binary.byteLength);
    const out = parts === 3 ? new Float32Array(a.count * 3) : new Uint32Array(a.count);
    const get: Record<number, (at: number) => number> = {
      5120: (at) => data.getInt8(at),
      5121: (at) => data.getUint8(at),
      5122: (at) => data.getInt16(at, true),
      5123: (at) => data.getUint16(at, true),
      5125: (at) => data.getUint32(at, true),
      5126: (at) => data.getFloat32(at, true),
    };
    for (let i = 0; i < a.count; i++) for (let k = 0; k < parts; k++) out[i * parts + k] = get[a.componentType](start + i * stride + k * size);
    return out;
  };

  const visit = (nodeIndex: number, parent: number[], depth: number) => {
    const node = gltf.nodes?.[nodeIndex];
    if (!node) throw damaged(`the node ${nodeIndex} is missing`);
    if (depth > 64) throw damaged('its nodes are nested without an end');
    const matrix = multiply(parent, localMatrix(node));
    for (const primitive of node.mesh === undefined ? [] : (gltf.meshes?.[node.mesh]?.primitives ?? [])) {
      if ((primitive.mode ?? 4) !== 4) continue;
      const local = accessor(primitive.attributes?.POSITION, 'VEC3') as Float32Array;
      const indices =
        primitive.indices === undefined ? Uint32Array.from({ length: local.length / 3 }, (_, i) => i) : (accessor(primitive.indices, 'SCALAR') as Uint32Array);
      const vertices = transformed(local, matrix);
      for (const i of indices) if (i * 3 >= vertices.length) throw damaged(`a face names vertex ${i}, and there are ${vertices.length / 3}`);
      merged.push({ vertices, indices: indices.subarray(0, indices.length - (indices.length % 3)) });
    }
    for (const child of node.children ?? []) visit(child, matrix, depth + 1);
  };
  const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
  const roots = gltf.scenes?.[gltf.scene ?? 0]?.nodes ?? gltf.nodes?.map((_, i) => i) ?? [];
  for (const root of roots) visit(root, IDENTITY, 0);

  const count = merged.reduce((n, m) => n + m.vertices.length, 0);
  const faces = merged.reduce((n, m) => n + m.indices.length, 0);
  if (faces === 0) throw new UplandError('no-faces', 'This GLB has no triangles in its scene.');
  const all = new Float32Array(count);
  const indices = new Uint32Array(faces);
  let vertexAt = 0;
  let indexAt = 0;
  for (const part of merged) {
    all.set(part.vertices, vertexAt);
    for (let i = 0; i < part.indices.length; i++) indices[indexAt + i] = part.indices[i] + vertexAt / 3;
    vertexAt += part.vertices.length;
    indexAt += part.indices.length;
  }
  return { positions: all, indices, corners: 3, up: 'y' };
}

function localMatrix(node: { matrix?: number[]; translation?: number[]; rotation?: number[]; scale?: number[] }): number[] {
  if (node.matrix?.length === 16) return node.matrix;
  const [tx, ty, tz] = node.translation ?? [0, 0, 0];
  const [x, y, z, w] = node.rotation ?? [0, 0, 0, 1];
  const [sx, sy, sz] = node.scale ?? [1, 1, 1];
  return [
    (1 - 2 * (y * y + z * z)) * sx,
    2 * (x * y + z * w) * sx,
    2 * (x * z - y * w) * sx,
    0,
    2 * (x * y - z * w) * sy,
    (1 - 2 * (x * x + z * z)) * sy,
    2 * (y * z + x * w) * sy,
    0,
    2 * (x * z + y * w) * sz,
    2 * (y * z - x * w) * sz,
    (1 - 2 * (x * x + y * y)) * sz,
    0,
    tx,
    ty,
    tz,
    1,
  ];
}

function multiply(a: number[], b: number[]): number[] {
  const out = new Array<number>(16).fill(0);
  for (let c = 0; c < 4; c++) for (let r = 0; r < 4; r++) for (let k = 0; k < 4; k++) out[c * 4 + r] += a[k * 4 + r] * b[c * 4 + k];
  return out;
}

function transformed(positions: Float32Array, m: number[]): Float32Array {
  const out = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i], positions[i + 1], positions[i + 2]];
    for (let k = 0; k < 3; k++) out[i + k] = m[k] * x + m[4 + k] * y + m[8 + k] * z + m[12 + k];
  }
  return out;
}
