import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { differenceBetween, numbersOf, type Difference, type SideNumbers } from './measure';
import { byCorner, byGeoreference, bySize, layOn, type Laid, type Placement } from './placement';
import { compareFitted, snapped, type FittedComparison } from './verdict';

/** Two sides held against each other. */
export interface SidesCompared {
  /** How they were laid on each other; `fit` as it fits best. */
  laid: Laid | 'fit';
  a: SideNumbers;
  b: SideNumbers;
  between: Difference;
  /** B on A's samples, as it was laid. */
  on: Field;
  fitted?: FittedComparison;
}

/** How two grounds are laid on each other where nothing is said: by the map where both say where they lie, else by their size. */
export function usualLaid(a: Field, b: Field): Laid {
  return byGeoreference(a.ground, b.ground) ? 'georeference' : 'size';
}

/** Where A's samples lie among B's, laid in a way. Refuses what has no answer. */
export function placementOf(a: Field, b: Field, laid: Laid): Placement {
  if (laid === 'georeference') {
    const by = byGeoreference(a.ground, b.ground);
    if (!by) throw new UplandError('no-common-map', 'These two do not say where they lie in the same coordinates: lay them on each other by size, or by fit.');
    return { orientation: 'none', ...by };
  }
  return { orientation: 'none', ...(laid === 'size' ? bySize(a.ground, b.ground) : byCorner(a.ground, b.ground, laid === 'ground')) };
}

/** B's heights on A's scale: what a straight line between them says is taken out. */
function levelled(on: Field, { scale, lift }: FittedComparison['relation']): Field {
  return scale === 0 ? on : { ...on, height: on.height.map((h) => (h - lift) / scale) };
}

/**
 * Holds B against A on A's samples: the numbers of each, what lies between them, and with `fit` what brings B nearest A, in sentences. `metres`:
 * both are known to say how large they are.
 */
export async function compareSides(
  a: Field,
  b: Field,
  { laid, fit = false, metres = false, signal }: { laid?: Laid | 'fit'; fit?: boolean; metres?: boolean; signal?: AbortSignal } = {},
): Promise<SidesCompared> {
  const sides = { a: numbersOf(a), b: numbersOf(b) };
  const fitted = fit || laid === 'fit' ? await compareFitted(a, b, { signal, metres }) : undefined;
  const way = laid ?? usualLaid(a, b);
  const placement = way === 'fit' ? snapped(fitted!.fit, a, b) : placementOf(a, b, way);
  const lying = layOn(a.ground, b, placement);
  const on = way === 'fit' ? levelled(lying, fitted!.relation) : lying;
  if (on.valid && !on.valid.includes(1)) throw new UplandError('no-overlap', 'Laid so, no sample of B lies on A. Lay them on each other by size, or by fit.');
  return { laid: way, ...sides, between: differenceBetween(a, on), on, fitted };
}
