import { UplandError } from '../../errors';
import type { MeshFrame, Model, ModelPart } from '../model';
import { joined } from '../mesh';
import type { MeshFormat } from './format';
import { glbOf, gltfOf, type GlbOptions } from './glb';
import { objOf } from './obj';

/** PNG pictures that a mesh wears; both laid over the whole ground by its texture coordinates. */
export interface Textures {
  normal?: Uint8Array<ArrayBuffer>;
  colour?: Uint8Array<ArrayBuffer>;
}

export interface MeshFile {
  name: string;
  bytes: Uint8Array<ArrayBuffer>;
  mediaType: string;
}

/** What a model is written as: one file, and those that belong beside it. */
export async function writeModel(format: MeshFormat, model: Model, name: string, textures: Textures = {}, options: GlbOptions = {}): Promise<MeshFile[]> {
  const refused = whyNotAs(format, model.frame);
  if (refused) throw new UplandError('mesh-frame', refused);
  const { parts } = model;
  const file = `${name}${format.endings[0]}`;
  if (format.id === 'glb') return [{ name: file, bytes: await glbOf(parts, name, textures, options), mediaType: format.mediaType }];
  if (format.id === 'gltf') return gltfOf(parts, name, textures, options);
  if (format.id === 'obj') return objOf(parts, name, textures, model.frame);
  // The others hold one mesh.
  const own = joined(parts.filter((p: ModelPart) => p.kind === 'ground').map((p) => p.mesh));
  return [{ name: file, bytes: format.write(own, name), mediaType: format.mediaType }];
}

/** In its binary container or as JSON. */
export const isGltf = ({ id }: Pick<MeshFormat, 'id'>): boolean => id === 'glb' || id === 'gltf';

/** Why a format cannot hold a mesh in a frame, as a sentence; undefined where it can. */
export function whyNotAs(format: MeshFormat, { up, handed }: Pick<MeshFrame, 'up' | 'handed'>): string | undefined {
  if (isGltf(format) && (up !== 'y' || handed !== 'right')) return 'glTF is right-handed with y up (glTF 2.0, 3.4). Choose that, or write OBJ or PLY.';
  if (format.id === 'stl' && (up !== 'z' || handed !== 'right'))
    return 'STL is read right-handed with z up (common practice). Choose that, or write OBJ or PLY.';
  return undefined;
}
