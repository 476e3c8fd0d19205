import { describe, expect, it } from 'vitest';
import { fieldFrom } from '@upland-cast/core';
import { groundOf } from '../../../tests/helpers/grounds';
import { banksOf } from './banks';

describe('the banks of a path', () => {
  it('run as far as the ground climbs at their angle', () => {
    // A cut 10 m wide whose banks climb at 45° to level ground 20 m above its floor.
    const cut = fieldFrom(groundOf(101, 101, 2), (east) => Math.min(20, Math.max(0, Math.abs(east - 100) - 5)));
    const line = [40, 100, 160].map((south) => ({ east: 100, south }));
    const [left, right, leftFoot, rightFoot] = banksOf(cut, line, 10, 45);
    expect([left[1].east, right[1].east].sort((a, b) => a - b)).toEqual([95, 105]);
    expect(Math.abs(leftFoot[1].east - 100)).toBeCloseTo(25, -1);
    expect(Math.abs(rightFoot[1].east - 100)).toBeGreaterThan(20);
    expect(Math.abs(rightFoot[1].east - 100)).toBeLessThan(29);
  });
});
