import { makeField, type Field } from '../field/field';
import { sameSamples, type Ground } from '../field/ground';
import { resample, type Filter } from '../field/resample';
import type { Layers } from '../steps/step';
import { evaluate, type EvaluateOptions, type Evaluation, type Stage } from './evaluate';
import { fieldOf } from './field-of';
import type { Course } from './schema';

/** How a ground comes to another count of samples than the terrain has. */
export type Sampling = 'resampled' | 'worked';

export interface SamplingReport {
  how: Sampling;
  /** The filter of what is resampled. */
  filter: Filter | null;
  /** How far it lies from the ground that was seen, at the terrain's own samples, metres. */
  maxAbs: number;
  rmse: number;
  /** Metres, absolute. */
  lowest: number;
  highest: number;
}

/** As many samples or fewer come of the ground that was seen; more are worked out again. */
export function usualSampling(own: Ground, wanted: Ground): Sampling {
  return wanted.across * wanted.down <= own.across * own.down ? 'resampled' : 'worked';
}

/** Cubic where samples are added; where they are taken away, weighted by area. */
export const filterFor = (own: Ground, wanted: Ground): Filter => (wanted.across < own.across ? 'average' : 'cubic');

/** An evaluation moved to other samples of the same land, layers and stages with it. */
export function resampleEvaluation(evaluation: Evaluation, ground: Ground, { stages = false } = {}): Evaluation {
  const { ground: own } = evaluation;
  const filter = filterFor(own, ground);
  const heights = (height: Float32Array<ArrayBuffer>) => resample(makeField(own, height), ground, filter).height;
  // Layers are depths and areas: they have no datum.
  const plain = (layer: Float32Array<ArrayBuffer>) => resample(makeField({ ...own, datum: 0 }, layer), { ...ground, datum: 0 }, filter).height;
  const layersOf = (layers: Layers): Layers => Object.fromEntries(Object.entries(layers).map(([name, layer]) => [name, plain(layer)]));
  const stageOf = (stage: Stage): Stage => ({
    ...stage,
    key: `${stage.key} at ${ground.across} × ${ground.down}`,
    height: heights(stage.height),
    before: heights(stage.before),
    layers: layersOf(stage.layers),
    layersBefore: layersOf(stage.layersBefore),
  });
  return { ground, height: heights(evaluation.height), layers: layersOf(evaluation.layers), stages: stages ? evaluation.stages.map(stageOf) : [] };
}

/** How far a field lies from the one that was seen, both at the latter's samples. */
export function distanceFromSeen(seen: Field, delivered: Field, how: Sampling): SamplingReport {
  const back = resample(delivered, seen.ground);
  let [sum, most] = [0, 0];
  for (let i = 0; i < seen.height.length; i++) {
    const apart = Math.abs(back.height[i] - seen.height[i]);
    sum += apart * apart;
    if (apart > most) most = apart;
  }
  let [lowest, highest] = [Infinity, -Infinity];
  for (const h of delivered.height) {
    if (h < lowest) lowest = h;
    if (h > highest) highest = h;
  }
  const { datum } = delivered.ground;
  return {
    how,
    filter: how === 'resampled' ? filterFor(seen.ground, delivered.ground) : null,
    maxAbs: most,
    rmse: Math.sqrt(sum / seen.height.length),
    lowest: lowest + datum,
    highest: highest + datum,
  };
}

/**
 * A course at some samples: worked out at them, or resampled from its own; and how far that lies from the ground at the
 * terrain's own samples, where it is another. `stages`: the ground after every step is wanted too.
 */
export async function evaluateAtSamples(
  course: Course,
  ground: Ground,
  how: Sampling | 'auto',
  options: Omit<EvaluateOptions, 'ground'>,
  { stages = false, measure = true } = {},
): Promise<{ evaluation: Evaluation; sampling: SamplingReport | null }> {
  const own = course.ground;
  if (sameSamples(own, ground)) return { evaluation: await evaluate(course, { ...options, ground }), sampling: null };
  const sampling = how === 'auto' ? usualSampling(own, ground) : how;
  const seen = await evaluate(course, { ...options, ground: own });
  const faulty = seen.stages.some((stage) => stage.fault);
  const evaluation = sampling === 'worked' || faulty ? await evaluate(course, { ...options, ground, seen }) : resampleEvaluation(seen, ground, { stages });
  if (faulty || !measure) return { evaluation, sampling: null };
  return { evaluation, sampling: distanceFromSeen(fieldOf(seen, own), fieldOf(evaluation, own), sampling) };
}

/** How far a course laid out at other samples, by itself, lies from the one at its own; null where a step of it has a fault. */
export async function distanceLaidOut(course: Course, ground: Ground, options: Omit<EvaluateOptions, 'ground'>): Promise<SamplingReport | null> {
  const seen = await evaluate(course, options);
  const other = await evaluate({ ...course, ground }, options);
  if ([...seen.stages, ...other.stages].some((stage) => stage.fault)) return null;
  return distanceFromSeen(fieldOf(seen, course.ground), fieldOf(other, ground), 'worked');
}

const FILTER_WORDS: Partial<Record<Filter, string>> = { cubic: 'cubic', average: 'weighted by area' };

/** What was promised of a ground at other samples, in a sentence. */
export function samplingWords(report: SamplingReport, { across, down }: { across: number; down: number }): string {
  const metres = (value: number) => (value > 0 && value < 0.001 ? 'less than a millimetre' : `${Number(value.toPrecision(2))} m`);
  const size = `${across} × ${down}`;
  const apart = `up to ${metres(report.maxAbs)} from the ground you see, ${metres(report.rmse)} root mean square; ${report.lowest.toFixed(1)} to ${report.highest.toFixed(1)} m`;
  return report.how === 'worked'
    ? `Worked out again at ${size}: ${apart}.`
    : `Resampled to ${size} (${FILTER_WORDS[report.filter!] ?? report.filter}): ${apart}.`;
}
