import { UplandError } from '../../errors';
import type { Kernels } from '../../kernels/pool';
import { mergeMeshes } from '../mesh';
import type { MeshFrame, Model } from '../model/model';
import type { MeshFile, MeshFormat, MeshOptions, Textures } from './types';

/** What a model is written as: one file, and those that belong beside it. Throws `mesh-frame` where the format has other axes. */
export async function writeModel(
  format: MeshFormat,
  model: Model,
  name: string,
  textures: Textures = {},
  options: MeshOptions = {},
  kernels?: Kernels,
): Promise<MeshFile[]> {
  refuseAxes(format, model);
  return format.write(model, name, textures, options, kernels);
}

/** Throws `mesh-frame` where a format has other axes than the model. */
export function refuseAxes(format: MeshFormat, model: Model): void {
  const refused = axesRefused(format, model.frame);
  if (refused) throw new UplandError('mesh-frame', refused);
}

/** Why a format cannot hold a mesh in a frame, as a sentence; undefined where it can. */
export function axesRefused({ axes }: MeshFormat, { up, handed }: Pick<MeshFrame, 'up' | 'handed'>): string | undefined {
  return !axes || (axes.up === up && axes.handed === handed) ? undefined : axes.reason;
}

/** For formats that hold one mesh: the model's grounds as one, in one file. */
export const writeJoined =
  (format: () => MeshFormat): MeshFormat['write'] =>
  async ({ parts }, name) => {
    const { endings, mediaType, encode } = format();
    const own = mergeMeshes(parts.filter((p) => p.kind === 'ground').map((p) => p.mesh));
    return [{ name: `${name}${endings[0]}`, bytes: encode(own, name), mediaType }];
  };
