import { describe, expect, it } from 'vitest';
import { fieldFrom } from '@upland-cast/core';
import { groundOf } from '../../tests/helpers/grounds';
import { litSurface } from './lit-surface';

const coast = (datum: number) => fieldFrom({ ...groundOf(9, 5, 10, 'point', datum), sea: 100 }, (east) => east - datum);

describe('what light falls on', () => {
  it('is the sea where it is shown, counted from the datum, and the ground over it', () => {
    const lit = litSurface(coast(60), true);
    expect([...lit.subarray(0, 9)]).toEqual([40, 40, 40, 40, 40, 40, 40, 40, 40]);
    expect([...litSurface(coast(0), true).subarray(0, 9)]).toEqual(Array(9).fill(100));
    expect([...litSurface({ ...coast(0), ground: { ...coast(0).ground, sea: 35 } }, true).subarray(0, 9)]).toEqual([35, 35, 35, 35, 40, 50, 60, 70, 80]);
  });

  it('is the ground itself where no sea is shown or none lies over it, and the ground stays as it is', () => {
    const field = coast(60);
    const before = field.height.slice();
    expect(litSurface(field, false)).toBe(field.height);
    litSurface(field, true);
    expect(field.height).toEqual(before);
    const dry = fieldFrom({ ...groundOf(5), sea: -3 }, () => 0);
    expect(litSurface(dry, true)).toBe(dry.height);
  });
});
