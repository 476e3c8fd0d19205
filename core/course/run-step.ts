import { UplandError } from '../errors';
import type { Ground } from '../field/ground';
import { statistics } from '../field/statistics';
import { cropSamples, groundOfWindow, isWhole, type Window } from '../field/window';
import { heightsOf } from '../formats/asset';
import type { Kernels } from '../kernels/pool';
import { rockHere } from '../rock/hardness';
import type { Layers, Step, StepContext, StepInput, StepInputs } from '../steps/step';
import { VOID } from '../steps/mend/fill-voids';
import { validOf } from './field-of';
import { joinHoles } from './holes';
import { joinStage } from './join';
import type { Course, StepUse } from './schema';
import { toDatum } from './settings';
import { weightsOf } from './where';

/** A piece of a ground that a step is worked out on, with what earlier steps left there. */
export interface Piece {
  /** The whole ground. */
  ground: Ground;
  window: Window;
  /** Over the window, metres above the datum. */
  before: Float32Array<ArrayBuffer>;
  layersBefore: Layers;
}

/** The end of a line over a window. */
export interface LineHeights {
  height: Float32Array<ArrayBuffer>;
  layers: Layers;
}

/** Where a step's questions go. */
export interface Surroundings extends Pick<StepContext, 'halt' | 'watch' | 'reached' | 'progress' | 'say' | 'begun' | 'finerGrids'> {
  course: Course;
  kernels: Kernels;
  signal?: AbortSignal;
  /** The bytes of an asset. Rejects when there is none. */
  asset?: (sha256: string) => Promise<Uint8Array<ArrayBuffer>>;
  /** What files were read to is kept for the next question. */
  keepsHeights: boolean;
  /** The end of a tributary over a window. */
  tributary(id: string, window: Window): Promise<LineHeights>;
  /** Where the step acts, where that is known otherwise than from the piece; null: everywhere. */
  weights?: () => Promise<Float32Array<ArrayBuffer> | null>;
}

/** What a step is handed over a piece of the ground: the ground before it, and what it may ask for. */
export function handed(title: string, inputs: Required<StepInputs>, piece: Piece, around: Surroundings): { context: StepContext; input: StepInput } {
  const { window } = piece;
  // What is not declared cannot be seen, so that it cannot be missing from the key.
  const ground: Ground = { ...piece.ground, sea: inputs.sea ? piece.ground.sea : 0, georeference: undefined };
  const declared = (id: string) => {
    if (!inputs.tributaries.includes(id)) throw new UplandError('undeclared-tributary', `${title} reads a tributary that it did not declare.`);
    return around.tributary(id, window);
  };
  const bytesOf = async (sha: string) => {
    if (!inputs.assets.includes(sha)) throw new UplandError('undeclared-asset', `${title} reads an asset that it did not declare.`);
    if (!around.asset) throw new UplandError('missing-asset', `${title} needs the asset ${sha.slice(0, 12)}…, and there are none here.`);
    return around.asset(sha);
  };
  const { kernels, signal, progress, halt, watch, reached, say, begun, finerGrids } = around;
  const context: StepContext = {
    ground,
    window,
    kernels,
    signal,
    progress,
    halt,
    watch,
    reached,
    say,
    begun,
    finerGrids,
    asset: bytesOf,
    heights: (sha) => heightsOf(sha, around.course.assets[sha]?.reading, bytesOf, signal, around.keepsHeights),
    tributary: async (id) => (await declared(id)).height,
    tributaryHoles: async (id) => validOf((await declared(id)).layers)?.map((v) => 1 - v),
    rock: async (bounds) => {
      if (!inputs.rock) throw new UplandError('undeclared-rock', `${title} reads the terrain's rock, which it did not declare.`);
      const { rock } = around.course;
      return rock && rockHere(kernels, rock, ground, bounds, window, signal);
    },
  };
  return { context, input: { ground: groundOfWindow(ground, window), height: piece.before, layers: piece.layersBefore } };
}

/** A piece of a whole ground cut out to a window of it. */
export const pieceOf = (ground: Ground, window: Window, before: Float32Array<ArrayBuffer>, layersBefore: Layers): Piece => ({
  ground,
  window,
  before: cropSamples(before, ground.across, window),
  layersBefore: Object.fromEntries(Object.entries(layersBefore).map(([name, layer]) => [name, cropSamples(layer, ground.across, window)])),
});

/** A step's heights above the datum, and the layers that it leaves. */
export interface StepResult {
  height: Float32Array<ArrayBuffer>;
  layers: Layers | undefined;
}

/** A step over a piece of the ground: run, joined, blended, and held where it is told to. Layers are those that it leaves; undefined: none. */
export async function runStep(
  use: StepUse,
  step: Step,
  settings: Record<string, unknown>,
  inputs: Required<StepInputs>,
  piece: Piece,
  around: Surroundings,
  seenBy?: () => Promise<StepContext['seen']>,
): Promise<StepResult> {
  const { ground, window, before, layersBefore } = piece;
  const { context, input } = handed(step.title, inputs, piece, around);
  if (use.strength === 0) return { height: before, layers: undefined };
  const mask = around.weights ? await around.weights() : await weightsOf(use.where, input, context);
  if (mask && isWhole(window, ground) && mask.every((w) => w === 0)) {
    context.say('Its mask is empty everywhere, so the step changes nothing. Widen the bounds of the mask, or take it away.');
    return { height: before, layers: undefined };
  }
  if (step.takesMask && mask) context.mask = mask;
  context.seen = await seenBy?.();
  const output = await step.run(input, toDatum(step.params, settings, ground) as never, context);
  const blended = step.takesMask ? null : mask;
  const way = { mode: use.join, width: use.joinWidth, zero: use.joinZero, one: use.joinOne, gives: step.gives, datum: ground.datum };
  let height = joinStage(before, output.height, way, use.strength, blended);
  let layers = output.layers && blendLayers(layersBefore, output.layers, step.movesLayers, use.strength, blended);
  if (step.family === 'source') {
    const alone = () => joinStage(before, output.height, { ...way, mode: 'replace' }, 1, null);
    const absent = output.absent ?? (output.layers?.[VOID] && output.layers[VOID] !== layersBefore[VOID] ? output.layers[VOID] : undefined);
    const left = joinHoles({ before, height, holes: layersBefore[VOID], absent, mode: use.join, mask: blended, alone });
    if (left) {
      height = left.height;
      layers = { ...layers, [VOID]: left.holes };
    }
  }
  if (use.hold !== 'none') height = held(height, before, use.hold, ground);
  return { height, layers };
}

/** Moved by the one distance that gives back the mean, the lowest or the highest that there was. */
function held(height: Float32Array<ArrayBuffer>, before: Float32Array<ArrayBuffer>, hold: 'mean' | 'lowest' | 'highest', ground: Ground) {
  const flat = { ...ground, datum: 0 };
  const by = statistics({ ground: flat, height: before })[hold] - statistics({ ground: flat, height })[hold];
  return by === 0 ? height : height.map((h) => h + by);
}

/** What a step left behind counts as far as the step does. */
function blendLayers(before: Layers, after: Layers, moved: boolean, strength: number, mask: Float32Array | null): Layers {
  if (strength === 1 && !mask) return after;
  return Object.fromEntries(
    Object.entries(after).map(([name, layer]) => {
      const from = moved ? before[name] : undefined;
      return [
        name,
        layer.map((value, i) => {
          const weight = mask ? mask[i] * strength : strength;
          const was = from ? from[i] : 0;
          return weight === 1 ? value : was + (value - was) * weight;
        }),
      ];
    }),
  );
}
