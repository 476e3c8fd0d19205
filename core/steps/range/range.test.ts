import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { shorelineLength } from '../../analysis/shoreline';
import { evaluate } from '../../course/evaluate';
import { makeCourse, stepUse } from '../../course/schema';
import { fieldFrom } from '../../field/field';
import { statistics } from '../../field/statistics';
import { inlineKernels } from '../../kernels/pool';
import { clipWords, rangeWords } from './words';

describe('range work in words', () => {
  it('knows a shift from a stretch: 50 … 200 m to −20 … 130 m is a shift by −70 m', () => {
    expect(rangeWords({ low: 50, high: 200 }, { low: -20, high: 130 })).toBe('Everything moves by −70.0 m; the form stays.');
    expect(rangeWords({ low: 0, high: 100 }, { low: 0, high: 118 })).toBe('Slopes become 1.18 times as steep. 0.0 m stays. The form changes.');
    expect(rangeWords({ low: 0, high: 100 }, { low: 50, high: 100 })).toMatch(/gentler: 0\.50 times what they were\. 100\.0 m stays/);
    expect(rangeWords({ low: 0, high: 100 }, { low: 90, high: 10 })).toMatch(/change places/);
    expect(rangeWords({ low: 0, high: 100 }, { low: 7, high: 7 })).toBe('Everything becomes level.');
    expect(rangeWords({ low: 4, high: 4 }, { low: 7, high: 9 })).toMatch(/nothing to stretch/);
    expect(rangeWords({ low: 4, high: 9 }, { low: 4, high: 9 })).toBe('Nothing changes.');
    expect(clipWords({ low: 0, high: 300 }, 20, 0.034)).toBe(
      '3.4 % of the ground lies beyond 0.0 m and 300.0 m, and bends over 20.0 m before it; the rest stays as it is.',
    );
  });
});

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

describe('the length of a shoreline', () => {
  it('of a round island is 2πr within a part in a thousand', () => {
    const island = fieldFrom(groundOf(401, 401, 5), (east, south) => 900 - Math.hypot(east - 1000, south - 1000));
    for (const level of [100, 400, 700]) expect(shorelineLength(island, level) / (2 * Math.PI * (900 - level))).toBeCloseTo(1, 3);
  });

  it('of a straight coast is its length, whichever way it runs, and of none is 0', () => {
    for (const way of [(e: number) => e, (_: number, s: number) => s]) expect(shorelineLength(fieldFrom(groundOf(65, 65, 3), way), 77)).toBeCloseTo(192, 6);
    expect(
      shorelineLength(
        fieldFrom(groundOf(65, 65, 3), (e, s) => e + s),
        192,
      ),
    ).toBeCloseTo(192 * Math.SQRT2, 3);
    expect(shorelineLength(hills(groundOf(20)), -5000)).toBe(0);
  });
});
