import { describe, expect, it } from 'vitest';
import { framed, outlineOf } from './frame';

const land = { width: 8192, depth: 4096, spacing: { x: 8, y: 8 } };
const at = (east: number, south: number) => ({ east, south });

describe('a part drawn from corner to corner', () => {
  it('lies on samples, whichever corner was first', () => {
    const part = { west: 1000, north: 504, width: 2000, depth: 1000 };
    for (const [a, b] of [
      [at(1001, 503), at(3003, 1504)],
      [at(3003, 1504), at(1001, 503)],
      [at(1001, 1504), at(3003, 503)],
    ])
      expect(framed(a, b, land, false)).toEqual(part);
  });

  it('is square where the receiver wants it, from the first corner, and stays on the ground', () => {
    expect(framed(at(800, 800), at(2400, 900), land, true)).toEqual({ west: 800, north: 800, width: 1600, depth: 1600 });
    expect(framed(at(2400, 2400), at(800, 2300), land, true)).toEqual({ west: 800, north: 800, width: 1600, depth: 1600 });
    expect(framed(at(800, 3200), at(8000, 3300), land, true)).toEqual({ west: 800, north: 3200, width: 896, depth: 896 });
    const whole = framed(at(-50, -50), at(9000, 9000), land, false)!;
    expect(whole).toEqual({ west: 0, north: 0, width: 8192, depth: 4096 });
  });

  it('is none where it is too small to be meant', () => {
    expect(framed(at(800, 800), at(803, 2000), land, false)).toBeNull();
    expect(framed(at(800, 800), at(800, 800), land, true)).toBeNull();
  });

  it('has an outline that goes around it once', () => {
    const points = outlineOf({ west: 100, north: 200, width: 50, depth: 30 }, 5);
    expect(points.length).toBe(20);
    expect(points[0]).toEqual({ east: 100, south: 200 });
    expect(points[5]).toEqual({ east: 150, south: 200 });
    expect(points[10]).toEqual({ east: 150, south: 230 });
    expect(points[15]).toEqual({ east: 100, south: 230 });
  });
});
