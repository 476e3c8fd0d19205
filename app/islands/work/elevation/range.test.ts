import { describe, expect, it } from 'vitest';
import { rangeFault, shareBeyond, stepOfRange, waterLineOf, wordsOfRange, WAYS, type RangeDraft, type RangeNow, type Way } from './range';

const now: RangeNow = {
  lowest: 99.96,
  highest: 500.04,
  histogram: { from: 100, to: 500, counts: Uint32Array.of(10, 20, 30, 40) },
  sea: 150,
  locked: false,
};
const draft = (way: Way, part: Partial<RangeDraft> = {}): RangeDraft => ({ way, by: 0, low: 0, high: 800, shoulder: 10, level: 120, ...part });

describe('a ground that is put into a range', () => {
  it('is shifted, stretched, fitted or clipped by a step of its own, from ends to a tenth of a metre', () => {
    const steps = (Object.keys(WAYS) as Way[]).map((way) => stepOfRange(draft(way, { by: 12.5 }), now));
    expect(steps.map((use) => use && [use.step, use.params])).toMatchObject([
      ['shift', { by: 12.5 }],
      ['stretch', { fromLow: 100, toLow: 0, fromHigh: 500, toHigh: 800 }],
      ['fit', { low: 0, high: 800 }],
      ['clamp', { low: 0, high: 800, shoulder: 10 }],
      null,
    ]);
  });

  it('moves under a sea that is locked, which goes to its level by itself where it is not', () => {
    expect(stepOfRange(draft('sea', { level: 120.04 }), { ...now, locked: true })).toMatchObject({ step: 'shift', params: { by: 30 } });
    expect(wordsOfRange(draft('sea'), { ...now, locked: true })).toBe('The sea stays at 150.0 m: the land moves by +30.0 m, and its form stays.');
    expect(wordsOfRange(draft('sea', { level: 170 }), { ...now, locked: true })).toContain('by −20.0 m');
    expect(wordsOfRange(draft('sea'), now)).toBe('The sea goes to 120.0 m; the land stays where it is.');
  });

  it('is said with the share that is cut off, by the middles of its bins', () => {
    expect(shareBeyond(now.histogram, 0, 800)).toBe(0);
    expect(shareBeyond(now.histogram, 200, 800)).toBeCloseTo(0.1, 12);
    expect(shareBeyond(now.histogram, 200, 400)).toBeCloseTo(0.5, 12);
    expect(shareBeyond({ ...now.histogram, counts: new Uint32Array(4) }, 200, 400)).toBe(0);
    expect(wordsOfRange(draft('clip', { low: 200, high: 400 }), now)).toContain('50');
  });

  it('has its water line where the sea comes to lie on the form as it is', () => {
    expect(waterLineOf(draft('sea'), now)).toBe(120);
    expect(waterLineOf(draft('shift', { by: 30 }), now)).toBe(120);
    expect(waterLineOf(draft('clip', { low: 200, high: 400 }), now)).toBe(150);
    // 0 to 800 m out of 100 to 500 m: 150 m of the new are 175 of the old.
    expect(waterLineOf(draft('stretch'), now)).toBeCloseTo(175, 9);
    expect(waterLineOf(draft('fit'), now)).toBeCloseTo(175, 9);
    expect(waterLineOf(draft('fit', { low: 10, high: 10 }), now)).toBe(150);
  });

  it('is refused with a sentence where its ends lie the wrong way round', () => {
    for (const way of ['stretch', 'fit', 'clip'] as const) expect(rangeFault(draft(way, { low: 5, high: 5 }))).toMatch(/upper end/);
    for (const way of Object.keys(WAYS) as Way[]) expect(rangeFault(draft(way))).toBeNull();
    expect(rangeFault(draft('shift', { low: 9, high: 1 }))).toBeNull();
  });
});
