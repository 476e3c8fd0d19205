import { StoppedError, sentenceOf, throwIfStopped, UplandError } from '../errors';
import { flatField, type Field } from '../field/field';
import type { Ground } from '../field/ground';
import { sha256OfText } from '../field/hash';
import { VERSION } from '../kernels/generated/binaries';
import type { Kernels } from '../kernels/pool';
import { stepById } from '../steps';
import { paramsOf } from '../steps/params';
import type { Layers, Step } from '../steps/step';
import type { StageCache } from './cache';
import { joinStage } from './join';
import { settingsOf, type Course, type StepUse } from './schema';

/** Changes whenever the same course would give other bytes. */
const CORE_VERSION = 1;

export interface EvaluateOptions {
  kernels: Kernels;
  /** The ground to work on: the course's own, or one of other sample counts. */
  ground?: Ground;
  /** What the course begins with; left out: level ground at 0 m. Its height is not part of any key, so it goes without a cache. */
  from?: Field;
  cache?: StageCache;
  signal?: AbortSignal;
  /** The bytes of an asset. Rejects when there is none. */
  asset?: (sha256: string) => Promise<Uint8Array<ArrayBuffer>>;
  onProgress?: (progress: { use: StepUse; index: number; count: number; share: number }) => void;
  onStage?: (stage: Stage, index: number) => void;
}

/** The ground as it stands after one step. */
export interface Stage {
  use: StepUse;
  key: string;
  height: Float32Array<ArrayBuffer>;
  /** What the step was given. */
  before: Float32Array<ArrayBuffer>;
  /** Layers of this and earlier steps, metres. */
  layers: Layers;
  /** Milliseconds; 0 where it came from the cache or is off. */
  took: number;
  cached: boolean;
  /** Why the step could not be done; the ground is then what it was given. */
  fault?: string;
}

export interface Evaluation {
  ground: Ground;
  stages: Stage[];
  /** The end of the stem, metres above the datum. */
  height: Float32Array<ArrayBuffer>;
}

/**
 * Works out a course: a pure function of the course, its assets and the sample counts, bit for
 * bit the same in every engine and with any number of threads. A step that cannot be done is
 * left out with a sentence, and the rest goes on from the last good stage.
 */
export async function evaluate(course: Course, options: EvaluateOptions): Promise<Evaluation> {
  const ground = options.ground ?? course.ground;
  // The key of the level ground that every course begins with.
  const { width, depth, across, down, registration, datum } = ground;
  let key = await sha256OfText(JSON.stringify([CORE_VERSION, VERSION, width, depth, across, down, registration, datum]));
  let height = (options.from ?? flatField(ground, 0)).height;
  let layers: Layers = {};
  const stages: Stage[] = [];

  for (const [index, use] of course.stem.entries()) {
    throwIfStopped(options.signal);
    const before = height;
    const stage: Stage = { use, key, height, before, layers, took: 0, cached: false };
    if (use.on) {
      try {
        await workOut(stage, index, course.stem.length, ground, options);
      } catch (error) {
        if (error instanceof StoppedError || options.signal?.aborted) throw new StoppedError();
        stage.fault = sentenceOf(error);
      }
    }
    ({ key, height, layers } = stage);
    stages.push(stage);
    options.onStage?.(stage, index);
  }
  return { ground, stages, height };
}

async function workOut(stage: Stage, index: number, count: number, ground: Ground, options: EvaluateOptions): Promise<void> {
  const { use, before } = stage;
  const step = stepById(use.step);
  const settings = settingsOf(use);
  if (!step.joins.includes(use.join)) {
    throw new UplandError('join', `${step.title} cannot be joined by "${use.join}". It can by: ${step.joins.join(', ')}.`);
  }
  const key = await sha256OfText(JSON.stringify([stage.key, step.id, canonical(settings), use.strength, use.join]));
  const cached = options.cache?.get(key);
  if (cached) {
    Object.assign(stage, { key, height: cached.height, layers: { ...stage.layers, ...cached.layers }, cached: true, took: cached.took });
    return;
  }

  const began = performance.now();
  const declared = new Set(step.inputs(settings as never).assets);
  const output = await step.run({ ground, height: before }, toDatum(step, settings, ground) as never, {
    ground,
    kernels: options.kernels,
    signal: options.signal,
    progress: (share) => options.onProgress?.({ use, index, count, share }),
    asset: (sha) => {
      if (!declared.has(sha)) throw new UplandError('undeclared-asset', `${step.title} reads an asset that it did not declare.`);
      if (!options.asset) throw new UplandError('missing-asset', `${step.title} needs the asset ${sha.slice(0, 12)}…, and there are none here.`);
      return options.asset(sha);
    },
  });
  throwIfStopped(options.signal);
  const height = joinStage(before, output.height, use.join, use.strength, step.gives, ground);
  const took = performance.now() - began;
  options.cache?.set(key, { height, layers: output.layers, took });
  Object.assign(stage, { key, height, layers: { ...stage.layers, ...output.layers }, took });
}

/** Settings with elevations counted from the ground's datum. */
function toDatum(step: Step, settings: Record<string, unknown>, ground: Ground): Record<string, unknown> {
  if (ground.datum === 0) return settings;
  const moved = { ...settings };
  for (const { key, meta } of paramsOf(step.params)) {
    if (meta.kind === 'elevation') moved[key] = (settings[key] as number) - ground.datum;
  }
  return moved;
}

/** JSON with the keys of every object in order, so that equal settings have equal text. */
function canonical(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(canonical);
  if (value && typeof value === 'object') {
    return Object.fromEntries(
      Object.entries(value)
        .sort(([a], [b]) => (a < b ? -1 : 1))
        .map(([k, v]) => [k, canonical(v)]),
    );
  }
  return value;
}
