import { MeshoptEncoder } from 'meshoptimizer';
import { LINEAR_OF_CODE } from '../../../colour';
import { UplandError } from '../../../errors';
import { boundsOf, triangleIndices, type Bounds, type Mesh } from '../../mesh';
import type { Model, ModelPart } from '../../model/model';
import type { MeshFile, MeshFormat, MeshOptions, Textures } from '../types';
import { readGlb, readGltf } from './read';

/** How the specification has it (glTF 2.0, 3.4). */
const AXES: MeshFormat['axes'] = {
  up: 'y',
  handed: 'right',
  reason: 'glTF is right-handed with y up (glTF 2.0, 3.4). Choose that, or write OBJ or PLY.',
};

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
  textured: true,
  colours: true,
  options: ['packed', 'quantised'],
  axes: AXES,
  sniff: (b) => b[0] === 0x67 && b[1] === 0x6c && b[2] === 0x54 && b[3] === 0x46,
  read: readGlb,
  encode,
  write: writeGlb,
};

/** glTF 2.0 as JSON. With what belongs to it in files beside it, or all in one with its numbers as a data URL. */
export const gltf: MeshFormat = {
  id: 'gltf',
  title: 'glTF',
  endings: ['.gltf'],
  mediaType: 'model/gltf+json',
  quads: false,
  textured: true,
  colours: true,
  options: ['packed', 'quantised'],
  axes: AXES,
  sniff: (b) => b[0] === 0x7b,
  read: readGltf,
  encode: (mesh, name) => {
    const laid = buildGltf([{ name, mesh, kind: 'ground' }], name, {});
    return jsonFile(laid, `data:application/octet-stream;base64,${base64(concatenated(laid))}`);
  },
  write: writeGltf,
};

function encode(mesh: Mesh, name: string): Uint8Array<ArrayBuffer> {
  return container(buildGltf([{ name, mesh, kind: 'ground' }], name, {}));
}

/** Parts as one GLB: a node each, with what they wear inside the file. */
async function writeGlb({ parts }: Pick<Model, 'parts'>, name: string, textures: Textures, options: MeshOptions): Promise<MeshFile[]> {
  if (options.packed) await MeshoptEncoder.ready;
  return [{ name: `${name}.glb`, bytes: container(buildGltf(parts, name, textures, options)), mediaType: glb.mediaType }];
}

/** Parts as a glTF, with their numbers and pictures in files beside it. */
async function writeGltf({ parts }: Pick<Model, 'parts'>, name: string, textures: Textures, options: MeshOptions): Promise<MeshFile[]> {
  if (options.packed) await MeshoptEncoder.ready;
  const worn = parts.some((p) => p.mesh.uvs) ? textures : {};
  const laid = buildGltf(parts, name, worn, options, name);
  const pictures = (['colour', 'normal'] as const).flatMap((kind) =>
    worn[kind] ? [{ name: pictureName(name, kind), bytes: worn[kind], mediaType: 'image/png' }] : [],
  );
  return [
    { name: `${name}.gltf`, bytes: jsonFile(laid, encodeURIComponent(`${name}.bin`)), mediaType: gltf.mediaType },
    { name: `${name}.bin`, bytes: concatenated(laid), mediaType: 'application/octet-stream' },
    ...pictures,
  ];
}

const pictureName = (name: string, kind: string) => `${name}-${kind}.png`;

interface GltfParts {
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

type Json = Record<string, unknown>;

/** What lies in a glTF's buffers: the bytes, the views of them, and the accessors and pictures that name the views. */
class Contents {
  readonly pieces: Uint8Array[] = [];
  readonly bufferViews: Json[] = [];
  readonly accessors: Json[] = [];
  readonly images: Json[] = [];
  length = 0;
  /** Bytes of all that is packed, once it is unpacked. */
  private unpacked = 0;

  /** `beside`: what the files of pictures are called after; left out: they lie in the binary. */
  constructor(
    readonly packed: boolean,
    private readonly beside?: string,
  ) {}

  private add(bytes: Uint8Array): number {
    const at = this.length;
    this.pieces.push(bytes);
    this.length += (bytes.length + 3) & ~3;
    return at;
  }

  /** An attribute or indices: `kind` of glTF, `stride` in bytes. */
  accessor(data: Numbers, kind: 'SCALAR' | 'VEC2' | 'VEC3' | 'VEC4', stride: number, more: Json = {}, indices = false): number {
    const bytes = new Uint8Array(data.buffer, data.byteOffset, data.byteLength);
    const count = indices ? data.length : bytes.length / stride;
    const view: Json = { target: indices ? 34_963 : 34_962 };
    const uneven = !indices && stride !== { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 }[kind] * data.BYTES_PER_ELEMENT;
    if (this.packed) {
      const mode = indices ? 'TRIANGLES' : 'ATTRIBUTES';
      const own = MeshoptEncoder.encodeGltfBuffer(bytes, count, stride, mode);
      Object.assign(view, { buffer: 1, byteOffset: this.unpacked, byteLength: bytes.length });
      view.extensions = { EXT_meshopt_compression: { buffer: 0, byteOffset: this.add(own), byteLength: own.length, byteStride: stride, mode, count } };
      this.unpacked += (bytes.length + 3) & ~3;
    } else Object.assign(view, { buffer: 0, byteOffset: this.add(bytes), byteLength: bytes.length });
    if (uneven || (this.packed && !indices)) view.byteStride = stride;
    this.bufferViews.push(view);
    this.accessors.push({ bufferView: this.bufferViews.length - 1, componentType: COMPONENT.get(data.constructor), count, type: kind, ...more });
    return this.accessors.length - 1;
  }

  picture(bytes: Uint8Array | undefined, called: string): number | undefined {
    if (!bytes) return undefined;
    if (this.beside !== undefined) return this.images.push({ uri: encodeURIComponent(pictureName(this.beside, called)), name: called }) - 1;
    this.bufferViews.push({ buffer: 0, byteOffset: this.add(bytes), byteLength: bytes.length });
    return this.images.push({ bufferView: this.bufferViews.length - 1, mimeType: 'image/png', name: called }) - 1;
  }

  /** As the JSON has it. */
  get buffers(): Json[] {
    const unpacked = { byteLength: this.unpacked, extensions: { EXT_meshopt_compression: { fallback: true } } };
    return [{ byteLength: this.length }, ...(this.packed ? [unpacked] : [])];
  }
}

/** What the parts are made of: the ground with its pictures, where it has any, and the water. */
function materialsOf(parts: readonly ModelPart[], textures: Textures, contents: Contents) {
  const wears = parts.some((p) => p.mesh.uvs) && (textures.colour || textures.normal);
  const colour = wears ? contents.picture(textures.colour, 'colour') : undefined;
  const normal = wears ? contents.picture(textures.normal, 'normal') : undefined;
  const materials: Json[] = [];
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
  const of = (part: ModelPart): { material?: number } => {
    const material = part.kind === 'water' ? water : part.mesh.uvs ? ground : undefined;
    return material === undefined ? {} : { material };
  };
  return { materials, of, bumped: normal !== undefined };
}

/** Places as 16-bit codes over the whole model's box, and the node that brings them back. */
function quantisedPlaces(positions: Float32Array, whole: Bounds, contents: Contents): { accessor: number; translation: number[]; scale: number[] } {
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
  return { accessor: contents.accessor(codes, 'VEC3', 8, { normalized: true, min: low, max: high }), translation: whole.min, scale: size };
}

/** What a part's vertices have beside their place. `scale`: of the node that its quantised places hang from. */
function attributesOf({ mesh, kind }: ModelPart, bumped: boolean, scale: number[] | undefined, contents: Contents): Record<string, number> {
  const attributes: Record<string, number> = {};
  const normalized = { normalized: true };
  if (mesh.normals) {
    const own = mesh.up === 'y' ? mesh.normals : zUpToYUp(mesh.normals);
    attributes.NORMAL = scale ? contents.accessor(toBytes(own, 3, scale), 'VEC3', 4, normalized) : contents.accessor(own, 'VEC3', 12);
  }
  if (mesh.tangents && kind === 'ground' && bumped) {
    const inverse = scale?.map((v) => 1 / v);
    attributes.TANGENT = inverse ? contents.accessor(toBytes(mesh.tangents, 4, inverse), 'VEC4', 4, normalized) : contents.accessor(mesh.tangents, 'VEC4', 16);
  }
  if (mesh.uvs) {
    const inside = scale && mesh.uvs.every((v) => v >= 0 && v <= 1);
    const codes = inside && Uint16Array.from(mesh.uvs, (v) => Math.round(v * 65_535));
    attributes.TEXCOORD_0 = codes ? contents.accessor(codes, 'VEC2', 4, normalized) : contents.accessor(mesh.uvs, 'VEC2', 8);
  }
  if (mesh.colours) {
    // glTF's vertex colours are linear light; 16 bits hold what 8 bits of sRGB tell apart.
    const own = new Uint16Array((mesh.colours.length / 3) * 4);
    for (let i = 0, o = 0; i < mesh.colours.length; i += 3, o += 4) {
      for (let k = 0; k < 3; k++) own[o + k] = LINEAR_16[mesh.colours[i + k]];
      own[o + 3] = 65_535;
    }
    attributes.COLOR_0 = contents.accessor(own, 'VEC4', 8, normalized);
  }
  return attributes;
}

/** `beside`: what the files of pictures are called after; left out: they lie in the binary. */
function buildGltf(
  parts: readonly ModelPart[],
  name: string,
  textures: Textures,
  { packed = false, quantised = false }: MeshOptions = {},
  beside?: string,
): GltfParts {
  const contents = new Contents(packed, beside);
  const { materials, of: materialOf, bumped } = materialsOf(parts, textures, contents);
  // One grid of codes for all parts, so that their borders stay the same to the bit.
  const whole = quantised ? boundsOfAll(parts.map(({ mesh }) => (mesh.up === 'y' ? mesh.positions : zUpToYUp(mesh.positions)))) : undefined;
  const nodes: Json[] = [];
  const meshes: Json[] = [];
  for (const part of parts) {
    const { mesh } = part;
    const positions = mesh.up === 'y' ? mesh.positions : zUpToYUp(mesh.positions);
    const codes = whole && quantisedPlaces(positions, whole, contents);
    const place = codes?.accessor ?? contents.accessor(positions, 'VEC3', 12, { ...boundsOf(positions) });
    const attributes = { POSITION: place, ...attributesOf(part, bumped, codes?.scale, contents) };
    const indices = triangleIndices(mesh);
    const short = !packed && positions.length / 3 < 65_535;
    const own = short ? Uint16Array.from(indices) : packed ? indices.slice() : indices;
    nodes.push({ mesh: meshes.length, name: part.name, ...(codes && { translation: codes.translation, scale: codes.scale }) });
    meshes.push({ name: part.name, primitives: [{ attributes, indices: contents.accessor(own, 'SCALAR', short ? 2 : 4, {}, true), ...materialOf(part) }] });
  }
  const used = [...(packed ? ['EXT_meshopt_compression'] : []), ...(quantised ? ['KHR_mesh_quantization'] : [])];
  const { images, accessors, bufferViews, buffers, pieces, length } = contents;
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
    buffers,
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

function boundsOfAll(all: Float32Array[]): Bounds {
  const [min, max]: Bounds['min'][] = [
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
const LINEAR_16 = Uint16Array.from({ length: 256 }, (_, code) => Math.round(65_535 * LINEAR_OF_CODE[code]));

/** The numbers in one piece. */
function concatenated({ pieces, length }: GltfParts): Uint8Array<ArrayBuffer> {
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

function jsonFile({ json }: GltfParts, uri: string): Uint8Array<ArrayBuffer> {
  const [numbers, ...others] = json.buffers;
  return new TextEncoder().encode(JSON.stringify({ ...json, buffers: [{ ...numbers, uri }, ...others] }, null, 1)) as Uint8Array<ArrayBuffer>;
}

function base64(bytes: Uint8Array): string {
  let text = '';
  for (let at = 0; at < bytes.length; at += 30_000) text += String.fromCharCode(...bytes.subarray(at, at + 30_000));
  return btoa(text);
}

function container({ json, pieces, length }: GltfParts): Uint8Array<ArrayBuffer> {
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
