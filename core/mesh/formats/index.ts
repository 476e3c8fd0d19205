import { MeshoptDecoder } from 'meshoptimizer';
import { UplandError } from '../../errors';
import { formats as heightmapFormats } from '../../formats';
import { inMemory } from '../../formats/source';
import { whatItIs } from '../../formats/unreadable';
import type { Kernels } from '../../kernels/pool';
import { mergeMeshes, type Mesh } from '../mesh';
import type { MeshFormat } from './types';
import { glb, gltf } from './gltf/write';
import { obj } from './obj';
import { guessUp } from './obj/read';
import { ply } from './ply';
import { stl } from './stl';

/** Every mesh format, in the order they are tried. */
export const meshFormats: readonly MeshFormat[] = [glb, gltf, ply, stl, obj];

export function meshFormatByName(name: string): MeshFormat {
  const lower = name.toLowerCase();
  const format = meshFormats.find((f) => f.endings.some((ending) => lower.endsWith(ending)));
  if (!format) throw new UplandError('unknown-ending', `"${name}" has no ending of a mesh. Known are ${meshFormats.flatMap((f) => f.endings).join(', ')}.`);
  return format;
}

/** A file that was brought in. */
export interface GivenFile {
  name: string;
  bytes: Uint8Array<ArrayBuffer>;
}

/**
 * Reads a mesh out of one file or several: its parts, each a file of its own, become one mesh;
 * files that another names (the buffers of a glTF) are taken from those beside it. With `kernels` text is read on their threads.
 */
export async function readMeshFiles(files: readonly GivenFile[], kernels?: Kernels): Promise<Mesh> {
  await MeshoptDecoder.ready;
  const beside = new Map(files.map(({ name, bytes }) => [name.toLowerCase(), bytes]));
  const isText = (name: string) => /\.gltf$/i.test(name);
  const meant = files.filter(({ name, bytes }) => isText(name) || meshFormats.some((f) => f.sniff(bytes)));
  // Buffers, materials and pictures come along; anything else is a mistake that is told.
  const strange = files.find(({ name }) => !/\.(bin|mtl|png|jpe?g)$/i.test(name) && !meant.some((m) => m.name === name));
  if (strange || meant.length === 0) return readMesh((strange ?? files[0] ?? { bytes: new Uint8Array(0) }).bytes, beside);
  const meshes: Mesh[] = [];
  for (const { name, bytes } of meant) {
    try {
      meshes.push(isText(name) ? gltf.read(bytes, beside) : await readMeshOn(kernels, bytes, beside));
    } catch (error) {
      if (error instanceof UplandError && files.length > 1) throw new UplandError(error.code, `${name}: ${error.message}`, error.facts);
      throw error;
    }
  }
  const ups = new Set(meshes.map((m) => m.up));
  const all = mergeMeshes(meshes);
  // Parts that differ in what is up: asked of all of them together.
  return ups.size === 1 ? all : { ...all, up: guessUp(all.positions) };
}

/** As `readMesh`, piece by piece on the kernels' threads where the format can. */
async function readMeshOn(kernels: Kernels | undefined, bytes: Uint8Array<ArrayBuffer>, beside: ReadonlyMap<string, Uint8Array<ArrayBuffer>>): Promise<Mesh> {
  const format = kernels && meshFormats.find((f) => f.sniff(bytes));
  return format?.inPieces ? format.inPieces.read(inMemory(bytes), kernels!) : readMesh(bytes, beside);
}

/** Reads a mesh by what its bytes are. */
export function readMesh(bytes: Uint8Array<ArrayBuffer>, beside?: ReadonlyMap<string, Uint8Array<ArrayBuffer>>): Mesh {
  if (bytes.length === 0) throw new UplandError('empty-file', 'This file is empty: it has 0 bytes.');
  const format = meshFormats.find((f) => f.sniff(bytes));
  if (!format) {
    if (heightmapFormats.some((f) => f.sniff(bytes)))
      throw new UplandError('is-a-heightmap', 'This is a heightmap, not a mesh: bring it in as heights, and the Mesh room makes a mesh of them.');
    throw whatItIs(bytes) ?? new UplandError('not-a-mesh', `This is not a mesh that is read here. OBJ, PLY, STL, GLB and glTF are.`);
  }
  try {
    return format.read(bytes, beside);
  } catch (error) {
    if (error instanceof UplandError) throw error;
    throw new UplandError('damaged', `This ${format.title} is damaged: it does not hold together.`, { reason: String(error) });
  }
}
