import { UplandError } from '../../errors';
import type { Mesh } from '../mesh';
import type { MeshFormat } from './format';
import { glb } from './glb';
import { obj } from './obj';
import { ply } from './ply';
import { stl } from './stl';

/** Every mesh format, in the order they are tried. */
export const meshFormats: readonly MeshFormat[] = [glb, ply, stl, obj];

export function meshFormatByName(name: string): MeshFormat {
  const lower = name.toLowerCase();
  const format = meshFormats.find((f) => f.endings.some((ending) => lower.endsWith(ending)));
  if (!format) throw new UplandError('unknown-ending', `"${name}" has no ending of a mesh. Known are ${meshFormats.flatMap((f) => f.endings).join(', ')}.`);
  return format;
}

/** Reads a mesh by what its bytes are. */
export function readMesh(bytes: Uint8Array<ArrayBuffer>): Mesh {
  if (bytes.length === 0) throw new UplandError('empty-file', 'This file is empty: it has 0 bytes.');
  const format = meshFormats.find((f) => f.sniff(bytes));
  if (!format) throw new UplandError('not-a-mesh', `This is not a mesh that is read here. OBJ, PLY, STL and GLB are.`);
  try {
    return format.read(bytes);
  } catch (error) {
    if (error instanceof UplandError) throw error;
    throw new UplandError('damaged', `This ${format.title} is damaged: it does not hold together.`, { reason: String(error) });
  }
}
