import type { z } from 'zod';
import type { Ground } from '../field/ground';
import { remapProgram } from '../kernels/programs/remap';
import type { StepContext, StepInput, StepInputs } from '../steps/step';

type Weights = Float32Array<ArrayBuffer>;

/** A way to say where a step acts: weights of 0 to 1 from the ground the step is given, or from elsewhere. */
export interface MaskKind<Schema extends z.ZodObject = z.ZodObject> {
  readonly id: string;
  readonly title: string;
  /** What it picks out, in one sentence. */
  readonly summary: string;
  /** The trade's other words for it, by which it is found. */
  readonly finds: readonly string[];
  readonly params: Schema;
  inputs(params: z.output<Schema>): StepInputs;
  /** Metres it reads around a sample: 0, a distance, or Infinity. */
  reach(params: z.output<Schema>, ground: Ground): number;
  weigh(input: StepInput, params: z.output<Schema>, context: StepContext): Promise<Weights> | Weights;
}

type Definition<Schema extends z.ZodObject> = Omit<MaskKind<Schema>, 'inputs' | 'reach'> & Partial<Pick<MaskKind<Schema>, 'inputs' | 'reach'>>;

export function defineMask<Schema extends z.ZodObject>(definition: Definition<Schema>): MaskKind<Schema> {
  return { inputs: () => ({}), reach: () => 0, ...definition };
}

const BINS = 8192;

/**
 * Spreads the weights evenly: each becomes the share of the weights above 0 that are no larger
 * than it. Counted in 8 192 bins, straight lines between them.
 */
export function equalised(weights: Weights): Weights {
  const counts = new Float64Array(BINS + 1);
  let sum = 0;
  for (let i = 0; i < weights.length; i++) {
    if (weights[i] <= 0) continue;
    counts[Math.min(BINS, Math.ceil(weights[i] * BINS))]++;
    sum++;
  }
  if (sum === 0) return weights;
  for (let b = 1; b <= BINS; b++) counts[b] += counts[b - 1];
  return weights.map((w) => {
    if (w <= 0) return 0;
    const at = Math.min(BINS, w * BINS);
    const upper = Math.ceil(at);
    const before = counts[upper - 1];
    return (before + (counts[upper] - before) * (at - upper + 1)) / sum;
  });
}

/**
 * Pushes weights away from the middle (`gain` over 0.5) or towards it (under 0.5); 0, ½ and 1
 * stay. Source: Schlick 1994, "Fast alternatives to Perlin's bias and gain functions".
 */
export async function gained(weights: Weights, gain: number, { kernels, signal }: Pick<StepContext, 'kernels' | 'signal'>): Promise<Weights> {
  if (gain === 0.5) return weights;
  // His g sends a quarter to g / 2; here more gain means more contrast, so g is 1 − gain.
  const k = 1 / (1 - Math.min(0.99, Math.max(0.01, gain))) - 2;
  return (await kernels.run(remapProgram, { count: weights.length, by: { kind: 'gain', k } }, weights, { signal })).height;
}
