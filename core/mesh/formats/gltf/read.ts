import { MeshoptDecoder } from 'meshoptimizer';
import { quoted, UplandError } from '../../../errors';
import { checkUnpacked } from '../../../formats/limits';
import { mergeMeshes, type Mesh } from '../../mesh';

/** The first four bytes of a GLB, as a little-endian number. */
const MAGIC = 0x46546c67;

const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };

interface View {
  buffer: number;
  byteOffset?: number;
  byteLength: number;
  byteStride?: number;
  extensions?: {
    EXT_meshopt_compression?: { buffer: number; byteOffset?: number; byteLength: number; byteStride: number; count: number; mode: string; filter?: string };
  };
}

/** Values of an accessor that stand in place of others (glTF 2.0, 3.6.2.3). */
interface Sparse {
  count: number;
  indices?: { bufferView?: number; byteOffset?: number; componentType: number };
  values?: { bufferView?: number; byteOffset?: number };
}

interface Gltf {
  asset?: { version?: string };
  scene?: number;
  scenes?: { nodes?: number[] }[];
  nodes?: { mesh?: number; children?: number[]; matrix?: number[]; translation?: number[]; rotation?: number[]; scale?: number[] }[];
  meshes?: { primitives?: { attributes?: Record<string, number>; indices?: number; mode?: number; extensions?: Record<string, unknown> }[] }[];
  accessors?: { bufferView?: number; byteOffset?: number; componentType: number; count: number; type: string; normalized?: boolean; sparse?: Sparse }[];
  bufferViews?: View[];
  buffers?: { byteLength: number; uri?: string }[];
  extensionsRequired?: string[];
}

/** Extensions that are read here, and those that do not touch the form: how it looks, sounds or is lit. */
const READ = ['EXT_meshopt_compression', 'KHR_mesh_quantization'];
const APART =
  /^(KHR_materials_|KHR_texture_|KHR_lights|KHR_animation|KHR_audio|KHR_xmp|KHR_node_|EXT_texture_|EXT_lights|EXT_mesh_features|EXT_structural_metadata|EXT_instance_features|MSFT_texture|MSFT_packing|AGI_|KHR_interactivity)/;

/** A number out of the file, which may be anything. */
const numbered = (index: unknown): string => (typeof index === 'number' ? String(index) : index === undefined ? '(none)' : quoted(String(index)));

const damaged = (what: string) => new UplandError('damaged', `This glTF is damaged: ${what}.`);

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

/** Bytes from a place on, as a DataView takes them. */
const spanOf = (bytes: Uint8Array, from: number): [ArrayBuffer, number, number] => {
  if (!(from >= 0 && from <= bytes.length)) throw damaged('a view ends before its values begin');
  return [bytes.buffer as ArrayBuffer, bytes.byteOffset + from, bytes.length - from];
};

function meshOf(gltf: Gltf, binary: Uint8Array<ArrayBuffer> | undefined, beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>>, own: number): Mesh {
  // Buffers beside it count as its bytes.
  const length = own + [...beside.values()].reduce((sum, bytes) => sum + bytes.length, 0);
  const unknown = (gltf.extensionsRequired ?? []).filter((name) => !READ.includes(name) && !APART.test(String(name)));
  if (unknown.length) throw new UplandError('glb-extension', `This glTF cannot be read without ${quoted(unknown.join(', '), 120)}. Export it uncompressed.`);
  const { version } = gltf.asset ?? {};
  const old = version?.startsWith('1.') || [gltf.meshes, gltf.nodes, gltf.accessors].some((list) => list !== undefined && !Array.isArray(list));
  if (old) throw new UplandError('gltf-version', 'This is a glTF 1.0, which is not read here; 2.0 is. Convert it first.');
  const merged: Mesh[] = [];
  let spent = 0;
  /** Counts the bytes that are made room for: instances and strides can make much out of little. */
  const spend = (bytes: number) => checkUnpacked('glTF', length, (spent += bytes));

  const buffers = new Map<number, Uint8Array>();
  const buffer = (index: number): Uint8Array => {
    let found = buffers.get(index);
    if (!found) buffers.set(index, (found = loadBuffer(index)));
    return found;
  };
  const loadBuffer = (index: number): Uint8Array => {
    const { uri } = gltf.buffers?.[index] ?? {};
    if (uri === undefined && index === 0 && binary) return binary;
    if (uri !== undefined && typeof uri !== 'string') throw damaged('a buffer has no address');
    if (uri?.startsWith('data:')) {
      const text = atob(uri.slice(uri.indexOf(',') + 1));
      const out = new Uint8Array(text.length);
      for (let i = 0; i < out.length; i++) out[i] = text.charCodeAt(i);
      return out;
    }
    const found =
      uri === undefined
        ? undefined
        : beside.get(
            decodeURIComponent(uri)
              .replace(/^.*[\\/]/, '')
              .toLowerCase(),
          );
    if (found) return found;
    throw damaged(uri === undefined ? 'its buffer is missing' : `its buffer is missing; bring ${quoted(uri)} in together with it`);
  };
  const unfolded = new Map<number, Uint8Array>();
  /** The bytes of a view, unpacked where they are packed. */
  const bytesOf = (index: number | undefined): { bytes: Uint8Array; stride?: number } => {
    const v = index === undefined ? undefined : gltf.bufferViews?.[index];
    if (!v) throw damaged(`the view ${numbered(index)} is missing`);
    const packed = v.extensions?.EXT_meshopt_compression;
    const part = (of: { buffer: number; byteOffset?: number; byteLength: number }) => {
      const whole = buffer(of.buffer);
      const from = of.byteOffset ?? 0;
      if (!(from >= 0 && of.byteLength >= 0 && from + of.byteLength <= whole.length)) throw damaged(`the view ${numbered(index)} reaches beyond its buffer`);
      return whole.subarray(from, from + of.byteLength);
    };
    if (!packed) return { bytes: part(v), stride: v.byteStride };
    let own = unfolded.get(index!);
    if (!own) {
      const { count, byteStride, mode, filter } = packed;
      if (!(count >= 0 && byteStride > 0 && byteStride <= 256)) throw damaged(`the view ${numbered(index)} is packed with sizes that cannot be`);
      const source = part(packed);
      spend(count * byteStride);
      // The codec makes at most 1 : 256 or so; refuse before making room.
      if (count * byteStride > 4096 * (source.length + 64)) throw damaged(`the view ${numbered(index)} cannot hold as much as it says`);
      own = new Uint8Array(count * byteStride);
      try {
        MeshoptDecoder.decodeGltfBuffer(own, count, byteStride, source, mode, filter);
      } catch (error) {
        throw damaged(`the view ${numbered(index)} cannot be unpacked (${String(error)})`);
      }
      unfolded.set(index!, own);
    }
    return { bytes: own, stride: packed.mode === 'ATTRIBUTES' ? packed.byteStride : undefined };
  };
  const accessor = (index: number | undefined, type: 'VEC3' | 'SCALAR'): Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer> => {
    const a = index === undefined ? undefined : gltf.accessors?.[index];
    if (!a) throw damaged(`the accessor ${numbered(index)} is missing`);
    if (a.type !== type || !COMPONENT_BYTES[a.componentType]) throw damaged(`the accessor ${numbered(index)} is of a kind that is not read here`);
    const parts = type === 'VEC3' ? 3 : 1;
    if (!(Number.isInteger(a.count) && a.count >= 0)) throw damaged(`the accessor ${numbered(index)} has no count`);
    spend(4 * parts * a.count);
    if (a.bufferView === undefined) {
      if (!a.sparse) throw damaged(`the accessor ${numbered(index)} has no data`);
      return withSparse(parts === 3 ? new Float32Array(a.count * 3) : new Uint32Array(a.count), a, parts, index!);
    }
    const { bytes, stride: own } = bytesOf(a.bufferView);
    const size = COMPONENT_BYTES[a.componentType];
    const stride = own ?? size * parts;
    const start = a.byteOffset ?? 0;
    // A stride of 0 would make any count of vertices out of one.
    if (!(start >= 0) || !(stride >= size * parts) || start + Math.max(0, a.count - 1) * stride + size * parts > bytes.length) {
      throw damaged(`the accessor ${numbered(index)} reaches beyond its buffer`);
    }
    const out = parts === 3 ? new Float32Array(a.count * 3) : new Uint32Array(a.count);
    const at = bytes.byteOffset + start;
    const plain = stride === size * parts && at % 4 === 0;
    if (plain && a.componentType === 5126 && parts === 3) out.set(new Float32Array(bytes.buffer, at, out.length));
    else if (plain && a.componentType === 5125 && parts === 1) out.set(new Uint32Array(bytes.buffer, at, out.length));
    else {
      const data = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
      const get = GET[a.componentType];
      for (let i = 0; i < a.count; i++) for (let k = 0; k < parts; k++) out[i * parts + k] = get(data, start + i * stride + k * size);
      const full = a.normalized ? FULL[a.componentType] : undefined;
      if (full && parts === 3) for (let i = 0; i < out.length; i++) out[i] = Math.max(-1, out[i] / full);
    }
    return a.sparse ? withSparse(out, a, parts, index!) : out;
  };
  const withSparse = <T extends Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer>>(
    out: T,
    { count, componentType, sparse, normalized }: NonNullable<Gltf['accessors']>[number],
    parts: number,
    index: number,
  ): T => {
    const { indices, values, count: n } = sparse!;
    const wrong = () => damaged(`the sparse values of accessor ${numbered(index)} reach beyond their buffer`);
    if (!indices || !values || !(Number.isInteger(n) && n >= 0 && n <= count)) throw wrong();
    const at = new DataView(...spanOf(bytesOf(indices.bufferView).bytes, indices.byteOffset ?? 0));
    const from = new DataView(...spanOf(bytesOf(values.bufferView).bytes, values.byteOffset ?? 0));
    const [wide, size] = [COMPONENT_BYTES[indices.componentType], COMPONENT_BYTES[componentType]];
    if (!wide || n * wide > at.byteLength || n * size * parts > from.byteLength) throw wrong();
    const full = normalized ? FULL[componentType] : undefined;
    for (let k = 0; k < n; k++) {
      const place = GET[indices.componentType](at, k * wide);
      if (!(place >= 0 && place < count)) throw wrong();
      for (let p = 0; p < parts; p++) {
        const value = GET[componentType](from, (k * parts + p) * size);
        out[place * parts + p] = full ? Math.max(-1, value / full) : value;
      }
    }
    return out;
  };

  const take = (mesh: number, matrix: number[]) => {
    const { primitives } = gltf.meshes?.[mesh] ?? {};
    if (!Array.isArray(primitives)) throw damaged(`the mesh ${numbered(mesh)} is missing`);
    for (const primitive of primitives) {
      const mode = primitive.mode ?? 4;
      if (mode < 4) continue;
      const local = accessor(primitive.attributes?.POSITION, 'VEC3') as Float32Array;
      let indices = primitive.indices === undefined ? counted(local.length / 3) : (accessor(primitive.indices, 'SCALAR') as Uint32Array<ArrayBuffer>);
      if (mode > 4) indices = unstripped(indices, mode === 6);
      spend(4 * local.length + 4 * indices.length);
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
const GET: Record<number, (data: DataView, at: number) => number> = {
  5120: (data, at) => data.getInt8(at),
  5121: (data, at) => data.getUint8(at),
  5122: (data, at) => data.getInt16(at, true),
  5123: (data, at) => data.getUint16(at, true),
  5125: (data, at) => data.getUint32(at, true),
  5126: (data, at) => data.getFloat32(at, true),
};
/** What whole numbers are divided by where they are normalised (glTF 2.0, 3.11). */
const FULL: Record<number, number> = { 5120: 127, 5121: 255, 5122: 32_767, 5123: 65_535 };

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
