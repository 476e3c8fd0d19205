import { quoted, UplandError } from '../../../errors';
import { mergeMeshes, type Mesh } from '../../mesh';
import { Accessors, damaged, numbered, type Gltf } from './accessors';

/** The first four bytes of a GLB, as a little-endian number. */
const MAGIC = 0x46546c67;

/** Extensions that are read here, and those that do not touch the form: how it looks, sounds or is lit. */
const READ = ['EXT_meshopt_compression', 'KHR_mesh_quantization'];
const APART =
  /^(KHR_materials_|KHR_texture_|KHR_lights|KHR_animation|KHR_audio|KHR_xmp|KHR_node_|EXT_texture_|EXT_lights|EXT_mesh_features|EXT_structural_metadata|EXT_instance_features|MSFT_texture|MSFT_packing|AGI_|KHR_interactivity)/;

/** A GLB: its JSON and its binary chunk. */
export function readGlb(bytes: Uint8Array<ArrayBuffer>, beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>> = new Map()): Mesh {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 20) throw new UplandError('cut-short', `This GLB is cut short: its header needs 20 bytes and ${bytes.length} are there.`);
  if (view.getUint32(0, true) !== MAGIC) throw damaged('it does not begin as one');
  if (view.getUint32(4, true) !== 2)
    throw new UplandError(
      'gltf-version',
      `This is a GLB of version ${view.getUint32(4, true)} (glTF ${view.getUint32(4, true)}.0), which is not read here; version 2 is.`,
    );
  let json: Gltf | undefined;
  let binary: Uint8Array<ArrayBuffer> | undefined;
  for (let at = 12; at + 8 <= bytes.length;) {
    const length = view.getUint32(at, true);
    const kind = view.getUint32(at + 4, true);
    if (at + 8 + length > bytes.length)
      throw new UplandError('cut-short', `This GLB is cut short: a chunk needs ${length} bytes and ${bytes.length - at - 8} are there.`);
    const body = bytes.subarray(at + 8, at + 8 + length);
    if (kind === 0x4e4f534a) json = jsonOf(body);
    else if (kind === 0x004e4942) binary ??= body;
    at += 8 + length;
  }
  if (!json || typeof json !== 'object') throw damaged('it has no JSON');
  return meshOf(json, binary, beside, bytes.length);
}

/** A glTF in JSON, with its numbers in files beside it or as data URLs. */
export const readGltf = (bytes: Uint8Array<ArrayBuffer>, beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>> = new Map()): Mesh =>
  meshOf(jsonOf(bytes), undefined, beside, bytes.length);

function jsonOf(bytes: Uint8Array): Gltf {
  try {
    const json: unknown = JSON.parse(new TextDecoder().decode(bytes));
    if (json && typeof json === 'object' && !Array.isArray(json)) return json as Gltf;
  } catch {
    // Said below.
  }
  throw damaged('its JSON cannot be read');
}

/** Meshes that one file may be put together from, and nodes that hang from each other. */
const MOST_PARTS = 20_000;
const MOST_DEPTH = 64;

function meshOf(gltf: Gltf, binary: Uint8Array<ArrayBuffer> | undefined, beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>>, own: number): Mesh {
  // Buffers beside it count as its bytes.
  const length = own + [...beside.values()].reduce((sum, bytes) => sum + bytes.length, 0);
  const unknown = (gltf.extensionsRequired ?? []).filter((name) => !READ.includes(name) && !APART.test(String(name)));
  if (unknown.length) throw new UplandError('glb-extension', `This glTF cannot be read without ${quoted(unknown.join(', '), 120)}. Export it uncompressed.`);
  const { version } = gltf.asset ?? {};
  const old = version?.startsWith('1.') || [gltf.meshes, gltf.nodes, gltf.accessors].some((list) => list !== undefined && !Array.isArray(list));
  if (old) throw new UplandError('gltf-version', 'This is a glTF 1.0, which is not read here; 2.0 is. Convert it first.');
  const merged: Mesh[] = [];
  const accessors = new Accessors(gltf, binary, beside, length);

  const take = (mesh: number, matrix: number[]) => {
    const { primitives } = gltf.meshes?.[mesh] ?? {};
    if (!Array.isArray(primitives)) throw damaged(`the mesh ${numbered(mesh)} is missing`);
    for (const primitive of primitives) {
      const mode = primitive.mode ?? 4;
      if (mode < 4) continue;
      const local = accessors.read(primitive.attributes?.POSITION, 'VEC3') as Float32Array;
      let indices = primitive.indices === undefined ? counted(local.length / 3) : (accessors.read(primitive.indices, 'SCALAR') as Uint32Array<ArrayBuffer>);
      if (mode > 4) indices = unstripped(indices, mode === 6);
      accessors.spend(4 * local.length + 4 * indices.length);
      const vertices = transformed(local, matrix);
      const count = vertices.length / 3;
      for (let i = 0; i < indices.length; i++) if (indices[i] >= count) throw damaged(`a face names vertex ${indices[i]}, and there are ${count}`);
      merged.push({ positions: vertices, indices: indices.subarray(0, indices.length - (indices.length % 3)), corners: 3, up: 'y' });
      if (merged.length > MOST_PARTS) throw new UplandError('mesh-parts', `This glTF is put together from more than ${MOST_PARTS} parts. Join them first.`);
    }
  };
  const seen = new Set<number>();
  const visit = (nodeIndex: number, parent: number[], depth: number) => {
    const node = gltf.nodes?.[nodeIndex];
    if (!node) throw damaged(`the node ${numbered(nodeIndex)} is missing`);
    if (depth > MOST_DEPTH) throw damaged('its nodes are nested without an end');
    // A node hangs from one other at the most (glTF 2.0, 3.5.3).
    if (seen.has(nodeIndex)) throw damaged(`the node ${numbered(nodeIndex)} hangs from two others, or from itself`);
    seen.add(nodeIndex);
    const matrix = multiply(parent, localMatrix(node));
    if (node.mesh !== undefined) take(node.mesh, matrix);
    for (const child of node.children ?? []) visit(child, matrix, depth + 1);
  };
  // Without a scene all nodes that hang from no other are meant; without nodes the meshes themselves.
  const below = new Set(gltf.nodes?.flatMap((node) => node?.children ?? []));
  const roots = gltf.scenes?.[gltf.scene ?? 0]?.nodes ?? gltf.nodes?.map((_, i) => i).filter((i) => !below.has(i));
  for (const root of roots ?? []) visit(root, IDENTITY, 0);
  if (!gltf.nodes?.length) gltf.meshes?.forEach((_, i) => take(i, IDENTITY));

  if (!merged.some((part) => part.indices.length > 0)) throw new UplandError('no-faces', 'This glTF has no triangles in its scene.');
  return mergeMeshes(merged);
}

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

function counted(count: number): Uint32Array<ArrayBuffer> {
  const out = new Uint32Array(count);
  for (let i = 0; i < count; i++) out[i] = i;
  return out;
}

/** The triangles of a strip or a fan. */
function unstripped(strip: Uint32Array, fan: boolean): Uint32Array<ArrayBuffer> {
  const out = new Uint32Array(Math.max(0, strip.length - 2) * 3);
  for (let i = 0, o = 0; i + 2 < strip.length; i++, o += 3) {
    const [a, b] = fan ? [0, i + 1] : i % 2 ? [i + 1, i] : [i, i + 1];
    out[o] = strip[a];
    out[o + 1] = strip[b];
    out[o + 2] = strip[i + 2];
  }
  return out;
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

function transformed(positions: Float32Array, m: number[]): Float32Array<ArrayBuffer> {
  const out = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i], positions[i + 1], positions[i + 2]];
    for (let k = 0; k < 3; k++) out[i + k] = m[k] * x + m[4 + k] * y + m[8 + k] * z + m[12 + k];
  }
  return out;
}
