import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { makeField } from '../../field/field';
import { monotoneCurve } from './curve';
import { runShape } from '../../../tests/helpers/shape-steps';

/** A single row of heights, to look at a function of height. */
const rowOf = (heights: number[]) => makeField(groundOf(heights.length, 1, 10), Float32Array.from(heights));

describe('curve', () => {
  // Fritsch & Carlson 1980, table 1 (RPN 14 data): a monotone interpolant of these values stays within neighbours.
  it('goes through its points, stays between neighbours, and moves what lies beyond by what its ends move', () => {
    const points = [7.99, 8.09, 8.19, 8.7, 9.2, 10, 12, 15, 20].map((from, i) => ({
      from,
      to: [0, 2.76429e-5, 4.37498e-2, 0.169183, 0.469428, 0.94374, 0.998636, 0.999919, 0.999994][i],
    }));
    const at = monotoneCurve(points);
    points.forEach((p) => expect(at(p.from)).toBeCloseTo(p.to, 12));
    let last = -Infinity;
    for (let x = 7.99; x <= 20; x += 0.003) {
      const y = at(x);
      expect(y).toBeGreaterThanOrEqual(last);
      expect(y).toBeLessThanOrEqual(0.999994);
      last = y;
    }
    expect(at(25)).toBeCloseTo(5.999994, 9);
  });

  it('of one point is refused with a sentence', async () => {
    expect((await runShape('curve', { points: [{ from: 1, to: 2 }] }, rowOf([1, 2]))).fault).toMatch(
      /needs two points at different elevations; this one has 1/,
    );
  });
});
