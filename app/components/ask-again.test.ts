import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { askAgain } from './ask-again';

describe('pictures of a map that do not come', () => {
  beforeEach(() => void vi.useFakeTimers());
  afterEach(() => void vi.useRealTimers());

  /** A layer that only tells of pictures that failed, and a picture that writes down what it is asked to show. */
  function mapWith(src: string) {
    let fail = (_: { tile: object }) => undefined as void;
    askAgain({ on: (_: string, hear: typeof fail) => void (fail = hear) } as never);
    const shown = [src];
    const tile = {
      get src() {
        return shown.at(-1)!;
      },
      set src(next: string) {
        shown.push(next);
      },
    };
    return { shown, tile, fail: () => fail({ tile }) };
  }

  it('are asked for again after two seconds, then later and later, four times in all', () => {
    const { shown, fail } = mapWith('/tiles/1');
    for (const [times, wait] of [2000, 4000, 6000, 8000].entries()) {
      fail();
      vi.advanceTimersByTime(wait - 1);
      expect(shown.filter((one) => one === '/tiles/1')).toHaveLength(times + 1);
      vi.advanceTimersByTime(1);
      expect(shown.filter((one) => one === '/tiles/1')).toHaveLength(times + 2);
    }
    fail();
    vi.advanceTimersByTime(60_000);
    expect(shown.filter((one) => one === '/tiles/1')).toHaveLength(5);
  });

  it('are left alone where they show something else by then', () => {
    const { shown, tile, fail } = mapWith('/tiles/1');
    fail();
    tile.src = '/tiles/2';
    vi.advanceTimersByTime(10_000);
    expect(shown).toEqual(['/tiles/1', '/tiles/2']);
  });
});
