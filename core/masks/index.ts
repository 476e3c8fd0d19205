import { UplandError } from '../errors';
import { imageMask, layerMask, paintedMask, tributaryMask } from './given';
import type { MaskKind } from './mask';
import { edgeMask, noiseMask } from './pattern';
import { aspectMask, curvatureMask, flowMask, heightMask, reliefMask, slopeMask } from './terrain';

/** Every kind of mask there is, in the order they are offered. */
export const maskKinds: readonly MaskKind[] = [
  heightMask,
  slopeMask,
  aspectMask,
  curvatureMask,
  reliefMask,
  flowMask,
  noiseMask,
  edgeMask,
  imageMask,
  tributaryMask,
  paintedMask,
  layerMask,
] as unknown as readonly MaskKind[];

const byId = new Map(maskKinds.map((kind) => [kind.id, kind]));

export function maskById(id: string): MaskKind {
  const kind = byId.get(id);
  if (!kind) throw new UplandError('unknown-mask', `There is no mask "${id}". There are: ${maskKinds.map((k) => k.id).join(', ')}.`, { id });
  return kind;
}
