import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../../tests/helpers/grounds';
import type { Picture } from '../../../engine/api';
import { SectionBefore, sectionThrough } from './section';

const ground = { ...groundOf(11, 11, 10), datum: 200 };
const picture = { ground, height: Float32Array.from({ length: 121 }, (_, i) => (i % 11) * 2) } as Picture;
const [west, east] = [
  { east: 0, south: 50 },
  { east: 100, south: 50 },
];

describe('a section', () => {
  it('is the ground along its line, absolute, over metres from its beginning', () => {
    const { points, levels } = sectionThrough(picture, null, west, east);
    expect(points[0]).toEqual({ x: 0, y: 200 });
    expect(points.at(-1)!.x).toBe(100);
    expect(points.at(-1)!.y).toBeCloseTo(220, 6);
    expect(points[240].y).toBeCloseTo(210, 5);
    expect(levels.every(({ y }) => Number.isNaN(y))).toBe(true);
    expect(sectionThrough(null, null, west, east)).toEqual({ points: [], levels: [] });
  });

  it('shows water at its level where it lies', () => {
    // A pond of constant level over the western half.
    const water = Float32Array.from(picture.height, (h, i) => (i % 11 <= 4 ? 10 - h : 0));
    const { points, levels } = sectionThrough(picture, water, west, east);
    expect(levels[60].y).toBeCloseTo(210, 4);
    expect(levels[60].x).toBe(points[60].x);
    expect(levels.at(-1)!.y).toBeNaN();
  });
});

describe('the ground before', () => {
  const flat = (y: number) => [0, 1, 2].map((x) => ({ x, y }));

  it('is what it was before it last changed along the same line; a preview is held against the last full one', () => {
    const before = new SectionBefore();
    expect(before.take('a', flat(1), false)).toEqual([]);
    expect(before.take('a', flat(1), false)).toEqual([]);
    expect(before.take('a', flat(2), true)).toEqual(flat(1));
    expect(before.take('a', flat(3), false)).toEqual(flat(1));
    expect(before.take('a', flat(4), true)).toEqual(flat(3));
    expect(before.take('a', flat(3), true)).toEqual(flat(1));
    expect(before.take('b', flat(9), false)).toEqual([]);
  });
});
