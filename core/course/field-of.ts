import { makeField, type Field } from '../field/field';
import type { Ground } from '../field/ground';
import { VOID } from '../steps/mend/fill-voids';
import type { Layers } from '../steps/step';

/** What an evaluation, or one of its stages, has to say of the ground. */
interface WorkedOut {
  ground: Ground;
  height: Float32Array<ArrayBuffer>;
  layers: Layers;
}

/**
 * The one way from what was worked out to a field: with the terrain's sea, and without the
 * samples that no file gave a height and no step has filled.
 */
export function fieldOf({ ground, height, layers }: WorkedOut, { sea }: Pick<Ground, 'sea'>): Field {
  return makeField({ ...ground, sea }, height, validOf(layers));
}

/** 1 where a sample has a height; undefined where all have. */
export function validOf(layers: Layers): Uint8Array<ArrayBuffer> | undefined {
  const holes = layers[VOID];
  if (!holes?.some((h) => h > 0.5)) return undefined;
  const valid = new Uint8Array(holes.length);
  for (let i = 0; i < valid.length; i++) valid[i] = holes[i] > 0.5 ? 0 : 1;
  return valid;
}
