import { expect } from 'vitest';
import { groundOf } from './grounds';
import { evaluate } from '../../core/course/evaluate';
import { makeCourse, stepUse } from '../../core/course/schema';
import { inlineKernels } from '../../core/kernels/pool';

const kernels = inlineKernels();

const ground = groundOf(129, 129, 16);

export const sourceHeights = async (step: string, params: object, on = ground, bytes?: Uint8Array<ArrayBuffer>) => {
  const { stages } = await evaluate(makeCourse('t', on, [stepUse(step, params as Record<string, unknown>, { join: 'replace' })]), {
    kernels,
    asset: async () => bytes!,
  });
  expect(stages[0].fault).toBeUndefined();
  return { height: stages[0].height, words: stages[0].words };
};

/** The lowest and the highest of many heights. */
export function extentOf(height: Float32Array): { low: number; high: number } {
  let [low, high] = [Infinity, -Infinity];
  for (const h of height) {
    if (h < low) low = h;
    if (h > high) high = h;
  }
  return { low, high };
}
