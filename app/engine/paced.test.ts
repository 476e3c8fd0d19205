import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { paced } from './paced';

describe('tellings of work', () => {
  beforeEach(() => vi.useFakeTimers({ toFake: ['performance'] }));
  afterEach(() => vi.useRealTimers());

  it('of the same words come no faster than they can be followed, with how it stands then', () => {
    const told: [string, number][] = [];
    const tell = paced((words: string, share: number) => told.push([words, share]));
    for (let row = 0; row < 1000; row++) {
      tell('Shore', row / 1000);
      vi.advanceTimersByTime(1);
    }
    expect(told.length).toBeGreaterThan(12);
    expect(told.length).toBeLessThan(20);
    expect(told[0]).toEqual(['Shore', 0]);
    for (const [k, [, share]] of told.entries()) expect(share * 1000).toBeGreaterThanOrEqual(60 * k);
  });

  it('of other words come at once', () => {
    const told: string[] = [];
    const tell = paced((words: string, share: number, keeps: boolean) => told.push(`${words} ${share} ${keeps}`));
    tell('Rivers', 0, true);
    tell('Rivers', 0.5, true);
    tell('Ice', 0, true);
    tell('Rivers', 0.6, false);
    expect(told).toEqual(['Rivers 0 true', 'Ice 0 true', 'Rivers 0.6 false']);
  });
});
