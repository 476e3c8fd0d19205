import { describe, expect, it } from 'vitest';
import { clipWords, rangeWords } from './words';

describe('range work in words', () => {
  it('knows a shift from a stretch: 50 … 200 m to −20 … 130 m is a shift by −70 m', () => {
    expect(rangeWords({ low: 50, high: 200 }, { low: -20, high: 130 })).toBe('Everything moves by −70.0 m; the form stays.');
    expect(rangeWords({ low: 0, high: 100 }, { low: 0, high: 118 })).toBe('Slopes become 1.18 times as steep. 0.0 m stays. The form changes.');
    expect(rangeWords({ low: 0, high: 100 }, { low: 50, high: 100 })).toMatch(/gentler: 0\.50 times what they were\. 100\.0 m stays/);
    expect(rangeWords({ low: 0, high: 100 }, { low: 90, high: 10 })).toMatch(/change places/);
    expect(rangeWords({ low: 0, high: 100 }, { low: 7, high: 7 })).toBe('Everything becomes level.');
    expect(rangeWords({ low: 4, high: 4 }, { low: 7, high: 9 })).toMatch(/nothing to stretch/);
    expect(rangeWords({ low: 4, high: 9 }, { low: 4, high: 9 })).toBe('Nothing changes.');
    expect(clipWords({ low: 0, high: 300 }, 20, 0.034)).toBe(
      '3.4 % of the ground lies beyond 0.0 m and 300.0 m, and bends over 20.0 m before it; the rest stays as it is.',
    );
  });
});
