import type { Ground } from '../field/ground';
import { sha256OfText } from '../field/hash';
import { VERSION } from '../kernels/generated/binaries';
import type { Course, StepUse } from './schema';
import { canonical } from './settings';

/** Changes whenever the same course would give other bytes. */
const CORE_VERSION = 6;

/** The key of the level ground that every line of a course begins with; `like`: the ground whose grids the weathering takes up. */
export function levelKey({ width, depth, across, down, registration, datum }: Ground, like?: Ground): Promise<string> {
  const others = like ? [like.across, like.down, like.registration] : [];
  return sha256OfText(JSON.stringify([CORE_VERSION, VERSION, width, depth, across, down, registration, datum, ...others]));
}

/** A step without what it is called by. */
const partsOf = ({ id: _id, name: _name, where: { masks, ...where }, ...use }: StepUse) => ({
  ...use,
  where: { ...where, masks: masks.map(({ id: _mask, ...mask }) => mask) },
});

/** A key of the ground that a course comes to at its own samples: another one wherever that could be another ground. */
export async function groundKey({ ground, stem, tributaries, assets, rock }: Course): Promise<string> {
  const lines = [stem.map(partsOf), tributaries.map(({ id, steps }) => [id, steps.map(partsOf)])];
  return sha256OfText(JSON.stringify([await levelKey(ground), ground.sea, canonical([lines, assets, rock ?? null])]));
}
