import { inBlocks } from '../blocks';
import { z } from 'zod';
import { quoted, UplandError } from '../errors';
import type { Ground } from '../field/ground';
import { gridOf } from '../field/window';
import { noiseProgram } from '../kernels/programs/noise';
import { knownMask, maskById } from '../masks';
import { equalised, gained } from '../masks/mask';
import type { StepContext, StepInput, StepInputs } from '../steps/step';
import { octavesOf } from '../field/octaves';
import { looseObject, looseEnum } from './loose';
import { checkedSettings, toDatum } from './settings';

export const COMBINES = { multiply: 'All of them', add: 'Their sum', larger: 'The larger' } as const;

export const maskUseSchema = looseObject(
  z.object({
    id: z.string().min(1).max(64),
    kind: z.string(),
    params: z.record(z.string(), z.unknown()).default({}),
    on: z.boolean().default(true),
    invert: z.boolean().default(false),
    /** Spread the weights evenly over 0 to 1. */
    equalise: z.boolean().default(false),
    /** 0.5 leaves the weights, more pushes them towards 0 and 1, less towards the middle. */
    gain: z.number().min(0).max(1).default(0.5),
    /** How much noise frays the border, where the weight is neither 0 nor 1; and the size of its patches, metres. */
    ragged: z.number().min(0).max(1).default(0),
    raggedSize: z.number().min(1).max(10_000).default(120),
  }),
);
export type MaskUse = z.infer<typeof maskUseSchema>;

/** Where a step acts: several masks multiplied, added or the larger of them. No masks: everywhere. */
export const whereSchema = looseObject(
  z.object({
    masks: z.array(maskUseSchema).max(16).default([]),
    combine: looseEnum<keyof typeof COMBINES>().default('multiply'),
  }),
);
export type Where = z.infer<typeof whereSchema>;

const active = (where: Where) => where.masks.filter((mask) => mask.on);

export function maskUse(kind: string, params: Record<string, unknown> = {}): MaskUse {
  const id = `mask-${globalThis.crypto.getRandomValues(new Uint32Array(1))[0].toString(36)}`;
  knownMask(kind);
  return maskUseSchema.parse({ id, kind, params });
}

const settingsOfMask = (mask: MaskUse) => {
  const kind = maskById(mask.kind);
  return checkedSettings(`The mask "${kind.title}"`, kind.params, mask.params);
};

/** What the masks that are on read. */
export function inputsOfWhere(where: Where): Required<StepInputs> {
  const all: Required<StepInputs> = { assets: [], tributaries: [], sea: false, rock: false };
  for (const mask of active(where)) {
    const { assets = [], tributaries = [], sea = false, rock = false } = maskById(mask.kind).inputs(settingsOfMask(mask) as never);
    all.sea ||= sea;
    all.rock ||= rock;
    all.assets.push(...assets);
    all.tributaries.push(...tributaries);
  }
  return all;
}

/** Metres that the masks read around a sample; Infinity where one is equalised, since ranks know the whole ground. */
export function reachOfWhere(where: Where, ground: Ground): number {
  let reach = 0;
  for (const mask of active(where)) {
    reach = Math.max(reach, mask.equalise ? Infinity : maskById(mask.kind).reach(settingsOfMask(mask) as never, ground));
  }
  return reach;
}

/** What of the masks changes the heights, for a stage's key. */
export const keyOfWhere = (where: Where) =>
  active(where)
    .map((mask) => [mask.kind, settingsOfMask(mask), mask.invert, mask.equalise, mask.gain, ...(mask.ragged > 0 ? [mask.ragged, mask.raggedSize] : [])])
    .concat(active(where).length > 1 ? [[where.combine]] : []);

/** The weights of all masks together, 0 to 1; null where the step acts everywhere. */
export async function weightsOf(where: Where, input: StepInput, context: StepContext): Promise<Float32Array<ArrayBuffer> | null> {
  if (!(where.combine in COMBINES)) throw new UplandError('combine', `Its masks are to be put together by ${quoted(where.combine)}, which is not known here.`);
  let all: Float32Array<ArrayBuffer> | null = null;
  for (const mask of active(where)) {
    const kind = maskById(mask.kind);
    let weights = await kind.weigh(input, toDatum(kind.params, settingsOfMask(mask), context.ground) as never, context);
    if (weights.length !== input.height.length) throw new UplandError('mask', `The mask "${kind.title}" has another size than the ground.`);
    if (mask.equalise) weights = equalised(weights);
    if (mask.ragged > 0) weights = await frayed(weights, mask, context);
    weights = await gained(weights, mask.gain, context);
    if (mask.invert) {
      const turned = new Float32Array(weights.length);
      for (let i = 0; i < turned.length; i++) turned[i] = 1 - weights[i];
      weights = turned;
    }
    all = all ? combined(all, weights, where.combine) : weights;
  }
  return all;
}

/** Weights between 0 and 1 pushed to either side by fractal noise; 0 and 1 stay. */
async function frayed(
  weights: Float32Array<ArrayBuffer>,
  { ragged, raggedSize }: MaskUse,
  { ground, window, kernels, signal }: StepContext,
): Promise<Float32Array<ArrayBuffer>> {
  const grid = gridOf(ground, window);
  const octaves = octavesOf({ seed: 7919, feature: raggedSize, octaves: 5, gain: 0.6, lacunarity: 2.03 }, Math.max(grid.stepX, grid.stepY));
  const noise = await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale: 1, add: 0, within: true }, weights, { signal });
  inBlocks(noise.length, (from, to) => {
    for (let i = from; i < to; i++) {
      const w = weights[i];
      const moved = w + ragged * 4 * w * (1 - w) * noise[i] * 1.6;
      noise[i] = moved < 0 ? 0 : moved > 1 ? 1 : moved;
    }
  });
  return noise;
}

function combined(a: Float32Array<ArrayBuffer>, b: Float32Array<ArrayBuffer>, how: Where['combine']): Float32Array<ArrayBuffer> {
  const out = new Float32Array(a.length);
  inBlocks(out.length, (from, to) => {
    for (let i = from; i < to; i++) {
      const w = how === 'multiply' ? a[i] * b[i] : how === 'add' ? a[i] + b[i] : a[i] > b[i] ? a[i] : b[i];
      out[i] = w > 0 ? (w < 1 ? w : 1) : 0;
    }
  });
  return out;
}
