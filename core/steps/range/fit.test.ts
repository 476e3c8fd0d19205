import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { statistics } from '../../field/statistics';
import { inlineKernels } from '../../kernels/pool';

describe('fit to a range', () => {
  it('brings any ground to the ends that are asked for, above any datum', async () => {
    for (const datum of [0, 3000]) {
      const ground = groundOf(33, 33, 10, 'point', datum);
      const course = makeCourse('x', ground, [stepUse('noise', { feature: 90, height: 77, level: 3100 }), stepUse('fit', { low: 2900, high: 3400 })]);
      const { lowest, highest } = statistics({ ...(await evaluate(course, { kernels: inlineKernels() })) });
      expect(lowest).toBeCloseTo(2900, 3);
      expect(highest).toBeCloseTo(3400, 3);
    }
  });
});
