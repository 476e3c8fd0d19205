import { describe, expect, it } from 'vitest';
import { StageCache } from './cache';

describe('the stage cache', () => {
  it('keeps within its bytes and drops what was unused longest', () => {
    const stage = () => ({ height: new Float32Array(250), took: 0, words: [] });
    const cache = new StageCache(2500);
    cache.set('a', stage());
    cache.set('b', stage());
    cache.get('a');
    cache.set('c', stage());
    expect([cache.get('a'), cache.get('b'), cache.get('c')].map(Boolean)).toEqual([true, false, true]);
    expect(cache.bytes).toBe(2000);
    cache.set('a', { ...stage(), layers: { cut: new Float32Array(1000) } });
    expect(cache.get('a')).toBeDefined();
    expect(cache.get('c')).toBeUndefined();
    cache.clear();
    expect(cache.bytes).toBe(0);
  });
});
