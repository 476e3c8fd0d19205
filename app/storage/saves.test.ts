import { describe, expect, it, vi } from 'vitest';

// Only the thinning is under test here; the store itself is tried in the browser tests.
vi.mock('./db', () => ({ db: {} }));
const { thinned } = await import('./terrains');

const MINUTE = 60_000;
const DAY = 24 * 60 * MINUTE;

describe('past saves thin out with age', () => {
  const now = 1_800_000_000_000;
  const kept = (ages: number[]) => {
    const saves = ages.map((age) => ({ at: now - age }));
    const dropped = thinned(saves, now);
    return saves.filter((s) => !dropped.includes(s)).map((s) => now - s.at);
  };

  it('all of the last minutes stay, where they are five seconds apart', () => {
    expect(kept([0, 10_000, 20_000, 5 * MINUTE])).toEqual([0, 10_000, 20_000, 5 * MINUTE]);
  });

  it('one a ten minutes for a day, one a day for a month, none after that', () => {
    const hour = Array.from({ length: 60 }, (_, i) => 60 * MINUTE + i * MINUTE);
    expect(kept(hour).length).toBeLessThanOrEqual(8);
    const days = Array.from({ length: 48 }, (_, i) => 2 * DAY + i * 60 * MINUTE);
    expect(kept(days).length).toBeLessThanOrEqual(3);
    expect(kept([31 * DAY])).toEqual([]);
  });

  it('the newest of every span is the one that stays', () => {
    const [first] = kept([3 * DAY + 5, 3 * DAY + 1]);
    expect(first).toBe(3 * DAY + 1);
  });
});
