import { UplandError } from '../errors';
import { sculpt } from './hand/sculpt';
import { shift } from './range/shift';
import { stretch } from './range/stretch';
import { flat } from './source/flat';
import { noise } from './source/noise';
import { raster } from './source/raster';
import type { Step } from './step';
import { talus } from './weather/talus';

/** Every step there is, in the order they are offered. */
export const steps: readonly Step[] = [flat, noise, raster, talus, sculpt, shift, stretch] as unknown as readonly Step[];

const byId = new Map(steps.map((step) => [step.id, step]));

/** The step with this id; says which there are when there is none. */
export function stepById(id: string): Step {
  const step = byId.get(id);
  if (!step) {
    throw new UplandError('unknown-step', `There is no step "${id}". There are: ${steps.map((s) => s.id).join(', ')}.`, { id });
  }
  return step;
}
