import { z } from 'zod';
import { quoted, UplandError } from '../errors';
import { imageMask, layerMask, paintedMask, tributaryMask } from './given';
import { defineMask, type MaskKind } from './mask';
import { edgeMask, noiseMask } from './pattern';
import { rockMask } from './rock';
import { aspectMask, curvatureMask, flowMask, heightMask, reliefMask, slopeMask } from './terrain';
import { waterMask } from './water';

/** Every kind of mask there is, in the order they are offered. */
export const maskKinds: readonly MaskKind[] = [
  heightMask,
  slopeMask,
  aspectMask,
  curvatureMask,
  reliefMask,
  flowMask,
  waterMask,
  rockMask,
  noiseMask,
  edgeMask,
  imageMask,
  tributaryMask,
  paintedMask,
  layerMask,
] as unknown as readonly MaskKind[];

const byId = new Map(maskKinds.map((kind) => [kind.id, kind]));

/** The mask with this id; says which there are when there is none. */
export function knownMask(id: string): MaskKind {
  const kind = byId.get(id);
  if (!kind) throw new UplandError('unknown-mask', `There is no mask ${quoted(id)}. There are: ${maskKinds.map((k) => k.id).join(', ')}.`, { id });
  return kind;
}

/** The mask with this id; for one that is not known here one that says so when it is to be weighed. */
export const maskById = (id: string): MaskKind => byId.get(id) ?? unknownMask(id);

function unknownMask(id: string): MaskKind {
  return defineMask({
    id,
    title: `Unknown mask ${quoted(id, 30)}`,
    summary: 'This mask is not known here: it may come from a later version. It is kept as it is.',
    finds: [],
    params: z.looseObject({}),
    weigh: () => {
      throw new UplandError(
        'unknown-mask',
        `There is no mask ${quoted(id)} here; it may come from a later version. It is kept as it is. Switch it off to go on without it.`,
        { id },
      );
    },
  }) as unknown as MaskKind;
}
