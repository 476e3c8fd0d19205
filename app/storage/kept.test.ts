import { afterEach, beforeAll, describe, expect, it, vi } from 'vitest';
import { overfull, withRoom } from './kept';

describe('what is kept for speed', () => {
  const rows = [
    { key: 'oldest', bytes: 40 },
    { key: 'older', bytes: 30 },
    { key: 'newest', bytes: 20 },
  ];

  it('lets those go that were not used for longest, and no more than has to', () => {
    expect(overfull(rows, 90)).toEqual([]);
    expect(overfull(rows, 89)).toEqual(['oldest']);
    expect(overfull(rows, 50)).toEqual(['oldest']);
    expect(overfull(rows, 49)).toEqual(['oldest', 'older']);
    expect(overfull(rows, 0)).toEqual(['oldest', 'older', 'newest']);
  });

  it('makes no second try where room is not what is missing, and none where nothing is kept', async () => {
    let tries = 0;
    const failing = (name: string) => async () => {
      tries++;
      throw new DOMException('It did not work.', name);
    };
    await expect(withRoom(failing('DataError'))).rejects.toThrow('It did not work.');
    // There is no storage here: nothing can give way.
    await expect(withRoom(failing('QuotaExceededError'))).rejects.toThrow('It did not work.');
    expect(tries).toBe(2);
    expect(await withRoom(async () => 5)).toBe(5);
  });
});

describe('stages that wait to be written', () => {
  // Modules of their own: others of these may have been given a storage by a test before.
  let { beforeKeeping, keptStages } = {} as typeof import('./kept');
  beforeAll(async () => {
    vi.resetModules();
    ({ beforeKeeping, keptStages } = await import('./kept'));
  });
  afterEach(() => void vi.useRealTimers());
  const stage = () => ({ height: new Float32Array(4), layers: {}, took: 900, words: [] });
  /** There is no storage here: what was written is gone, what waits can be had. */
  const waits = async (key: string) => (await keptStages.get(key)) !== undefined;

  it('are written a moment after the last of them came, where nothing is worked out', async () => {
    vi.useFakeTimers();
    keptStages.set('one', stage());
    await vi.advanceTimersByTimeAsync(1000);
    keptStages.set('two', stage());
    await vi.advanceTimersByTimeAsync(1000);
    expect([await waits('one'), await waits('two')]).toEqual([true, true]);
    await vi.advanceTimersByTimeAsync(1000);
    expect([await waits('one'), await waits('two')]).toEqual([false, false]);
  });

  it('wait for what a person waits for, but no longer than ten seconds from the first', async () => {
    vi.useFakeTimers();
    const work = beforeKeeping(async () => {
      keptStages.set('rivers', stage());
      await new Promise((resolve) => setTimeout(resolve, 6000));
      keptStages.set('ice', stage());
      await new Promise((resolve) => setTimeout(resolve, 6000));
    });
    await vi.advanceTimersByTimeAsync(9500);
    expect([await waits('rivers'), await waits('ice')]).toEqual([true, true]);
    await vi.advanceTimersByTimeAsync(1000);
    expect([await waits('rivers'), await waits('ice')]).toEqual([false, false]);
    await vi.advanceTimersByTimeAsync(3000);
    await work;
  });

  it('are written soon after the work is over', async () => {
    vi.useFakeTimers();
    const work = beforeKeeping(async () => {
      keptStages.set('scree', stage());
      await new Promise((resolve) => setTimeout(resolve, 4000));
    });
    await vi.advanceTimersByTimeAsync(5000);
    expect(await waits('scree')).toBe(true);
    await vi.advanceTimersByTimeAsync(1000);
    expect(await waits('scree')).toBe(false);
    await work;
  });
});
