import { expect } from 'vitest';
import { evaluate } from '../../core/course/evaluate';
import { makeCourse, stepUse } from '../../core/course/schema';
import { type Field } from '../../core/field/field';
import { inlineKernels } from '../../core/kernels/pool';

const kernels = inlineKernels();

/** What a step makes of a field, with what it said. */
export async function runShape(step: string, params: object, field: Field) {
  const { stages } = await evaluate(makeCourse('t', field.ground, [stepUse(step, params as Record<string, unknown>, { join: 'replace' })]), {
    kernels,
    from: field,
  });
  return { height: stages[0].height, words: stages[0].words, fault: stages[0].fault, layers: stages[0].layers };
}

export const shapedHeights = async (step: string, params: object, field: Field) => {
  const { height, fault } = await runShape(step, params, field);
  expect(fault).toBeUndefined();
  return height;
};
