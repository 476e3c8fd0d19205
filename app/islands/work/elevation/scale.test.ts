import { describe, expect, it } from 'vitest';
import type { Picture } from '../../../engine/api';
import { scaleOf } from './scale';

const picture = (lowest: number, highest: number) =>
  ({ statistics: { lowest, highest }, histogram: { from: lowest, to: highest, counts: Uint32Array.of(1, 4, 0, 9) } }) as unknown as Picture;

describe('the elevation rule', () => {
  it('holds the range with a little beyond, and an elevation is where it is read', () => {
    const scale = scaleOf(picture(100, 600), -2000, 700);
    expect([scale.low, scale.high]).toEqual([70, 630]);
    expect(scale.y(630)).toBe(scale.top);
    expect(scale.y(70)).toBeCloseTo(scale.top + scale.height, 9);
    for (const m of [70, 123.4, 333.3, 600]) expect(scale.elevationAt(scale.y(m))).toBeCloseTo(m, 6);
    expect(scale.seaNear).toBe(false);
  });

  it('takes the sea in where it is near', () => {
    const scale = scaleOf(picture(100, 600), -150, 700);
    expect(scale.seaNear).toBe(true);
    expect(scale.low).toBe(-180);
    expect(scaleOf(picture(100, 600), -201, 700).seaNear).toBe(false);
  });

  it('has marks at round intervals, none beyond its ends', () => {
    for (const size of [120, 500, 1400]) {
      const { marks, interval, low, high } = scaleOf(picture(-312, 2180), 0, size);
      expect(marks.length).toBeGreaterThan(1);
      for (const m of marks) {
        expect(m / interval).toBeCloseTo(Math.round(m / interval), 9);
        expect(m).toBeGreaterThanOrEqual(low);
        expect(m).toBeLessThanOrEqual(high);
      }
    }
  });

  it('draws the histogram within the rule, of level ground too', () => {
    for (const [low, high] of [
      [0, 900],
      [50, 50],
    ]) {
      const { outline, top, height } = scaleOf(picture(low, high), 0, 600);
      const heights = [...outline.matchAll(/[ML]([\d.-]+) ([\d.-]+)/g)].map(([, , at]) => Number(at));
      for (const at of heights) expect(at).toBeGreaterThanOrEqual(top - 1);
      for (const at of heights) expect(at).toBeLessThanOrEqual(top + height + 1);
      expect(outline.endsWith('Z')).toBe(true);
    }
  });
});
