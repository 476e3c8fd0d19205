import { describe, expect, it } from 'vitest';
import type { JoinMode } from '../steps/step';
import { joinStage } from './join';

describe('joining', () => {
  it('moves differences to the datum where they stand for themselves, and elevations off it where they are added', () => {
    const f = (v: number) => Float32Array.from([v]);
    const join = (a: number, b: number, mode: JoinMode, gives: 'difference' | 'elevation') =>
      joinStage(f(a), f(b), { mode, gives, width: 10, zero: 0, one: 100, datum: 100 }, 1, null)[0];
    expect(join(5, 130, 'higher', 'difference')).toBe(30);
    expect(join(5, 3, 'add', 'difference')).toBe(8);
    expect(join(5, 3, 'add', 'elevation')).toBe(108);
    expect(join(5, 3, 'replace', 'elevation')).toBe(3);
    expect(join(5, 3, 'mean', 'elevation')).toBe(4);
    // 102 m from 103 m: a metre apart, which lies 99 m under the datum.
    expect(join(2, 3, 'difference', 'elevation')).toBe(-99);
    // 110 m times (150 − 0) / 100, kept at 1; times (25 − 0) / 100.
    expect(join(10, 50, 'multiply', 'elevation')).toBe(10);
    expect(join(10, 25, 'multiply', 'difference')).toBe(-72.5);
  });
});
