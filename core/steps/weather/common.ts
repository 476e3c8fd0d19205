import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { spacingOf, type Ground } from '../../field/ground';
import { boundsOf } from '../../field/statistics';
import type { BedsArgs, BedsInputs } from '../../kernels/programs/beds';
import type { BedTable } from '../../rock/beds';
import { elevation, ratio, tributary } from '../params';
import type { Layers, StepContext, StepInput } from '../step';

/** Settings that say where the rock is hard, by a tributary's heights. */
export const hardnessParams = {
  hardness: tributary({ more: true, label: 'Hardness', help: 'A tributary whose heights say how hard the rock is; none: the same everywhere.' }),
  softAt: elevation(0, { more: true, min: -11_000, max: 9_000, label: 'Soft at', help: 'Where the tributary is this high or lower, all of it gives way.' }),
  hardAt: elevation(100, { more: true, min: -11_000, max: 9_000, label: 'Hard at', help: 'Where the tributary is this high or higher, nothing gives way.' }),
};

/** The same, and how far the terrain's own rock is felt. */
export const wearParams = {
  ...hardnessParams,
  rock: ratio(1, { more: true, label: 'Rock', help: 'How far the terrain’s own rock is felt: its hard beds stand, its soft ones give way.' }),
};

export interface Hardness {
  hardness: string;
  softAt: number;
  hardAt: number;
}

export interface Wear extends Hardness {
  rock: number;
}

export const hardnessInputs = ({ hardness }: Hardness) => ({ tributaries: hardness ? [hardness] : [] });
export const wearInputs = (params: Wear) => ({ ...hardnessInputs(params), rock: params.rock > 0 });

/** The terrain's rock as a step's program takes it; undefined where there is none, or it is not felt. `rise`: the ground comes so far over its highest. */
export async function bedsOf(
  { height }: Field,
  { rock }: Wear,
  context: StepContext,
  rise = 0,
): Promise<(BedsInputs & Pick<BedTable, 'low' | 'step'>) | undefined> {
  if (rock === 0) return undefined;
  const { lowest, highest } = context.begun?.bounds ?? boundsOf(context.seen?.input.height ?? height);
  const reach = 0.25 * (highest - lowest);
  const found = await context.rock({ lowest: lowest - reach, highest: highest + reach + rise });
  if (!found) return undefined;
  const { uplift, sound, table } = found;
  return { uplift, sound, table: table.hardness, low: table.low, step: table.step };
}

/** What a program is told of beds that it is given. */
export const bedsArgs = (beds: Awaited<ReturnType<typeof bedsOf>>, { rock }: Wear): BedsArgs | undefined =>
  beds && { strength: rock, low: beds.low, step: beds.step, entries: beds.table.length, jointed: beds.sound !== undefined };

/** How easily each sample gives way, 0 to 1: the step's mask times one less the hardness; undefined: everywhere. */
export async function easeOf(field: Field, { hardness, softAt, hardAt }: Hardness, context: StepContext): Promise<Float32Array<ArrayBuffer> | undefined> {
  const { mask } = context;
  const { length } = field.height;
  if (mask && mask.length !== length) throw wrongSize('mask', mask.length, length);
  if (!hardness) return mask;
  const rock = await context.tributary(hardness);
  if (rock.length !== length) throw wrongSize('hardness', rock.length, length);
  const span = hardAt - softAt;
  const out = new Float32Array(length);
  for (let i = 0; i < length; i++) {
    const hard = span === 0 ? (rock[i] >= hardAt ? 1 : 0) : Math.min(1, Math.max(0, (rock[i] - softAt) / span));
    out[i] = (1 - hard) * (mask ? mask[i] : 1);
  }
  return out;
}

const wrongSize = (what: string, has: number, needs: number) =>
  new UplandError('size', `The ${what} has ${has} samples and the ground ${needs}. Both have to lie on the same grid.`, { has, needs });

/** The samples of a ground as the weather's programs have them. */
export function samplesOf({ across, down, registration, ...ground }: Ground) {
  const { x, y } = spacingOf({ across, down, registration, ...ground });
  return { across, down, point: registration === 'point', spacingX: x, spacingY: y };
}

/** What a step makes of the ground for its program: here, and at the terrain's own samples where these are others. */
export async function hereAndSeen<T>(input: StepInput, context: StepContext, make: (input: StepInput, context: StepContext) => Promise<T>) {
  const own = await make(input, context);
  const { seen } = context;
  if (!seen) return { args: {}, inputs: own };
  return { args: { seen: samplesOf(seen.context.ground) }, inputs: { ...own, seen: await make(seen.input, seen.context) } };
}

/** The ground after a change, and what was cut and filled, metres. Unchanged samples keep their bits. */
export function changed(height: Float32Array, change: Float32Array): { height: Float32Array<ArrayBuffer>; layers: Layers } {
  const out = new Float32Array(height.length);
  const cut = new Float32Array(height.length);
  const fill = new Float32Array(height.length);
  for (let i = 0; i < height.length; i++) {
    out[i] = height[i] + change[i];
    if (change[i] < 0) cut[i] = -change[i];
    else fill[i] = change[i];
  }
  return { height: out, layers: { cut, fill } };
}
