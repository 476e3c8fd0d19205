import { describe, expect, it } from 'vitest';
import { scan, SCANNED } from './scan';

describe('one pass over floats', () => {
  it('finds what a plain loop does, in the same order of sums, and leaves out what is no number', () => {
    const values = Float32Array.from({ length: SCANNED }, (_, i) => Math.sin(i * 0.37) * 900 + i * 0.01);
    values.set([NaN, Infinity, -Infinity, -0], 100);
    let [lowest, highest, sum, count] = [Infinity, -Infinity, 0, 0];
    for (let i = 7; i < 60_000; i++) {
      const v = values[i];
      if (!(v - v === 0)) continue;
      if (v < lowest) lowest = v;
      if (v > highest) highest = v;
      sum += v;
      count++;
    }
    expect(scan(values, 7, 60_000)).toEqual({ lowest, highest, sum, count, beyond: -1 });
  });

  it('says where a number lies that no height reaches', () => {
    const values = new Float32Array(1000).fill(12);
    values[417] = -3.4028235e38;
    values[600] = 1e38;
    expect(scan(values, 0, 1000).beyond).toBe(417);
    expect(scan(values, 418, 1000).beyond).toBe(600 - 418);
    expect(scan(values, 0, 0)).toMatchObject({ count: 0, beyond: -1 });
  });
});
