import type { z } from 'zod';
import type { Field } from '../field/field';
import type { Ground } from '../field/ground';
import type { Kernels } from '../kernels/pool';

export type Family = 'source' | 'shape' | 'weather' | 'hand' | 'range';

/** How a step's output joins what came before. */
export const JOIN_MODES = {
  add: 'Added',
  subtract: 'Taken away',
  higher: 'The higher of both',
  lower: 'The lower of both',
  replace: 'In place of it',
} as const;
export type JoinMode = keyof typeof JOIN_MODES;

export interface StepContext {
  ground: Ground;
  kernels: Kernels;
  progress(share: number): void;
  signal?: AbortSignal;
  /** The bytes of an asset that `inputs` declared. */
  asset(sha256: string): Promise<Uint8Array<ArrayBuffer>>;
}

/** Named fields that a step leaves beside the height, metres. */
export type Layers = Record<string, Float32Array<ArrayBuffer>>;

export interface StepOutput {
  height: Float32Array<ArrayBuffer>;
  layers?: Layers;
}

/** One operation that a course is made of. */
export interface Step<Schema extends z.ZodObject = z.ZodObject> {
  readonly id: string;
  readonly title: string;
  readonly family: Family;
  /** What it does, in one sentence. */
  readonly summary: string;
  readonly params: Schema;
  /** The ways it may join; the first is the usual one. A step that changes what it is given can only replace. */
  readonly joins: readonly JoinMode[];
  /**
   * What its heights count from: `elevation`, the ground's datum; `difference`, zero, so that
   * they can be added as they are.
   */
  readonly gives: 'elevation' | 'difference';
  /** The assets it will read, known before it runs. */
  inputs(params: z.output<Schema>): { assets: string[] };
  /** Metres it reads around a sample: 0, a distance, or Infinity. */
  reach(params: z.output<Schema>, ground: Ground): number;
  /** A few words for the card on the course. */
  caption(params: z.output<Schema>): string;
  run(input: Field, params: z.output<Schema>, context: StepContext): Promise<StepOutput> | StepOutput;
}

const SOURCE_JOINS: readonly JoinMode[] = ['add', 'subtract', 'higher', 'lower', 'replace'];

type Definition<Schema extends z.ZodObject> = Omit<Step<Schema>, 'joins' | 'gives' | 'inputs' | 'caption'> &
  Partial<Pick<Step<Schema>, 'joins' | 'gives' | 'inputs' | 'caption'>>;

/** Defines a step; sources may join in every way, other steps only replace, unless it says otherwise. */
export function defineStep<Schema extends z.ZodObject>(definition: Definition<Schema>): Step<Schema> {
  return {
    joins: definition.family === 'source' ? SOURCE_JOINS : ['replace'],
    gives: 'elevation',
    inputs: () => ({ assets: [] }),
    caption: () => '',
    ...definition,
  };
}
