import { describe, expect, it } from 'vitest';
import { random } from '../../tests/helpers/grounds';
import { countDistinct } from './distinct';
import { DistinctCount } from './distinct-count';

describe('different values of samples that come in pieces', () => {
  it.each([1, 7, 1000, 100_000])('are as many as of all of them, in pieces of %i', (piece) => {
    const next = random(3);
    const floats = Float32Array.from({ length: piece < 100 ? 300 : 100_000 }, () => Math.fround((next() - 0.5) * 10 ** Math.floor(next() * 12)));
    floats.set([0, -0, NaN, Infinity, -Infinity, NaN], 50);
    const ints = Uint32Array.from({ length: floats.length }, () => Math.floor(next() * 40_000) * 99_991);
    for (const samples of [floats, ints, new Int32Array(ints.buffer)]) {
      const counting = new DistinctCount();
      for (let from = 0; from < samples.length; from += piece) counting.add(samples.subarray(from, from + piece) as Float32Array<ArrayBuffer>);
      expect(counting.count).toBe(countDistinct(samples));
    }
  });

  it('go beyond one piece and what was made room for', () => {
    const many = 3 * 2 ** 20 + 17;
    const counting = new DistinctCount();
    counting.add(Uint32Array.from({ length: many }, (_, i) => Math.imul(i, 2654435761)));
    counting.add(Uint32Array.from({ length: 1000 }, (_, i) => Math.imul(i, 2654435761)));
    expect(counting.count).toBe(many);
  }, 60_000);
});
