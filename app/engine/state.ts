import { evaluate, fieldOf, groundKey, StageCache, stepById, UplandError, type Course, type Evaluation, type Field } from '@upland-cast/core';
import { loadAsset } from '../storage/assets';
import { browserKernels } from './kernels';

const CACHE_BYTES = 768 * 1024 * 1024;

/** Threads of the computation that ended and were started again, since the page was told last. */
let lost = 0;
export const kernels = browserKernels(() => lost++);
// They start beside what else has to come before the first work.
kernels.warm?.();
export const cache = new StageCache(CACHE_BYTES);
export const tools = { kernels, cache };

/** A sentence about threads that ended, once. */
export function toldOfLosses(): string | undefined {
  const some = lost;
  lost = 0;
  return some ? 'A thread of the computation ended and was started again; what it was at was done once more.' : undefined;
}

/** The last full evaluation, for reports and hand work. */
export const state: {
  full?: { course: Course; evaluation: Evaluation };
  /** Before there is one: the end of a course as it was kept, under its key, without what lies between. */
  kept?: { key: string; evaluation: Evaluation };
} = {};

/** The end of a course as far as it is known: the last full evaluation's, or what was kept of it; null: not at all. */
export async function knownEnd(course: Course): Promise<Evaluation | null> {
  const { full, kept } = state;
  if (full) return full.evaluation;
  return kept && kept.key === (await groundKey(course)) ? kept.evaluation : null;
}

/** The end of exactly this course, where it has been worked out or was kept; null: it has to be worked out. */
export async function endOf(course: Course): Promise<Evaluation | null> {
  const { full, kept } = state;
  const key = await groundKey(course);
  if (full && (await groundKey(full.course)) === key) return full.evaluation;
  return kept?.key === key ? kept.evaluation : null;
}

/** The end of the course at the ground's own samples, worked out if it has to be. */
export async function wholeField(course: Course): Promise<Field> {
  // Beside what is worked out for the screen, which goes on.
  const evaluation = await evaluate(course, { kernels, cache, asset: loadAsset });
  const faulty = evaluation.stages.find((s) => s.fault);
  if (faulty) throw new UplandError('step', `The step "${faulty.use.name || stepById(faulty.use.step).title}" cannot be done: ${faulty.fault}`);
  return fieldOf(evaluation, course.ground);
}
