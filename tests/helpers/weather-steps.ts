import { evaluate } from '../../core/course/evaluate';
import { makeCourse, stepUse } from '../../core/course/schema';
import { fieldFrom, type Field } from '../../core/field/field';
import type { Ground } from '../../core/field/ground';
import { inlineKernels } from '../../core/kernels/pool';
import { fractal } from './fractal';
import { groundOf, hills } from './grounds';

const kernels = inlineKernels();

export async function weathered(field: Field, step: string, params: Record<string, unknown> = {}, sea = 0, rest = {}) {
  const ground: Ground = { ...field.ground, sea };
  const { stages } = await evaluate(makeCourse('test', ground, [stepUse(step, params, rest)]), { kernels, from: { ...field, ground } });
  return stages[0];
}

export const grounds: Record<string, Field> = {
  flat: fieldFrom(groundOf(48, 48, 10), () => 100),
  'a single spike': fieldFrom(groundOf(49, 49, 10), (e, s) => (e === 240 && s === 240 ? 900 : 50)),
  'a cliff of 5 000 m': fieldFrom(groundOf(65, 65, 5), (e) => (e < 160 ? 5000 : 0)),
  'sixteen samples a side': hills(groundOf(16, 16, 100), 2),
  'one sample wide': fieldFrom(groundOf(1, 64, 10), (_, s) => 200 + 20 * Math.sin(s / 60)),
  fractal: fractal(groundOf(97, 65, 8, 'area'), { seed: 4, height: 150 }),
};
