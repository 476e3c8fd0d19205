import { describe, expect, it } from 'vitest';
import { inBlocks } from './blocks';

describe('going through values by blocks', () => {
  it.each([0, 1, 65_535, 65_536, 65_537, 300_000])('meets each of %i once, in their order', (count) => {
    let next = 0;
    inBlocks(count, (from, to) => {
      expect(from).toBe(next);
      expect(to - from).toBeGreaterThan(0);
      expect(to - from).toBeLessThanOrEqual(65_536);
      next = to;
    });
    expect(next).toBe(count);
  });
});
