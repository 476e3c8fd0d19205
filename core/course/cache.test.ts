import { getEventListeners } from 'node:events';
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

  it('gives level heights to begin with, the same ones until another size is asked for, or they were handed away', () => {
    const cache = new StageCache();
    const level = cache.levelHeights(6);
    expect([...level]).toEqual([0, 0, 0, 0, 0, 0]);
    expect(cache.levelHeights(6)).toBe(level);
    expect(cache.levelHeights(4)).toHaveLength(4);
    const given = cache.levelHeights(6);
    expect(given).not.toBe(level);
    structuredClone(given, { transfer: [given.buffer] });
    expect([...cache.levelHeights(6)]).toEqual([0, 0, 0, 0, 0, 0]);
  });

  it('waits for a stage that somebody is at, until it is not wanted any more, and leaves nothing at the signal', async () => {
    const cache = new StageCache(2500);
    const control = new AbortController();
    let end = () => undefined as void;
    const stage = { height: new Float32Array(4), took: 0, words: [] };
    const work = cache.once('a', () => new Promise<void>((resolve) => (end = resolve)));
    const early = cache.awaited('a', control.signal);
    expect(getEventListeners(control.signal, 'abort')).toHaveLength(1);
    end();
    cache.set('a', stage);
    expect(await early).toEqual(stage);
    await work;
    expect(getEventListeners(control.signal, 'abort')).toHaveLength(0);
    const never = cache.once('b', () => new Promise<void>((resolve) => (end = resolve)));
    const given = cache.awaited('b', control.signal);
    control.abort();
    expect(await given).toBeUndefined();
    end();
    await never;
  });
});
