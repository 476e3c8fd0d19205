import { quoted, sentenceOf, StoppedError, throwIfStopped, UplandError } from '../errors';
import type { Field } from '../field/field';
import { sameSamples, spacingOf, type Ground } from '../field/ground';
import { GAUSSIAN_ALIGN } from '../field/gaussian';
import { sha256OfText } from '../field/hash';
import { growWindow, isWhole, pasteSamples, union, wholeOf, type Window } from '../field/window';
import type { Kernels } from '../kernels/pool';
import type { InterimState } from '../kernels/program';
import { stepById } from '../steps';
import type { Layers, Step, StepContext, StepInputs } from '../steps/step';
import { VOID } from '../steps/mend/fill-voids';
import { handed, pieceOf, runStep, type Piece, type StepResult, type Surroundings } from './run-step';
import type { CachedStage, KeptStages, StageCache } from './cache';
import { levelKey } from './ground-key';
import { HOLDS, inputsOf, linesOf, loopSentence, settingsOf, stepUse, type Course, type CourseLine, type StepUse } from './schema';
import { canonical } from './settings';
import { keyOfWhere, reachOfWhere, weightsOf, type Where } from './where';

export interface EvaluateOptions {
  kernels: Kernels;
  /** The ground to work on: the course's own, or one of other sample counts. */
  ground?: Ground;
  /** What the stem begins with; left out: level ground at 0 m. Its height is not part of any key, so it goes without a cache. */
  from?: Field;
  cache?: StageCache;
  /** Where stages that took long are looked for, and handed to, past this process. */
  kept?: KeptStages;
  signal?: AbortSignal;
  /** The bytes of an asset. Rejects when there is none. */
  asset?: (sha256: string) => Promise<Uint8Array<ArrayBuffer>>;
  onProgress?: (progress: { use: StepUse; index: number; count: number; share: number }) => void;
  onStage?: (stage: Stage, index: number) => void;
  /** Ends the step that is worked on at its next round and keeps what there is, where it can; later steps run whole. */
  halt?: AbortSignal;
  /** Long work as it stands, twice a second: the ground on fewer samples. */
  onStanding?: (standing: { use: StepUse; field: Field }) => void;
  /** Also the tributaries that nothing reads. */
  everyLine?: boolean;
  /** The stem is worked out up to this step only (and the lines that it reads). */
  upTo?: string;
  /**
   * An earlier evaluation of the same terrain at the same samples. Where a step was changed in a
   * rectangle only, the steps after it are worked out in that rectangle, grown by their reach.
   */
  previous?: Evaluation;
  /**
   * The same course at the terrain's own samples, where these are others: weathering makes the grids that both have in common
   * from it, so that what is worked out again is the ground that was seen, with more or less detail.
   */
  seen?: Evaluation;
}

/** The ground as it stands after one step. */
export interface Stage {
  use: StepUse;
  /** The id of the tributary it stands on; empty on the stem. */
  line: string;
  /** The id of the step before it on its line; empty for the first. */
  after: string;
  key: string;
  height: Float32Array<ArrayBuffer>;
  /** What the step was given. */
  before: Float32Array<ArrayBuffer>;
  /** Layers of this and earlier steps, metres. */
  layers: Layers;
  layersBefore: Layers;
  /** Milliseconds; what it took when it was worked out, also where it came from the cache. */
  took: number;
  cached: boolean;
  /** The samples that were worked out anew, where it was not all of them. */
  touched?: Window;
  /** How its assets were read, and the sea level where it was. */
  readings?: string;
  sea?: number;
  /** The terrain's rock, where it was read. */
  rock?: string;
  /** It was ended early: the settings with which it ends at the same place again. */
  reached?: Record<string, unknown>;
  /** Why the step could not be done; the ground is then what it was given. */
  fault?: string;
  /** What the person should know beside the result. */
  words: string[];
}

export interface Evaluation {
  ground: Ground;
  /** The stages of all lines that were worked out. */
  stages: Stage[];
  /** The end of the stem, metres above the datum. */
  height: Float32Array<ArrayBuffer>;
  layers: Layers;
}

interface LineEnd {
  key: string;
  height: Float32Array<ArrayBuffer>;
  layers: Layers;
  /** Where the end differs from the previous evaluation's: null nowhere. */
  dirty: Dirty;
}

type Dirty = Window | null | 'everywhere';

/**
 * Works out a course: a pure function of the course, its assets and the sample counts, bit for
 * bit the same in every engine and with any number of threads. A step that cannot be done is
 * left out with a sentence, and the rest goes on from the last good stage.
 */
export async function evaluate(course: Course, options: EvaluateOptions): Promise<Evaluation> {
  return new Run(course, options).whole();
}

/** Where a step acts as its stage in an evaluation has it, 0 to 1; null: everywhere. */
export async function maskAt(course: Course, evaluation: Evaluation, id: string, options: EvaluateOptions): Promise<Float32Array<ArrayBuffer> | null> {
  const stage = evaluation.stages.find((s) => s.use.id === id);
  if (!stage) return null;
  return new Run(course, { ...options, ground: evaluation.ground }).maskOf(stage);
}

/** What weather makes of the ground that a stage was given, with so many finer grids still to come. Without a cache: nothing of it is in any key. */
export async function begunAt(course: Course, evaluation: Evaluation, stage: Stage, finerGrids: number, options: EvaluateOptions): Promise<StepResult> {
  return new Run(course, { ...options, ground: evaluation.ground, onStage: undefined }).again(stage, finerGrids);
}

/** The weights of masks over the end of an evaluation, as a step after it would have them; null where one acts everywhere. */
export async function maskWeights(
  course: Course,
  evaluation: Evaluation,
  masks: readonly { name: string; where: Where }[],
  options: EvaluateOptions,
): Promise<(Float32Array<ArrayBuffer> | null)[]> {
  const { height, layers } = evaluation;
  const run = new Run(course, { ...options, ground: evaluation.ground });
  const out: (Float32Array<ArrayBuffer> | null)[] = [];
  for (const { name, where } of masks) {
    const use = stepUse('shift', { by: 0 }, { name, where });
    out.push(await run.maskOf({ use, line: '', after: '', key: '', height, before: height, layers, layersBefore: layers, took: 0, cached: false, words: [] }));
  }
  return out;
}

class Run {
  private readonly ground: Ground;
  private readonly stages: Stage[] = [];
  private readonly ends = new Map<string, LineEnd>();
  /** The lines that are being worked out, each read by the one before it. */
  private readonly open: CourseLine[] = [];
  private readonly before: Map<string, Stage>;
  private readonly seen: Map<string, Stage>;
  private readonly count: number;

  constructor(
    private readonly course: Course,
    private readonly options: EvaluateOptions,
  ) {
    this.ground = options.ground ?? course.ground;
    const { previous } = options;
    const comparable = previous && sameSamples(previous.ground, this.ground) && previous.ground.datum === this.ground.datum;
    this.before = new Map(comparable ? previous.stages.map((stage) => [stage.use.id, stage]) : []);
    const { seen } = options;
    const others = seen && !sameSamples(seen.ground, this.ground);
    this.seen = new Map(others ? seen.stages.map((stage) => [stage.use.id, stage]) : []);
    this.count = linesOf(course).reduce((sum, line) => sum + line.steps.length, 0);
  }

  async whole(): Promise<Evaluation> {
    const [stem, ...others] = linesOf(this.course);
    const end = await this.line(stem);
    if (this.options.everyLine) {
      for (const line of others) if (!this.ends.has(line.id)) this.ends.set(line.id, await this.line(line));
    }
    return { ground: this.ground, stages: this.stages, height: end.height, layers: end.layers };
  }

  private async line(line: CourseLine): Promise<LineEnd> {
    let key = await levelKey(this.ground, this.seen.size > 0 ? this.options.seen!.ground : undefined);
    const samples = this.ground.across * this.ground.down;
    const from = line.id === '' ? this.options.from : undefined;
    let height = from?.height ?? this.options.cache?.levelHeights(samples) ?? new Float32Array(samples);
    // Samples without a height are known to the steps by a layer.
    let layers: Layers = from?.valid ? { [VOID]: Float32Array.from(from.valid, (v) => 1 - v) } : {};
    let dirty: Dirty = null;
    let after = '';
    this.open.push(line);
    for (const use of line.steps) {
      throwIfStopped(this.options.signal);
      const stage: Stage = { use, line: line.id, after, key, height, before: height, layers, layersBefore: layers, took: 0, cached: false, words: [] };
      if (use.on) {
        try {
          dirty = await this.workOut(stage, dirty);
        } catch (error) {
          if (error instanceof StoppedError || this.options.signal?.aborted) throw new StoppedError();
          stage.fault = sentenceOf(error);
          dirty = 'everywhere';
        }
      } else {
        const old = this.before.get(use.id);
        dirty = spread(dirty, old && !old.use.on && old.after === after && old.line === line.id ? null : 'everywhere');
      }
      ({ key, height, layers } = stage);
      after = use.id;
      this.stages.push(stage);
      this.options.onStage?.(stage, this.stages.length - 1);
      if (use.id === this.options.upTo) break;
    }
    this.open.pop();
    return { key, height, layers, dirty };
  }

  /** The end of a tributary, worked out when it is first read. */
  private async tributary(id: string): Promise<LineEnd> {
    const known = this.ends.get(id);
    if (known) return known;
    const line = this.course.tributaries.find((t) => t.id === id);
    if (!line) throw new UplandError('missing-tributary', 'The tributary that this step reads is not there any more. Choose another one.');
    const from = this.open.findIndex((l) => l.id === id);
    if (from >= 0) throw new UplandError('loop', loopSentence(this.open.slice(from).map((l) => l.name)));
    const end = await this.line(line);
    this.ends.set(id, end);
    return end;
  }

  private async workOut(stage: Stage, dirtyIn: Dirty): Promise<Dirty> {
    const { use } = stage;
    const { cache } = this.options;
    const step = stepById(use.step);
    const settings = settingsOf(use);
    refuseUnknown(use, step);
    const inputs = inputsOf(use);
    stage.readings = JSON.stringify(inputs.assets.map((sha) => canonical(this.course.assets[sha]?.reading ?? {})));
    stage.sea = inputs.sea ? this.ground.sea : undefined;
    stage.rock = inputs.rock && this.course.rock ? JSON.stringify(canonical(this.course.rock)) : undefined;
    let dirty = dirtyIn;
    const tributaryKeys: string[] = [];
    for (const id of inputs.tributaries) {
      const end = await this.tributary(id);
      tributaryKeys.push(end.key);
      dirty = spread(dirty, end.dirty);
    }
    const sea = inputs.sea ? this.ground.sea : null;
    const stageKey = stage.key;
    const textOf = (params: Record<string, unknown>) =>
      JSON.stringify([
        stageKey,
        step.id,
        canonical(params),
        ...joiningKey(use),
        canonical(keyOfWhere(use.where)),
        use.hold,
        tributaryKeys,
        stage.readings,
        sea,
        ...(stage.rock ? [stage.rock] : []),
      ]);
    let key = await sha256OfText(textOf(settings));
    const old = this.before.get(use.id);
    const cached = (await cache?.awaited(key, this.options.signal)) ?? (await this.keptAt(key));
    if (cached) {
      Object.assign(stage, { key, height: cached.height, layers: { ...stage.layers, ...cached.layers }, cached: true, took: cached.took, words: cached.words });
      return old?.key === key ? null : this.dirtyAfter(stage, step, settings, dirty, old);
    }

    const began = performance.now();
    const area = this.dirtyAfter(stage, step, settings, dirty, old);
    const window = this.windowAround(area, old, () => this.reachOf(use, step, settings));
    const work = () => this.run(stage, step, settings, inputs, window);
    const found = await (cache ? cache.once(key, work) : work());
    throwIfStopped(this.options.signal);
    const { height, layers } = isWhole(window, this.ground) ? found : this.pasted(stage, old!, found, window, area as Window);
    const took = performance.now() - began;
    // Ended early it is what other settings give: those with which it ends there.
    if (stage.reached) key = await sha256OfText(textOf({ ...settings, ...stage.reached }));
    // Those that were only passed on are in the stage before.
    const own = layers && Object.fromEntries(Object.entries(layers).filter(([name, layer]) => layer !== stage.layersBefore[name]));
    const worked = { height, layers: own, took, words: stage.words };
    cache?.set(key, worked);
    if (took >= LONG) this.options.kept?.set(key, worked);
    Object.assign(stage, { key, height, layers: { ...stage.layers, ...layers }, took });
    return area;
  }

  /** What has to be worked out so that an area is right: it and what it is reached from, or the whole. */
  private windowAround(area: Dirty, old: Stage | undefined, reachOf: () => number): Window {
    if (!area || area === 'everywhere' || !old) return wholeOf(this.ground);
    const { x, y } = spacingOf(this.ground);
    const reach = reachOf();
    return growWindow(area, Math.ceil(reach / x) + 2, Math.ceil(reach / y) + 2, this.ground, GAUSSIAN_ALIGN);
  }

  /** A stage as it was, with what was worked out of it in a window laid over an area. */
  private pasted(stage: Stage, old: Stage, { height, layers }: StepResult, window: Window, area: Window): StepResult {
    stage.touched = area;
    return {
      height: pasteSamples(old.height, this.ground.across, height, window, area),
      layers: layers && Object.fromEntries(Object.entries(layers).map(([name, layer]) => [name, this.pastedLayer(old.layers[name], layer, window, area)])),
    };
  }

  /** A stage that was worked out before this process began. */
  private async keptAt(key: string): Promise<CachedStage | undefined> {
    const stage = await this.options.kept?.get(key);
    if (stage) this.options.cache?.set(key, stage);
    return stage;
  }

  private pastedLayer(old: Float32Array | undefined, layer: Float32Array, window: Window, area: Window): Float32Array<ArrayBuffer> {
    const { across, down } = this.ground;
    return pasteSamples(old ?? new Float32Array(across * down), across, layer, window, area);
  }

  /**
   * Where a stage can differ from the one of the previous evaluation, given where its input
   * does: a rectangle where everything in it has a finite reach and leaves no layers.
   */
  private dirtyAfter(stage: Stage, step: Step, settings: Record<string, unknown>, dirtyIn: Dirty, old: Stage | undefined): Dirty {
    if (!old || old.fault || !old.use.on || old.line !== stage.line || old.after !== stage.after) return 'everywhere';
    const { use } = stage;
    if (old.readings !== stage.readings || old.sea !== stage.sea || old.rock !== stage.rock) return 'everywhere';
    const rest = (u: StepUse) => JSON.stringify(canonical([u.step, joiningKey(u), u.where, u.hold]));
    if (rest(use) !== rest(old.use)) return 'everywhere';
    let own: Dirty = null;
    if (JSON.stringify(canonical(use.params)) !== JSON.stringify(canonical(old.use.params))) {
      own = step.changed?.(settingsOf(old.use) as never, settings as never, this.ground) ?? 'everywhere';
      if (own !== 'everywhere' && own !== null && own.across * own.down === 0) own = null;
    }
    if (dirtyIn === 'everywhere' || own === 'everywhere') return 'everywhere';
    if (!dirtyIn && !own) return null;
    const reach = this.reachOf(use, step, settings);
    const layered = step.movesLayers && Object.keys(stage.layersBefore).length > 0;
    if (reach === Infinity || use.hold !== 'none' || layered) return 'everywhere';
    const { x, y } = spacingOf(this.ground);
    const spreadOut = dirtyIn && growWindow(dirtyIn, Math.ceil(reach / x) + 1, Math.ceil(reach / y) + 1, this.ground);
    const area = union(spreadOut, own)!;
    // A rectangle that is most of the ground is not worth the copying.
    return area.across * area.down > 0.6 * this.ground.across * this.ground.down ? 'everywhere' : area;
  }

  private reachOf(use: StepUse, step: Step, settings: Record<string, unknown>): number {
    return Math.max(step.reach(settings as never, this.ground), reachOfWhere(use.where, this.ground));
  }

  /** The step over a window of the ground. */
  private run(stage: Stage, step: Step, settings: Record<string, unknown>, inputs: Required<StepInputs>, window: Window) {
    const seenBy = step.family === 'weather' ? () => this.seenBy(stage.use) : undefined;
    return runStep(stage.use, step, settings, inputs, this.pieceOf(stage, window), this.around(stage), seenBy);
  }

  /** A stage's step once more, where it stands. */
  again(stage: Stage, finerGrids: number): Promise<StepResult> {
    const { use } = stage;
    const step = stepById(use.step);
    const around = { ...this.around(stage), finerGrids };
    return runStep(use, step, settingsOf(use), inputsOf(use), this.pieceOf(stage, wholeOf(this.ground)), around, () => this.seenBy(use));
  }

  /** What a step is handed at the terrain's own samples, where these are others. */
  private async seenBy(use: StepUse): Promise<StepContext['seen']> {
    const stage = this.seen.get(use.id);
    if (!stage || stage.fault) return undefined;
    const run = new Run(this.course, { ...this.options, ground: this.options.seen!.ground, seen: undefined, previous: undefined, onStage: undefined });
    const { context, input } = run.handedWhole(stage);
    const mask = await weightsOf(use.where, input, context);
    if (mask) context.mask = mask;
    return { input, context };
  }

  maskOf(stage: Stage): Promise<Float32Array<ArrayBuffer> | null> {
    const { context, input } = this.handedWhole(stage);
    return weightsOf(stage.use.where, input, context);
  }

  private handedWhole(stage: Stage) {
    return handed(stepById(stage.use.step).title, inputsOf(stage.use), this.pieceOf(stage, wholeOf(this.ground)), this.around(stage));
  }

  private pieceOf(stage: Stage, window: Window): Piece {
    return pieceOf(this.ground, window, stage.before, stage.layersBefore);
  }

  private around(stage: Stage): Surroundings {
    const { options, ground } = this;
    const { use } = stage;
    const index = this.stages.length;
    return {
      course: this.course,
      kernels: options.kernels,
      signal: options.signal,
      asset: options.asset,
      keepsHeights: options.cache !== undefined,
      progress: (share) => options.onProgress?.({ use, index, count: this.count, share }),
      // One request ends one step.
      halt: this.stages.some((done) => done.reached) ? undefined : options.halt,
      watch: options.onStanding && ((standing) => options.onStanding?.({ use, field: standingField(ground, stage.before, standing) })),
      reached: (settings) => (stage.reached = settings),
      tributary: async (id, window) => {
        const { height, layers } = await this.tributary(id);
        const { before, layersBefore } = pieceOf(ground, window, height, layers);
        return { height: before, layers: layersBefore };
      },
      say: (sentence) => {
        if (!stage.words.includes(sentence)) stage.words.push(sentence);
      },
    };
  }
}

/** A stage that took so long, milliseconds, is worth being kept past this process. */
const LONG = 250;

/** Refuses what a course of another version, or one written by hand, may ask of a step. */
function refuseUnknown(use: StepUse, step: Step): void {
  if (!(use.hold in HOLDS)) throw new UplandError('hold', `${step.title} is told to keep ${quoted(use.hold)}, which is not known here.`);
  if (step.joins.includes(use.join)) return;
  throw new UplandError('join', `${step.title} cannot be joined by ${quoted(use.join)}. It can by: ${step.joins.join(', ')}.`);
}

/** More samples a side than this are not shown of work under way. */
const SHOWN = 513;

/** The ground with the change so far, on the change's own grid or every second, fourth… sample of it. */
function standingField(ground: Ground, before: Float32Array, { across, down, change }: InterimState): Field {
  const extra = ground.registration === 'point' ? 1 : 0;
  let skip = 1;
  while ((Math.max(across, down) - extra) / skip + extra > SHOWN) skip *= 2;
  const to = { across: Math.floor((across - extra) / skip) + extra, down: Math.floor((down - extra) / skip) + extra };
  const height = new Float32Array(to.across * to.down);
  // How many samples of the ground lie between two of the change.
  const factor = Math.round((ground.across - extra) / (across - extra || 1));
  for (let row = 0, i = 0; row < to.down; row++) {
    for (let column = 0; column < to.across; column++, i++) {
      const from = row * skip * across + column * skip;
      height[i] = before[row * skip * factor * ground.across + column * skip * factor] + change[from];
    }
  }
  return { ground: { ...ground, ...to }, height };
}

const joiningKey = (use: StepUse) => {
  const smooth = use.join === 'smooth-higher' || use.join === 'smooth-lower';
  const multiplied = use.join === 'multiply';
  return [use.strength, use.join, smooth ? use.joinWidth : 0, multiplied ? [use.joinZero, use.joinOne] : 0] as const;
};

function spread(a: Dirty, b: Dirty): Dirty {
  return a === 'everywhere' || b === 'everywhere' ? 'everywhere' : union(a, b);
}
