import { describe, expect, it } from 'vitest';
import { countDistinct } from './distinct';

describe('how many different values there are', () => {
  it.each([
    ['floats', Float32Array.of(1, 2, 2, -0, 0, NaN, NaN, Infinity, -1.5)],
    ['doubles', Float64Array.of(1, 2, 2, -0, 0, NaN, NaN, Infinity, -1.5)],
  ])('%s: −0 is 0, and whatever is not a number is one value', (_, values) => expect(countDistinct(values)).toBe(6));

  it.each([
    ['bytes', Uint8Array.of(0, 255, 255, 1), 3],
    ['signed', Int16Array.of(-1, 1, -1, -32_768), 3],
    ['unsigned', Uint32Array.of(0xffffffff, 0, 0xffffffff), 2],
    ['32 bits', Int32Array.of(-1, -1, 65_535), 2],
  ])('%s', (_, values, count) => expect(countDistinct(values)).toBe(count));

  it('agrees with a Set on any floats', () => {
    const values = Float32Array.from({ length: 100_000 }, (_, i) => Math.fround(((i * 7919) % 30_011) * 0.37 - 4000));
    expect(countDistinct(values)).toBe(new Set(values).size);
  });

  it('counts more than a Set can hold', () => {
    const many = 2 ** 24 + 1000;
    expect(countDistinct(new Float32Array(Uint32Array.from({ length: many }, (_, i) => i + 1).buffer))).toBe(many);
  }, 60_000);
});
