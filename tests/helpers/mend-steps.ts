import { expect } from 'vitest';
import { eroded, fractal } from './fractal';
import { groundOf } from './grounds';
import { evaluate, type Evaluation } from '../../core/course/evaluate';
import { makeCourse, stepUse } from '../../core/course/schema';
import { fieldFrom, type Field } from '../../core/field/field';
import { cropSamples } from '../../core/field/window';
import { inlineKernels } from '../../core/kernels/pool';

const kernels = inlineKernels();

export const runMend = async (step: string, field: Field, params: Record<string, unknown> = {}): Promise<Evaluation> => {
  const evaluation = await evaluate(makeCourse('mend', field.ground, [stepUse(step, params)]), { kernels, from: field });
  expect(evaluation.stages[0].fault).toBeUndefined();
  return evaluation;
};

export const rmse = (a: ArrayLike<number>, b: ArrayLike<number>, where: (i: number) => boolean = () => true) => {
  let sum = 0;
  let n = 0;
  for (let i = 0; i < a.length; i++) {
    if (!where(i)) continue;
    sum += (a[i] - b[i]) ** 2;
    n++;
  }
  return Math.sqrt(sum / n);
};

/** Without its outermost samples: the outlets of worn ground stand still while it rises. */
export const inner = ({ ground: { across, down }, height }: Field, by: number): Field => ({
  ground: groundOf(across - 2 * by, down - 2 * by, 10),
  height: cropSamples(height, across, { left: by, top: by, across: across - 2 * by, down: down - 2 * by }).slice() as Field['height'],
});

const ground = groundOf(201, 161, 10);

export const clean: [string, Field][] = [
  ['hills', fieldFrom(ground, (e, s) => 300 + 60 * Math.sin(e / 170 + 1) * Math.cos(s / 210) + 25 * Math.sin((e + 2 * s) / 90))],
  ['fractal', fractal(ground, { seed: 3, gain: 0.55 })],
  ['eroded', inner(eroded(groundOf(193, 193, 10), 5), 16)],
  ['a plane', fieldFrom(ground, (e, s) => 100 + e * 0.4 - s * 0.2)],
];
