import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { TO_LINEAR } from '../../delivery/light';
import { UplandError } from '../../errors';
import { boundsOf, joined, triangleIndices, type Mesh } from '../mesh';
import type { ModelPart } from '../model';
import type { MeshFile, Textures } from './files';
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
  wears: true,
  sniff: (b) => b[0] === 0x67 && b[1] === 0x6c && b[2] === 0x54 && b[3] === 0x46,
  read,
  write,
};

/** glTF 2.0 as JSON. With what belongs to it in files beside it, or all in one with its numbers as a data URL. */
export const gltf: MeshFormat = {
  id: 'gltf',
  title: 'glTF',
  endings: ['.gltf'],
  mediaType: 'model/gltf+json',
  quads: false,
  wears: true,
  sniff: (b) => b[0] === 0x7b,
  read: (bytes, beside = new Map()) => meshOf(jsonOf(bytes), undefined, beside),
  write: (mesh, name) => {
    const laid = laidOut([{ name, mesh, kind: 'ground' }], name, {});
    return jsonFile(laid, `data:application/octet-stream;base64,${base64(gathered(laid))}`);
  },
};

const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };

function write(mesh: Mesh, name: string): Uint8Array<ArrayBuffer> {
  return container(laidOut([{ name, mesh, kind: 'ground' }], name, {}));
}

export interface GlbOptions {
  /** Packed by EXT_meshopt_compression, without loss. */
  packed?: boolean;
  /** Positions in 16 bits, normals in 8, UVs in 16 (KHR_mesh_quantization): what that costs is measured on the file. */
  quantised?: boolean;
}

/** Parts as one GLB: a node each, with what they wear inside the file. */
export async function glbOf(parts: readonly ModelPart[], name: string, textures: Textures = {}, options: GlbOptions = {}): Promise<Uint8Array<ArrayBuffer>> {
  if (options.packed) await MeshoptEncoder.ready;
  return container(laidOut(parts, name, textures, options));
}

/** Parts as a glTF, with their numbers and pictures in files beside it. */
export async function gltfOf(parts: readonly ModelPart[], name: string, textures: Textures = {}, options: GlbOptions = {}): Promise<MeshFile[]> {
  if (options.packed) await MeshoptEncoder.ready;
  const worn = parts.some((p) => p.mesh.uvs) ? textures : {};
  const laid = laidOut(parts, name, worn, options, name);
  const pictures = (['colour', 'normal'] as const).flatMap((kind) =>
    worn[kind] ? [{ name: pictureName(name, kind), bytes: worn[kind], mediaType: 'image/png' }] : [],
  );
  return [
    { name: `${name}.gltf`, bytes: jsonFile(laid, encodeURIComponent(`${name}.bin`)), mediaType: gltf.mediaType },
    { name: `${name}.bin`, bytes: gathered(laid), mediaType: 'application/octet-stream' },
    ...pictures,
  ];
}

const pictureName = (name: string, kind: string) => `${name}-${kind}.png`;

interface Laid {
  json: { buffers: Record<string, unknown>[] } & Record<string, unknown>;
  /** Pieces of the binary chunk, each beginning at a multiple of 4. */
  pieces: Uint8Array[];
  length: number;
}

type Numbers = Float32Array | Uint32Array | Uint16Array | Int16Array | Int8Array | Uint8Array;

const COMPONENT = new Map<unknown, number>([
  [Int8Array, 5120],
  [Uint8Array, 5121],
  [Int16Array, 5122],
  [Uint16Array, 5123],
  [Uint32Array, 5125],
  [Float32Array, 5126],
]);

/** `beside`: what the files of pictures are called after; left out: they lie in the binary. */
function laidOut(parts: readonly ModelPart[], name: string, textures: Textures, { packed = false, quantised = false }: GlbOptions = {}, beside?: string): Laid {
  const pieces: Uint8Array[] = [];
  const bufferViews: Record<string, unknown>[] = [];
  const accessors: Record<string, unknown>[] = [];
  let [length, unpacked] = [0, 0];
  const add = (bytes: Uint8Array): number => {
    const at = length;
    pieces.push(bytes);
    length += (bytes.length + 3) & ~3;
    return at;
  };
  /** An attribute or indices: `kind` of glTF, `stride` in bytes. */
  const accessor = (data: Numbers, kind: 'SCALAR' | 'VEC2' | 'VEC3' | 'VEC4', stride: number, more: Record<string, unknown> = {}, indices = false): number => {
    const bytes = new Uint8Array(data.buffer, data.byteOffset, data.byteLength);
    const count = indices ? data.length : bytes.length / stride;
    const view: Record<string, unknown> = { target: indices ? 34_963 : 34_962 };
    const uneven = !indices && stride !== { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 }[kind] * data.BYTES_PER_ELEMENT;
    if (packed) {
      const mode = indices ? 'TRIANGLES' : 'ATTRIBUTES';
      const own = MeshoptEncoder.encodeGltfBuffer(bytes, count, stride, mode);
      Object.assign(view, { buffer: 1, byteOffset: unpacked, byteLength: bytes.length });
      view.extensions = { EXT_meshopt_compression: { buffer: 0, byteOffset: add(own), byteLength: own.length, byteStride: stride, mode, count } };
      unpacked += (bytes.length + 3) & ~3;
    } else Object.assign(view, { buffer: 0, byteOffset: add(bytes), byteLength: bytes.length });
    if (uneven || (packed && !indices)) view.byteStride = stride;
    bufferViews.push(view);
    accessors.push({ bufferView: bufferViews.length - 1, componentType: COMPONENT.get(data.constructor), count, type: kind, ...more });
    return accessors.length - 1;
  };

  const images: Record<string, unknown>[] = [];
  const texture = (bytes: Uint8Array | undefined, called: string): number | undefined => {
    if (!bytes) return undefined;
    if (beside !== undefined) return images.push({ uri: encodeURIComponent(pictureName(beside, called)), name: called }) - 1;
    bufferViews.push({ buffer: 0, byteOffset: add(bytes), byteLength: bytes.length });
    images.push({ bufferView: bufferViews.length - 1, mimeType: 'image/png', name: called });
    return images.length - 1;
  };
  const wears = parts.some((p) => p.mesh.uvs) && (textures.colour || textures.normal);
  const colour = wears ? texture(textures.colour, 'colour') : undefined;
  const normal = wears ? texture(textures.normal, 'normal') : undefined;
  const materials: Record<string, unknown>[] = [];
  const ground = wears
    ? materials.push({
        name: 'ground',
        pbrMetallicRoughness: { ...(colour === undefined ? {} : { baseColorTexture: { index: colour } }), metallicFactor: 0, roughnessFactor: 1 },
        ...(normal === undefined ? {} : { normalTexture: { index: normal } }),
      }) - 1
    : undefined;
  const water = parts.some((p) => p.kind === 'water')
    ? materials.push({
        name: 'water',
        pbrMetallicRoughness: { baseColorFactor: [0.05, 0.14, 0.16, 0.75], metallicFactor: 0, roughnessFactor: 0.1 },
        alphaMode: 'BLEND',
      }) - 1
    : undefined;

  // One grid of codes for all parts, so that their borders stay the same to the bit.
  const whole = quantised ? boundsOfAll(parts.map(({ mesh }) => (mesh.up === 'y' ? mesh.positions : zUpToYUp(mesh.positions)))) : undefined;
  const nodes: Record<string, unknown>[] = [];
  const meshes: Record<string, unknown>[] = [];
  for (const part of parts) {
    const { mesh } = part;
    const turn = (of: Float32Array) => (mesh.up === 'y' ? of : zUpToYUp(of));
    const attributes: Record<string, number> = {};
    const node: Record<string, unknown> = { mesh: meshes.length, name: part.name };
    const positions = turn(mesh.positions);
    let indices = triangleIndices(mesh);
    if (whole) {
      const size = [0, 1, 2].map((k) => (whole.max[k] > whole.min[k] ? whole.max[k] - whole.min[k] : 1));
      const codes = new Uint16Array((positions.length / 3) * 4);
      const [low, high] = [
        [65_535, 65_535, 65_535],
        [0, 0, 0],
      ];
      for (let i = 0, o = 0; i < positions.length; i += 3, o += 4) {
        for (let k = 0; k < 3; k++) {
          const code = Math.round(((positions[i + k] - whole.min[k]) / size[k]) * 65_535);
          codes[o + k] = code;
          if (code < low[k]) low[k] = code;
          if (code > high[k]) high[k] = code;
        }
      }
      attributes.POSITION = accessor(codes, 'VEC3', 8, { normalized: true, min: low, max: high });
      node.translation = whole.min;
      node.scale = size;
    } else attributes.POSITION = accessor(positions, 'VEC3', 12, { ...boundsOf(positions) });
    if (mesh.normals) {
      const own = turn(mesh.normals);
      attributes.NORMAL = quantised ? accessor(toBytes(own, 3, node.scale as number[]), 'VEC3', 4, { normalized: true }) : accessor(own, 'VEC3', 12);
    }
    if (mesh.tangents && part.kind === 'ground' && normal !== undefined) {
      attributes.TANGENT = quantised
        ? accessor(
            toBytes(
              mesh.tangents,
              4,
              (node.scale as number[]).map((v) => 1 / v),
            ),
            'VEC4',
            4,
            { normalized: true },
          )
        : accessor(mesh.tangents, 'VEC4', 16);
    }
    if (mesh.uvs) {
      const inside = quantised && mesh.uvs.every((v) => v >= 0 && v <= 1);
      attributes.TEXCOORD_0 = inside
        ? accessor(
            Uint16Array.from(mesh.uvs, (v) => Math.round(v * 65_535)),
            'VEC2',
            4,
            { normalized: true },
          )
        : accessor(mesh.uvs, 'VEC2', 8);
    }
    if (mesh.colours) {
      // glTF's vertex colours are linear light; 16 bits hold what 8 bits of sRGB tell apart.
      const own = new Uint16Array((mesh.colours.length / 3) * 4);
      for (let i = 0, o = 0; i < mesh.colours.length; i += 3, o += 4) {
        for (let k = 0; k < 3; k++) own[o + k] = LINEAR_16[mesh.colours[i + k]];
        own[o + 3] = 65_535;
      }
      attributes.COLOR_0 = accessor(own, 'VEC4', 8, { normalized: true });
    }
    if (!packed && positions.length / 3 < 65_535) {
      const short = Uint16Array.from(indices);
      meshes.push({ name: part.name, primitives: [{ attributes, indices: accessor(short, 'SCALAR', 2, {}, true), ...materialOf(part) }] });
    } else {
      if (packed) indices = indices.slice();
      meshes.push({ name: part.name, primitives: [{ attributes, indices: accessor(indices, 'SCALAR', 4, {}, true), ...materialOf(part) }] });
    }
    nodes.push(node);
  }
  function materialOf(part: ModelPart): { material?: number } {
    const material = part.kind === 'water' ? water : part.mesh.uvs ? ground : undefined;
    return material === undefined ? {} : { material };
  }
  const used = [...(packed ? ['EXT_meshopt_compression'] : []), ...(quantised ? ['KHR_mesh_quantization'] : [])];
  const json = {
    asset: { version: '2.0', generator: 'Upland Cast' },
    ...(used.length ? { extensionsUsed: used, extensionsRequired: used } : {}),
    scene: 0,
    scenes: [{ name, nodes: nodes.map((_, i) => i) }],
    nodes,
    meshes,
    ...(materials.length ? { materials } : {}),
    ...(images.length ? { images, textures: images.map((_, source) => ({ source, sampler: 0 })), samplers: [{ wrapS: 33_071, wrapT: 33_071 }] } : {}),
    accessors,
    bufferViews,
    buffers: [{ byteLength: length }, ...(packed ? [{ byteLength: unpacked, extensions: { EXT_meshopt_compression: { fallback: true } } }] : [])],
  };
  return { json, pieces, length };
}

/** Directions in signed bytes, four a vertex, as they have to be before the scale of the node: normals times it, tangents over it. */
function toBytes(directions: Float32Array, each: 3 | 4, scale: number[]): Int8Array {
  const out = new Int8Array((directions.length / each) * 4);
  for (let i = 0, o = 0; i < directions.length; i += each, o += 4) {
    const [x, y, z] = [directions[i] * scale[0], directions[i + 1] * scale[1], directions[i + 2] * scale[2]];
    const length = Math.sqrt(x * x + y * y + z * z) || 1;
    out[o] = Math.round((x / length) * 127);
    out[o + 1] = Math.round((y / length) * 127);
    out[o + 2] = Math.round((z / length) * 127);
    if (each === 4) out[o + 3] = directions[i + 3] * 127;
  }
  return out;
}

function boundsOfAll(all: Float32Array[]) {
  const [min, max] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (const positions of all) {
    const own = boundsOf(positions);
    for (let k = 0; k < 3; k++) [min[k], max[k]] = [Math.min(min[k], own.min[k]), Math.max(max[k], own.max[k])];
  }
  return { min, max };
}

/** Screen values as linear light in 16 bits: IEC 61966-2-1. */
const LINEAR_16 = Uint16Array.from({ length: 256 }, (_, code) => Math.round(65_535 * TO_LINEAR[code]));

/** The numbers in one piece. */
function gathered({ pieces, length }: Laid): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(length);
  place(pieces, out, 0);
  return out;
}

function place(pieces: readonly Uint8Array[], into: Uint8Array, from: number): void {
  let at = from;
  for (const piece of pieces) {
    into.set(piece, at);
    at += (piece.length + 3) & ~3;
  }
}

function jsonFile({ json }: Laid, uri: string): Uint8Array<ArrayBuffer> {
  const [numbers, ...others] = json.buffers;
  return new TextEncoder().encode(JSON.stringify({ ...json, buffers: [{ ...numbers, uri }, ...others] }, null, 1)) as Uint8Array<ArrayBuffer>;
}

function base64(bytes: Uint8Array): string {
  let text = '';
  for (let at = 0; at < bytes.length; at += 30_000) text += String.fromCharCode(...bytes.subarray(at, at + 30_000));
  return btoa(text);
}

function container({ json, pieces, length }: Laid): Uint8Array<ArrayBuffer> {
  let text = JSON.stringify(json);
  text = text.padEnd(text.length + ((4 - (new TextEncoder().encode(text).length % 4)) % 4), ' ');
  const jsonBytes = new TextEncoder().encode(text);
  const size = 12 + 8 + jsonBytes.length + 8 + length;
  if (size >= 2 ** 32) throw new UplandError('mesh-size', 'A GLB holds 4 GiB at the most. Cut the mesh into parts, or pack it.');
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  [0x46546c67, 2, bytes.length, jsonBytes.length, 0x4e4f534a].forEach((v, i) => view.setUint32(i * 4, v, true));
  bytes.set(jsonBytes, 20);
  const at = 20 + jsonBytes.length;
  view.setUint32(at, length, true);
  view.setUint32(at + 4, 0x004e4942, true);
  place(pieces, bytes, at + 8);
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

interface View {
  buffer: number;
  byteOffset?: number;
  byteLength: number;
  byteStride?: number;
  extensions?: {
    EXT_meshopt_compression?: { buffer: number; byteOffset?: number; byteLength: number; byteStride: number; count: number; mode: string; filter?: string };
  };
}

interface Gltf {
  asset?: { version?: string };
  scene?: number;
  scenes?: { nodes?: number[] }[];
  nodes?: { mesh?: number; children?: number[]; matrix?: number[]; translation?: number[]; rotation?: number[]; scale?: number[] }[];
  meshes?: { primitives?: { attributes?: Record<string, number>; indices?: number; mode?: number; extensions?: Record<string, unknown> }[] }[];
  accessors?: { bufferView?: number; byteOffset?: number; componentType: number; count: number; type: string; normalized?: boolean; sparse?: unknown }[];
  bufferViews?: View[];
  buffers?: { byteLength: number; uri?: string }[];
  extensionsRequired?: string[];
}

/** Extensions that are read here. */
const READ = ['EXT_meshopt_compression', 'KHR_mesh_quantization'];
/** Bytes that one packed view may unfold to. */
const MOST_UNPACKED = 2 ** 31;

const damaged = (what: string) => new UplandError('damaged', `This glTF is damaged: ${what}.`);

function read(bytes: Uint8Array<ArrayBuffer>, beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>> = new Map()): Mesh {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
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
    if (kind === 0x4e4f534a) json = jsonOf(body);
    else if (kind === 0x004e4942) binary ??= body;
    at += 8 + length;
  }
  if (!json || typeof json !== 'object') throw damaged('it has no JSON');
  return meshOf(json, binary, beside);
}

function jsonOf(bytes: Uint8Array): Gltf {
  try {
    return JSON.parse(new TextDecoder().decode(bytes)) as Gltf;
  } catch {
    throw damaged('its JSON cannot be read');
  }
}

function meshOf(gltf: Gltf, binary: Uint8Array<ArrayBuffer> | undefined, beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>>): Mesh {
  const unknown = (gltf.extensionsRequired ?? []).filter((name) => !READ.includes(name));
  if (unknown.length) throw new UplandError('glb-extension', `This glTF cannot be read without ${unknown.join(', ')}. Export it uncompressed.`);
  const merged: Mesh[] = [];

  const buffer = (index: number): Uint8Array => {
    const { uri } = gltf.buffers?.[index] ?? {};
    if (uri === undefined && index === 0 && binary) return binary;
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
    throw damaged(uri === undefined ? 'its buffer is missing' : `its buffer is missing; bring ${uri} in together with it`);
  };
  const unfolded = new Map<number, Uint8Array>();
  /** The bytes of a view, unpacked where they are packed. */
  const bytesOf = (index: number | undefined): { bytes: Uint8Array; stride?: number } => {
    const v = index === undefined ? undefined : gltf.bufferViews?.[index];
    if (!v) throw damaged(`the view ${index} is missing`);
    const packed = v.extensions?.EXT_meshopt_compression;
    const part = (of: { buffer: number; byteOffset?: number; byteLength: number }) => {
      const whole = buffer(of.buffer);
      const from = of.byteOffset ?? 0;
      if (!(from >= 0 && of.byteLength >= 0 && from + of.byteLength <= whole.length)) throw damaged(`the view ${index} reaches beyond its buffer`);
      return whole.subarray(from, from + of.byteLength);
    };
    if (!packed) return { bytes: part(v), stride: v.byteStride };
    let own = unfolded.get(index!);
    if (!own) {
      const { count, byteStride, mode, filter } = packed;
      if (!(count >= 0 && byteStride > 0 && byteStride <= 256 && count * byteStride <= MOST_UNPACKED))
        throw damaged(`the view ${index} is packed with sizes that cannot be`);
      const source = part(packed);
      // The codec makes at most 1 : 256 or so; refuse before making room.
      if (count * byteStride > 4096 * (source.length + 64)) throw damaged(`the view ${index} cannot hold as much as it says`);
      own = new Uint8Array(count * byteStride);
      try {
        MeshoptDecoder.decodeGltfBuffer(own, count, byteStride, source, mode, filter);
      } catch (error) {
        throw damaged(`the view ${index} cannot be unpacked (${String(error)})`);
      }
      unfolded.set(index!, own);
    }
    return { bytes: own, stride: packed.mode === 'ATTRIBUTES' ? packed.byteStride : undefined };
  };
  const accessor = (index: number | undefined, type: 'VEC3' | 'SCALAR'): Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer> => {
    const a = index === undefined ? undefined : gltf.accessors?.[index];
    if (!a) throw damaged(`the accessor ${index} is missing`);
    if (a.type !== type || !COMPONENT_BYTES[a.componentType] || a.sparse) throw damaged(`the accessor ${index} is of a kind that is not read here`);
    if (a.bufferView === undefined) throw damaged(`the accessor ${index} has no data`);
    const parts = type === 'VEC3' ? 3 : 1;
    const { bytes, stride: own } = bytesOf(a.bufferView);
    const size = COMPONENT_BYTES[a.componentType];
    const stride = own ?? size * parts;
    const start = a.byteOffset ?? 0;
    if (!(a.count >= 0) || !(start >= 0) || !(stride >= 0) || start + Math.max(0, a.count - 1) * stride + size * parts > bytes.length) {
      throw damaged(`the accessor ${index} reaches beyond its buffer`);
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
    return out;
  };

  const visit = (nodeIndex: number, parent: number[], depth: number) => {
    const node = gltf.nodes?.[nodeIndex];
    if (!node) throw damaged(`the node ${nodeIndex} is missing`);
    if (depth > 64) throw damaged('its nodes are nested without an end');
    const matrix = multiply(parent, localMatrix(node));
    for (const primitive of node.mesh === undefined ? [] : (gltf.meshes?.[node.mesh]?.primitives ?? [])) {
      const mode = primitive.mode ?? 4;
      if (mode < 4) continue;
      const local = accessor(primitive.attributes?.POSITION, 'VEC3') as Float32Array;
      let indices = primitive.indices === undefined ? counted(local.length / 3) : (accessor(primitive.indices, 'SCALAR') as Uint32Array<ArrayBuffer>);
      if (mode > 4) indices = unstripped(indices, mode === 6);
      const vertices = transformed(local, matrix);
      const count = vertices.length / 3;
      for (let i = 0; i < indices.length; i++) if (indices[i] >= count) throw damaged(`a face names vertex ${indices[i]}, and there are ${count}`);
      merged.push({ positions: vertices, indices: indices.subarray(0, indices.length - (indices.length % 3)), corners: 3, up: 'y' });
    }
    for (const child of node.children ?? []) visit(child, matrix, depth + 1);
  };
  const roots = gltf.scenes?.[gltf.scene ?? 0]?.nodes ?? gltf.nodes?.map((_, i) => i) ?? [];
  for (const root of roots) visit(root, IDENTITY, 0);

  if (!merged.some((part) => part.indices.length > 0)) throw new UplandError('no-faces', 'This GLB has no triangles in its scene.');
  return joined(merged);
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
