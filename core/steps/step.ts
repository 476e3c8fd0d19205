import type { z } from 'zod';
import type { Field } from '../field/field';
import type { Ground } from '../field/ground';
import type { Window } from '../field/window';
import type { Kernels } from '../kernels/pool';
import type { InterimState } from '../kernels/program';
import type { BegunArgs } from '../kernels/programs/ladder';
import type { RockHere } from '../rock/hardness';

/** What steps are for, in the order they are offered, and how each is called. */
export const FAMILIES = { source: 'Sources', mend: 'Mend', shape: 'Shape', weather: 'Weather', hand: 'Hand', range: 'Range' } as const;
export type Family = keyof typeof FAMILIES;

/** How a step's output joins what came before. */
export const JOIN_MODES = {
  add: 'Added',
  subtract: 'Taken away',
  multiply: 'Multiplied',
  higher: 'The higher of both',
  lower: 'The lower of both',
  'smooth-higher': 'The higher, blended',
  'smooth-lower': 'The lower, blended',
  mean: 'Average',
  difference: 'Difference',
  replace: 'In place of it',
} as const;
export type JoinMode = keyof typeof JOIN_MODES;

/** Named fields that a step leaves beside the height, metres. */
export type Layers = Record<string, Float32Array<ArrayBuffer>>;

export interface StepInput extends Field {
  readonly layers: Layers;
}

export interface StepContext {
  /** The whole ground, also where only a part of it is worked on; its sea level only where `inputs` declares it. */
  ground: Ground;
  /** The samples of it that are worked on: those that the input holds. */
  window: Window;
  kernels: Kernels;
  progress(share: number): void;
  signal?: AbortSignal;
  /** The bytes of an asset that `inputs` declared. */
  asset(sha256: string): Promise<Uint8Array<ArrayBuffer>>;
  /** The heights of an asset that `inputs` declared, by the reading that was settled for it. Not to be changed. */
  heights(sha256: string): Promise<Field>;
  /** The end of a tributary that `inputs` declared, over the window, metres above the datum. */
  tributary(id: string): Promise<Float32Array<ArrayBuffer>>;
  /** 1 where the end of that tributary has no height; undefined where all of it has. */
  tributaryHoles(id: string): Promise<Uint8Array<ArrayBuffer> | undefined>;
  /** Where the step acts, 0 to 1; only for steps that take their mask themselves. */
  mask?: Float32Array<ArrayBuffer>;
  /**
   * The same step at the terrain's own samples, where it is worked out at others: what it is given there, and a context to ask
   * with. Steps that begin on coarse grids make them from it, so that both counts give one ground.
   */
  seen?: { input: StepInput; context: StepContext };
  /** The same step has been worked out over the whole ground at fewer samples: here it goes on from there, over a window. Only for steps that `refines` says so of. */
  begun?: Begun;
  /** So many finer grids will be worked on from here over windows of a larger ground, and have their share of the time. */
  finerGrids?: number;
  /** Ends the work at its next round and keeps what there is. */
  halt?: AbortSignal;
  /** Shown how long work stands: the change so far, on a grid that may be coarser. */
  watch?: (standing: InterimState) => void;
  /** Told, after a halt, the settings that end the work at the same place again. */
  reached?: (settings: Record<string, unknown>) => void;
  /** The terrain's rock over the window, which `inputs` declared, for heights between two; undefined where the terrain has none. */
  rock(bounds: { lowest: number; highest: number }): Promise<RockHere | undefined>;
  /** A sentence for the person beside the result: what was clipped, what was left out. */
  say(sentence: string): void;
}

/** What a step did to the whole ground at fewer samples, at those of them that lie in a window. */
export interface Begun {
  args: BegunArgs;
  /** Metres above the datum. */
  before: Float32Array<ArrayBuffer>;
  /** Metres, as if it acted with all its strength. */
  change: Float32Array<ArrayBuffer>;
  layers: Layers;
  /** The lowest and highest height before it over the whole ground. */
  bounds: { lowest: number; highest: number };
}

export interface StepOutput {
  height: Float32Array<ArrayBuffer>;
  /** Layers it leaves; a step that moves the ground returns those it was given, moved along. */
  layers?: Layers;
  /** 1 where what it gives has no height: there the ground before it stays, or is a hole where it would be replaced. */
  absent?: Uint8Array<ArrayBuffer>;
}

/** What a step reads beside the ground before it, known before it runs: all of it is part of its key. */
export interface StepInputs {
  assets?: string[];
  tributaries?: string[];
  /** The ground's sea level; left out, the step sees a sea at 0 m. */
  sea?: boolean;
  /** The rock that the terrain is made of. */
  rock?: boolean;
}

/** One operation that a course is made of. */
export interface Step<Schema extends z.ZodObject = z.ZodObject> {
  readonly id: string;
  readonly title: string;
  readonly family: Family;
  /** What it does, in one sentence. */
  readonly summary: string;
  /** The trade's other words for it and for what it does, by which it is found. */
  readonly finds: readonly string[];
  readonly params: Schema;
  /** The ways it may join; the first is the usual one. A step that changes what it is given can only replace. */
  readonly joins: readonly JoinMode[];
  /**
   * What its heights count from: `elevation`, the ground's datum; `difference`, zero, so that
   * they can be added as they are.
   */
  readonly gives: 'elevation' | 'difference';
  /** The mask enters the step itself, as how easily the ground gives way; it is not blended in afterwards. */
  readonly takesMask: boolean;
  /**
   * Weathering that works on ever finer grids, and can go on over a window from what it did to the whole ground on coarser ones:
   * `anew`, every grid does all of its work; `shares`, the grids share the time, so that the coarser ones stop earlier where finer ones follow.
   */
  readonly refines: 'no' | 'anew' | 'shares';
  /** It moves the ground sideways, and the layers that earlier steps left with it. */
  readonly movesLayers: boolean;
  /** Named sets of settings to begin from. */
  readonly presets: readonly Preset[];
  inputs(params: z.output<Schema>): StepInputs;
  /** Metres it reads around a sample: 0, a distance, or Infinity. */
  reach(params: z.output<Schema>, ground: Ground): number;
  /** Where the output can differ between two sets of settings over the same input; left out: everywhere. */
  changed?(before: z.output<Schema>, after: z.output<Schema>, ground: Ground): Window | null | 'everywhere';
  /** A few words for the card on the course. */
  caption(params: z.output<Schema>): string;
  run(input: StepInput, params: z.output<Schema>, context: StepContext): Promise<StepOutput> | StepOutput;
}

export interface Preset {
  name: string;
  params: Record<string, unknown>;
}

/** Every way there is, the usual one of a source first. */
export const SOURCE_JOINS: readonly JoinMode[] = [
  'add',
  'subtract',
  'multiply',
  'higher',
  'lower',
  'smooth-higher',
  'smooth-lower',
  'mean',
  'difference',
  'replace',
];

type Optional = 'joins' | 'gives' | 'inputs' | 'caption' | 'takesMask' | 'refines' | 'movesLayers' | 'presets';
type Definition<Schema extends z.ZodObject> = Omit<Step<Schema>, Optional> & Partial<Pick<Step<Schema>, Optional>>;

/** Defines a step; sources may join in every way, other steps only replace, unless it says otherwise. */
export function defineStep<Schema extends z.ZodObject>(definition: Definition<Schema>): Step<Schema> {
  return {
    joins: definition.family === 'source' ? SOURCE_JOINS : ['replace'],
    gives: 'elevation',
    takesMask: false,
    refines: 'no',
    movesLayers: false,
    presets: [],
    inputs: () => ({}),
    caption: () => '',
    ...definition,
  };
}
