import { handed, runStep, type LineHeights, type Surroundings } from '../course/run-step';
import { inputsOf, linesOf, settingsOf, type Course, type CourseLine, type StepUse } from '../course/schema';
import { inputsOfWhere, reachOfWhere, weightsOf, type Where } from '../course/where';
import { throwIfStopped, UplandError } from '../errors';
import { flatField } from '../field/field';
import { GAUSSIAN_ALIGN } from '../field/gaussian';
import { spacingOf, type Ground } from '../field/ground';
import { cropSamples, growWindow, type Window } from '../field/window';
import type { Kernels } from '../kernels/pool';
import { WORN_OFF } from '../kernels/programs/fluvial-passes';
import { stepById } from '../steps';
import type { Layers } from '../steps/step';
import { refinesUse, wayOf, type BaseStage, type WorldBase } from './base';
import type { FineStore } from './fine-store';
import { begunOver, blendSquares, keptOf, squaresOver, windowsOf, type FineResult, type FineWindows } from './fine-weather';
import { finerGridsOf } from './plan';
import { upsampled } from './upsample';

export interface WindowOptions {
  kernels: Kernels;
  signal?: AbortSignal;
  asset?: (sha256: string) => Promise<Uint8Array<ArrayBuffer>>;
  /** Where weather goes on to the samples of the world, and which layers somebody reads; left out: what it does is taken from the base alone. */
  fine?: { windows: FineWindows; kept: FineStore; layers?: (name: string) => boolean };
}

/**
 * A course over windows of a ground of any size: heights above the datum, and layers. Steps of finite reach are worked out from the window grown
 * by what they read, bit for bit as over the whole; what knows the whole ground comes from the base.
 */
export class WindowWork {
  constructor(
    private readonly course: Course,
    private readonly base: WorldBase | null,
    private readonly ground: Ground,
    private readonly options: WindowOptions,
  ) {}

  /** The end of the course. */
  end(window: Window): Promise<LineHeights> {
    const [stem] = linesOf(this.course);
    return this.upTo(stem, stem.steps.length, window);
  }

  /** The ground as a step found it and as it left it: how many steps of which line come before it. Refuses a step that is not there. */
  placeOf(id: string): { line: CourseLine; index: number } {
    for (const line of linesOf(this.course)) {
      const index = line.steps.findIndex((use) => use.id === id);
      if (index >= 0) return { line, index };
    }
    throw new UplandError('layer', 'A map of this world is taken at a step that is not in its course.');
  }

  /** The weights of masks over what is known of a window, which holds all that they read around the samples that are wanted; null: everywhere. */
  weights(title: string, where: Where, window: Window, { height, layers }: LineHeights): Promise<Float32Array<ArrayBuffer> | null> {
    const { context, input } = handed(title, inputsOfWhere(where), { ground: this.ground, window, before: height, layersBefore: layers }, this.surroundings());
    return weightsOf(where, input, context);
  }

  private surroundings(): Surroundings {
    const { options, course } = this;
    return {
      course,
      kernels: options.kernels,
      signal: options.signal,
      asset: options.asset,
      keepsHeights: true,
      tributary: (id, of) => this.tributary(id, of),
      progress: () => undefined,
      say: () => undefined,
    };
  }

  /** A line after its first `count` steps. */
  async upTo(line: CourseLine, count: number, window: Window): Promise<LineHeights> {
    throwIfStopped(this.options.signal);
    if (count === 0) return { height: flatField({ ...this.ground, across: window.across, down: window.down }, 0).height, layers: {} };
    const use = line.steps[count - 1];
    const before = (of: Window) => this.upTo(line, count - 1, of);
    if (!use.on) return before(window);
    const known = this.base?.stages.get(use.id);
    const way = wayOf(use, this.ground);
    if (way === 'whole') {
      if (!known?.change)
        throw new UplandError('world-base', `What "${stepById(use.step).title}" does is not known of the whole ground. Work the world out anew.`);
      return this.goesOnFiner(use) ? this.finer(line, count, known, window) : this.fromWhole(use, known, await before(window), window);
    }
    return this.around(use, way === 'mask' ? (known ?? {}) : null, before, window);
  }

  /** A step that is worked out from what lies around. */
  private async around(use: StepUse, known: BaseStage | null, before: (of: Window) => Promise<LineHeights>, window: Window): Promise<LineHeights> {
    const { ground } = this;
    const step = stepById(use.step);
    const settings = settingsOf(use);
    const { x, y } = spacingOf(ground);
    const reach = Math.max(step.reach(settings as never, ground), known ? 0 : reachOfWhere(use.where, ground));
    // What reads a sample's own place alone needs nothing around it.
    const wide = reach === 0 ? window : growWindow(window, Math.ceil(reach / x) + 2, Math.ceil(reach / y) + 2, ground, GAUSSIAN_ALIGN);
    const given = await before(wide);
    // Where masks know the whole ground, the step acts where they say there.
    const weights = known && (async () => (known.weights ? shares(upsampled(known.weights, this.base!.ground, ground, wide)) : null));
    const { height, layers = {} } = await runStep(
      use,
      step,
      settings,
      inputsOf(use),
      { ground, window: wide, before: given.height, layersBefore: given.layers },
      { ...this.surroundings(), weights: weights ?? undefined },
    );
    const inner: Window = { ...window, left: window.left - wide.left, top: window.top - wide.top };
    const cut = (values: Float32Array<ArrayBuffer>) => cropSamples(values, wide.across, inner);
    return { height: cut(height), layers: mappedLayers(withLayers(given.layers, layers), cut) };
  }

  /**
   * What the whole ground says that a step does, with the detail that finer samples have beside it. Weathering wears such detail off
   * where it lowers the ground, as it does from each grid of its ladder to the next.
   */
  private fromWhole(use: StepUse, stage: BaseStage, given: LineHeights, window: Window): LineHeights {
    const { before, change } = stage;
    const { ground } = this;
    const base = this.base!.ground;
    const moved = upsampled(change!, base, ground, window);
    if (stepById(use.step).family === 'weather') wearDetail(moved, upsampled(before!, base, ground, window), given.height, spacingOf(base));
    const height = new Float32Array(moved.length);
    for (let i = 0; i < height.length; i++) height[i] = given.height[i] + moved[i];
    return { height, layers: withLayers(given.layers, this.layersOfWhole(stage, window)) };
  }

  /** The layers that the whole ground says a step leaves. */
  private layersOfWhole({ layers = {} }: BaseStage, window: Window): Layers {
    // Depths and shares: a spline's weights take them below nothing by a hair.
    return mappedLayers(layers, (layer) => upsampled(layer, this.base!.ground, this.ground, window).map((v) => (v > 0 ? v : 0)));
  }

  private goesOnFiner(use: StepUse): boolean {
    const finer = this.options.fine && this.base ? finerGridsOf(this.base.ground, this.ground) : 0;
    return finer > 0 && refinesUse(use);
  }

  /** Weather that goes on from what the whole ground says, square by square. What came before it is only looked for where somebody reads its layers. */
  private async finer(line: CourseLine, count: number, known: BaseStage, window: Window): Promise<LineHeights> {
    const { windows, kept, layers: read } = this.options.fine!;
    const use = line.steps[count - 1];
    const parts: (FineResult & { square: ReturnType<typeof squaresOver>[number] })[] = [];
    for (const square of squaresOver(this.ground, windows, window)) {
      const part = await kept.of(use.id, square, () => this.square(line, count, known, windowsOf(this.ground, windows, square)));
      parts.push({ ...part, square });
    }
    const { height, layers } = blendSquares(this.ground, windows, window, parts);
    if (!read) return { height, layers };
    const given = await this.upTo(line, count - 1, window);
    return { height, layers: withLayers(given.layers, withLayers(this.layersOfWhole(known, window), layers)) };
  }

  private async square(line: CourseLine, count: number, known: BaseStage, { wide, kept }: ReturnType<typeof windowsOf>): Promise<FineResult> {
    const use = line.steps[count - 1];
    const { ground } = this;
    const base = this.base!.ground;
    const given = await this.upTo(line, count - 1, wide);
    const { weights } = known;
    const done = await runStep(
      use,
      stepById(use.step),
      settingsOf(use),
      inputsOf(use),
      { ground, window: wide, before: given.height, layersBefore: given.layers },
      {
        ...this.surroundings(),
        begun: begunOver(base, ground, wide, known, use.strength),
        weights: weights && (async () => shares(upsampled(weights, base, ground, wide))),
      },
    );
    return keptOf({ height: done.height, layers: done.layers ?? {} }, wide, kept, this.options.fine!.layers ?? (() => false));
  }

  private tributary(id: string, window: Window): Promise<LineHeights> {
    const line = linesOf(this.course).find((l) => l.id === id);
    if (!line) throw new UplandError('missing-tributary', 'The tributary that this step reads is not there any more. Choose another one.');
    return this.upTo(line, line.steps.length, window);
  }
}

/** Takes what is worn off of the detail into the change. */
function wearDetail(change: Float32Array, coarse: Float32Array, fine: Float32Array, { x, y }: { x: number; y: number }): void {
  const perDepth = 1 / (WORN_OFF * Math.max(x, y));
  for (let i = 0; i < change.length; i++) {
    if (change[i] >= 0) continue;
    const kept = 1 / (1 - change[i] * perDepth);
    change[i] -= (1 - kept) * (fine[i] - coarse[i]);
  }
}

export const shares = (weights: Float32Array<ArrayBuffer>) => weights.map((w) => (w < 0 ? 0 : w > 1 ? 1 : w));

/** Layers that are worked out when they are asked for, and once: most of them nobody asks for. */
function deferred(names: Iterable<string>, get: (name: string) => Float32Array<ArrayBuffer>): Layers {
  const layers: Layers = {};
  for (const name of new Set(names)) {
    let known: Float32Array<ArrayBuffer> | undefined;
    Object.defineProperty(layers, name, { enumerable: true, get: () => (known ??= get(name)) });
  }
  return layers;
}

/** Layers, each of them changed when it is asked for. */
export const mappedLayers = (layers: Layers, as: (layer: Float32Array<ArrayBuffer>) => Float32Array<ArrayBuffer>): Layers =>
  deferred(Object.keys(layers), (name) => as(layers[name]));

/** Layers with others laid over them. */
const withLayers = (under: Layers, over: Layers): Layers =>
  deferred([...Object.keys(under), ...Object.keys(over)], (name) => (name in over ? over : under)[name]);
