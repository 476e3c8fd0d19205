import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { arranged } from '../../formats/asset';
import { ORIENTATIONS, readTurnedBack, turnedBack } from './placement';

describe('a file that lies turned or mirrored', () => {
  it('read anew lies as it would turned back, however it was read before', () => {
    const ground = groundOf(5, 3);
    const file = { ground, height: Float32Array.from({ length: 15 }, (_, i) => i) };
    for (const orientation of ORIENTATIONS)
      for (const flip of [undefined, 'rows', 'columns'] as const)
        for (const turn of [undefined, 90, 180, 270] as const) {
          const before = { flip, turn };
          const meant = turnedBack(arranged(file, before), orientation);
          const got = arranged(file, readTurnedBack(before, orientation));
          expect([got.ground, [...got.height]], `${orientation} of ${flip} and ${turn}`).toEqual([meant.ground, [...meant.height]]);
        }
  });
});
