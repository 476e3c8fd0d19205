import { grouped } from '../grouped';
import { throwIfStopped, UplandError } from '../errors';
import { encodeImage } from '../formats/png';
import type { ByteSource } from '../formats/source';
import type { Field } from '../field/field';
import type { Kernels } from '../kernels/pool';
import { boundsOf, faceCount, mergeMeshes, triangleCount, vertexCount, type Bounds, type Mesh } from './mesh';
import { readMeshFiles } from './formats';
import type { MeshFile, MeshFormat, Textures } from './formats/types';
import { refuseAxes, writeModel } from './formats/write';
import { bakeNormals } from './model/bake';
import { modelOf, type Model, type ModelOptions } from './model/model';
import { compareMeshToFieldOnKernels, type MeshError } from './raster/measure';
import { checkMeshSettings, meshFormatOf, ownSegments, type MeshSettings } from './settings';
import { buildSurface } from './surface/build';
import { simplifiedSurface, switchDistance } from './surface/simplify';
import type { MeshSurface } from './surface/surface';

/** Parts across and down. */
export interface MeshSplit {
  across: number;
  down: number;
}

/** Most parts a side that are tried where each may have only so many vertices. */
const MOST_PARTS = 64;

/** Faces across and down of a regular grid, in square cells. */
export const squareSegments = ({ ground }: Field, across: number) => ({ x: across, y: Math.max(1, Math.round((across * ground.depth) / ground.width)) });

/** Faces of the grid that is asked for; at the ground's own density none are named, so that every sample is a vertex. */
function gridSegments(field: Field, { segments, segmentsDown }: MeshSettings): { x: number; y: number } | undefined {
  if (segmentsDown > 0) return { x: segments, y: segmentsDown };
  return segments >= ownSegments(field.ground) ? undefined : squareSegments(field, segments);
}

/** How many parts the settings come to for faces that are known beforehand. */
function splitFor(field: Field, settings: MeshSettings): MeshSplit {
  const { kind, parts, partsAcross, partsDown, partVertices } = settings;
  if (parts === 'count') return { across: partsAcross, down: partsDown };
  if (parts === 'one' || kind !== 'grid') return { across: 1, down: 1 };
  const { x, y } = gridSegments(field, settings) ?? { x: ownSegments(field.ground), y: Math.max(1, field.ground.down - 1) };
  for (let count = 1; count <= Math.min(x, y); count++) {
    if ((Math.ceil(x / count) + 1) * (Math.ceil(y / count) + 1) <= partVertices) return { across: count, down: count };
  }
  return { across: x, down: y };
}

/** The faces that the settings ask for, and the parts that they lie in. Refuses with a sentence what cannot be together. */
export async function surfaceOf(
  field: Field,
  settings: MeshSettings,
  { kernels, signal }: { kernels: Kernels; signal?: AbortSignal },
): Promise<{ surface: MeshSurface; split: MeshSplit }> {
  const { kind, until, faces, maxError, triangles, parts, partVertices } = settings;
  const split = splitFor(field, settings);
  const wanted = until === 'error' ? { maxError } : { triangles };
  const made = (into: MeshSplit) =>
    buildSurface(kernels, field, { kind, faces, segments: gridSegments(field, settings), ...wanted, split: parts === 'one' ? undefined : into, signal });
  if (kind === 'grid' || parts !== 'limit') return { surface: await made(split), split };
  // As many parts as it takes, a little more each time.
  for (let count = 1; count <= MOST_PARTS; count = kind === 'halved' ? 2 * count : count + Math.max(1, Math.floor(count / 3))) {
    await breathe(signal);
    const surface = await made({ across: count, down: count });
    if (largestPart(surface) <= partVertices) return { surface, split: { across: count, down: count } };
  }
  throw new UplandError(
    'parts',
    `Even ${MOST_PARTS} × ${MOST_PARTS} parts have more than ${grouped(partVertices)} vertices each. Allow more, or a larger error.`,
  );
}

/** Vertices of the part with the most. */
function largestPart({ parts, faces, height }: MeshSurface): number {
  const seen = new Int32Array(height.length).fill(-1);
  let most = 0;
  for (const [k, { from, to }] of parts.entries()) {
    let count = 0;
    for (let i = from; i < to; i++) {
      if (seen[faces[i]] === k) continue;
      seen[faces[i]] = k;
      count++;
    }
    most = Math.max(most, count);
  }
  return most;
}

/** What the settings make of a surface. */
export function modelOptionsOf(settings: MeshSettings, colours?: Uint8Array): ModelOptions {
  const { width, depth, strength, zero, base, scale, up, handed, pivot, normals, uvs, edge, edgeLength, water, normalMap } = settings;
  return {
    extent: width > 0 && depth > 0 ? { width, depth } : undefined,
    strength,
    zero,
    base,
    scale,
    up,
    handed,
    pivot,
    normals,
    uvs,
    // Only these hold a mesh of its own beside the ground's.
    water: water && meshFormatOf(settings).textured,
    colours,
    skirt: edge === 'skirt' ? edgeLength : 0,
    closed: edge === 'closed' ? edgeLength : undefined,
    tangents: normalMap > 0,
  };
}

/** Bytes that making and writing a mesh holds at the most, roughly: what lies in memory at once, by what it is made of. */
export function memoryOfMesh(
  vertices: number,
  triangles: number,
  settings: Pick<MeshSettings, 'normals' | 'uvs' | 'colours' | 'normalMap' | 'format'>,
): number {
  const { normals, uvs, colours, normalMap, format } = settings;
  const each = 12 + (normals === 'none' ? 0 : 12) + (uvs === 'none' ? 0 : 8) + (colours ? 3 : 0) + (normalMap ? 16 : 0);
  const shared = normals === 'flat' ? 3 * triangles : vertices;
  const text = format === 'obj' ? 110 * vertices + 45 * triangles : 0;
  // The surface, the mesh, the file, and the file read back.
  return 20 * vertices + 12 * triangles + 3 * (each * shared + 12 * triangles) + 2 * text;
}

/** The ground of a model held against the field; its water, walls and underside lie below. */
export const modelError = (model: Model, field: Field, kernels: Kernels, signal?: AbortSignal): Promise<MeshError> =>
  compareMeshToFieldOnKernels(kernels, mergeMeshes(model.parts.filter((p) => p.kind === 'ground').map((p) => p.mesh)), field, model.frame, signal);

/** One level of detail as it was written: its files, and what they hold, measured on what was read back. */
export interface ExportedLevel {
  /** 0: the mesh itself; each further one has half the triangles of the one before. */
  level: number;
  /** The mesh, then what belongs beside it; what has been stored is not among them. */
  files: MeshFile[];
  model: Model;
  vertices: number;
  faces: number;
  triangles: number;
  /** Parts of the ground. */
  parts: number;
  bytes: number;
  bounds: Bounds;
  error: MeshError;
  /** Metres from where on the error is at most a pixel (1 080 lines, 60°); 0 for the mesh itself. */
  switchDistance: number;
}

export interface ExportMeshOptions {
  kernels: Kernels;
  /** File names without their ending. */
  name: string;
  signal?: AbortSignal;
  /** Told what is done, and the share of the whole that is behind it. */
  progress?: (words: string, share: number) => void;
  /** sRGB bytes at the ground's samples, for the vertices. */
  colours?: Uint8Array;
  /** The ground's colour as a PNG. */
  colourMap?: Uint8Array<ArrayBuffer>;
  /** Where a level's mesh is written to while it is made, for formats that can: it is never whole in memory. */
  store?: (level: number, name: string) => StoredFile | undefined;
}

/** A file that grows at its end, and can be read. */
export interface StoredFile extends ByteSource {
  append(bytes: Uint8Array): void;
}

/**
 * Writes a mesh of the ground, its levels one after the other, each read back and held against the
 * heights that it came from. The one way from heights to mesh files: page, command line and server take it.
 */
export async function* exportMesh(field: Field, settings: MeshSettings, options: ExportMeshOptions): AsyncGenerator<ExportedLevel> {
  checkMeshSettings(settings);
  const { kernels, name, signal, progress = () => undefined, colours, colourMap, store } = options;
  const { levels, normalMap, strength, packed, quantised } = settings;
  const format = meshFormatOf(settings);
  progress('Making the faces', 0);
  const { surface: whole } = await surfaceOf(field, settings, { kernels, signal });
  for (let level = 0; level <= levels; level++) {
    // The first level has half of all the triangles.
    const begun = (words: string, part: number) => progress(words, 0.3 + 0.7 * (1 - 2 ** -level + 2 ** (-level - 1) * part));
    begun(level === 0 ? 'Laying out the mesh' : `Level ${level}`, 0);
    await breathe(signal);
    const surface = level === 0 ? whole : await simplifiedSurface(field.ground, whole, 2 ** -level);
    const own = level === 0 ? name : `${name}-level-${level}`;
    const dressing = modelOptionsOf(settings, colours);
    const model = modelOf(field, surface, own, dressing);
    const baked = normalMap > 0 ? bakeNormals(field, surface, { width: normalMap, height: normalMap, strength, extent: dressing.extent }) : undefined;
    const normal = baked && encodeImage({ width: normalMap, height: normalMap, channels: 3, samples: baked.samples });
    begun('Writing', 0.3);
    await breathe(signal);
    const textures = format.textured ? { normal, colour: colourMap } : {};
    const stored = format.inPieces && store?.(level, `${own}${format.endings[0]}`);
    const files = stored
      ? await storeModel(format, model, own, textures, kernels, stored, signal)
      : await writeModel(format, model, own, textures, { packed, quantised }, kernels);
    if (normal && !format.textured) files.push({ name: `${own}-normal.png`, bytes: normal, mediaType: 'image/png' });
    begun('Reading it back', 0.6);
    await breathe(signal);
    const written = stored ? await format.inPieces!.read(stored, kernels) : await readMeshFiles(files, kernels);
    begun('Holding it against the ground', 0.8);
    const error = await compareMeshToFieldOnKernels(kernels, withoutWater(written, model), field, model.frame, signal);
    yield {
      level,
      files,
      model,
      vertices: vertexCount(written),
      faces: faceCount(written),
      triangles: triangleCount(written),
      parts: model.parts.filter((p) => p.kind === 'ground').length,
      bytes: files.reduce((n, f) => n + f.bytes.length, stored?.length ?? 0),
      bounds: boundsOf(written.positions),
      error,
      switchDistance: level === 0 ? 0 : switchDistance(error.maxError),
    };
  }
}

/** Writes a mesh to where it is stored; gives back what belongs beside it. */
async function storeModel(
  format: MeshFormat,
  model: Model,
  name: string,
  textures: Textures,
  kernels: Kernels,
  stored: StoredFile,
  signal: AbortSignal | undefined,
): Promise<MeshFile[]> {
  refuseAxes(format, model);
  for await (const piece of format.inPieces!.write(model, name, textures, kernels)) {
    throwIfStopped(signal);
    stored.append(piece);
  }
  return format.inPieces!.beside(model, name, textures);
}

/** The water's two triangles come last, and are not the ground. */
function withoutWater(written: Mesh, model: Model): Mesh {
  if (!model.parts.some((p) => p.kind === 'water')) return written;
  return { ...written, indices: written.indices.subarray(0, written.indices.length - 6) as Uint32Array<ArrayBuffer> };
}

/** Lets a wish to stop be heard between two pieces of work. */
async function breathe(signal?: AbortSignal): Promise<void> {
  await new Promise((resolve) => setTimeout(resolve));
  throwIfStopped(signal);
}
