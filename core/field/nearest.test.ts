import { describe, expect, it } from 'vitest';
import { hash32 } from './hash';
import { nearestMarked } from './nearest';

describe('the nearest marked sample', () => {
  it('is that of a search through all of them, within a hundredth of a sample, on grids of any spacing', () => {
    const [across, down, spacing] = [47, 39, { x: 3, y: 5 }];
    const marked = Uint8Array.from({ length: across * down }, (_, i) => (hash32(7, i) % 60 === 0 ? 1 : 0));
    const { index, distance } = nearestMarked(marked, across, down, spacing);
    for (let i = 0; i < marked.length; i++) {
      let least = Infinity;
      for (let j = 0; j < marked.length; j++) {
        if (!marked[j]) continue;
        least = Math.min(least, Math.hypot(((i % across) - (j % across)) * 3, (Math.floor(i / across) - Math.floor(j / across)) * 5));
      }
      expect(distance[i]).toBeLessThan(least + 0.15);
      expect(distance[i]).toBeGreaterThan(least - 1e-4);
      expect(marked[index[i]]).toBe(1);
    }
  });

  it('is none where nothing is marked', () => {
    const { index, distance } = nearestMarked(new Uint8Array(12), 4, 3, { x: 1, y: 1 });
    expect([...index].every((i) => i === -1) && [...distance].every((d) => d === Infinity)).toBe(true);
  });
});
