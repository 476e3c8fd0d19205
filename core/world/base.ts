import { begunAt, evaluate, maskAt, type EvaluateOptions, type Stage } from '../course/evaluate';
import type { StepResult } from '../course/run-step';
import type { MapSpec } from '../course/recipe';
import { linesOf, settingsOf, type Course, type StepUse } from '../course/schema';
import { reachOfWhere } from '../course/where';
import { UplandError } from '../errors';
import { sameSamples, type Ground } from '../field/ground';
import { statistics } from '../field/statistics';
import { stepById } from '../steps';
import type { Layers } from '../steps/step';
import { finerGridsOf } from './plan';
import { baseOfMaps, type BaseCover, type BaseMap } from './base-maps';

/**
 * How a step is worked out in tiles. `window`: from what lies around a tile, bit for bit as over the whole ground. `mask`: the same,
 * but where it acts is known by the whole ground alone. `whole`: it knows the whole ground, so that what it does is taken from there.
 */
export type Way = 'window' | 'mask' | 'whole';

export function wayOf(use: StepUse, ground: Ground): Way {
  const step = stepById(use.step);
  if (step.reach(settingsOf(use) as never, ground) === Infinity || use.hold !== 'none') return 'whole';
  return reachOfWhere(use.where, ground) === Infinity ? 'mask' : 'window';
}

/** What is known of one step by the whole ground at fewer samples. */
export interface BaseStage {
  /** The ground before it, and what it does to it, metres. */
  before?: Float32Array<ArrayBuffer>;
  change?: Float32Array<ArrayBuffer>;
  /** The layers that it leaves. */
  layers?: Layers;
  /** The same with finer grids still to come, where its grids share the time. */
  begun?: { change: Float32Array<ArrayBuffer>; layers: Layers };
  /** Where it acts, 0 to 1. */
  weights?: Float32Array<ArrayBuffer>;
}

/** What the tiles of a world take from the whole ground, worked out at fewer samples. */
export interface WorldBase {
  ground: Ground;
  /** Its lowest and highest height, metres. */
  range: { low: number; high: number };
  /** By the ids of the steps that know the whole ground, or whose masks do. */
  stages: Map<string, BaseStage>;
  /** What the world's maps are by the whole ground, in their order, and of its cover what knows it. */
  maps: BaseMap[];
  cover: BaseCover;
}

/** Whether some step of a course needs the whole ground. */
export const needsBase = (course: Course, ground: Ground): boolean =>
  linesOf(course).some((line) => line.steps.some((use) => use.on && wayOf(use, ground) !== 'window'));

/** What a world is made of, so far as its base has to know. */
interface WorldOfBase {
  world: Ground;
  maps: readonly MapSpec[];
  /** Weather goes on from the base to the world's own samples. */
  fine: boolean;
}

/** Works the whole ground out at its base's samples and keeps what the tiles of a world and their maps need of it. Refuses a course with a step that cannot be done. */
export async function workBase(
  course: Course,
  ground: Ground,
  { world, maps, fine }: WorldOfBase,
  options: Omit<EvaluateOptions, 'ground'>,
): Promise<WorldBase> {
  // At fewer samples than its own the terrain is the ground that was seen, with less detail.
  const seen = sameSamples(ground, course.ground) ? undefined : await evaluate(course, { ...options, ground: course.ground, everyLine: true });
  const finerGrids = fine ? finerGridsOf(ground, world) : 0;
  const evaluation = await evaluate(course, { ...options, ground, seen, everyLine: true });
  const faulty = evaluation.stages.find((stage) => stage.fault);
  if (faulty) throw new UplandError('step', `The step "${faulty.use.name || stepById(faulty.use.step).title}" cannot be done: ${faulty.fault}`);
  const stages = new Map<string, BaseStage>();
  for (const stage of evaluation.stages) {
    if (!stage.use.on) continue;
    const way = wayOf(stage.use, ground);
    // Where masks know the whole ground, tiles and squares take the weights from it.
    const asked = reachOfWhere(stage.use.where, ground) === Infinity;
    const weights = asked && way !== 'window' ? await maskAt(course, evaluation, stage.use.id, options) : null;
    if (way === 'whole') {
      // Where grids share the time, finer ones go on from where coarser ones stop; steps after it find the ground as it is when all of it is over.
      const stopsEarlier = finerGrids > 0 && refinesUse(stage.use) && stepById(stage.use.step).refines === 'shares';
      const begun = stopsEarlier ? await begunAt(course, evaluation, stage, finerGrids, { ...options, seen, onProgress: undefined }) : undefined;
      stages.set(stage.use.id, { ...whole(stage), ...(begun && { begun: doneBy(stage, begun) }), ...(weights && { weights }) });
    } else if (weights) stages.set(stage.use.id, { weights });
  }
  const { lowest: low, highest: high } = statistics({ ground, height: evaluation.height });
  return { ground, range: { low, high }, stages, ...(await baseOfMaps(maps, course, world, evaluation, options)) };
}

/** Whether a step's weather can go on from what it did to the whole ground; held to a height, it is what the whole ground says. */
export const refinesUse = (use: StepUse): boolean => stepById(use.step).refines !== 'no' && use.strength > 0 && use.hold === 'none';

const whole = (stage: Stage): BaseStage => ({ before: stage.before, ...doneBy(stage, stage) });

function doneBy({ before, layersBefore }: Stage, { height, layers = {} }: StepResult): { change: Float32Array<ArrayBuffer>; layers: Layers } {
  const change = new Float32Array(height.length);
  for (let i = 0; i < change.length; i++) change[i] = height[i] - before[i];
  const own = Object.entries(layers).filter(([name, layer]) => layer !== layersBefore[name]);
  return { change, layers: Object.fromEntries(own) };
}
