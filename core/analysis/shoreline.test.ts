import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { shorelineLength } from './shoreline';
import { fieldFrom } from '../field/field';

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
