import { describe, expect, it } from 'vitest';
import { HEIGHT, nudged, pathOf, plotOf, withOneMore, withPoint } from './curve-plot';

const points = [
  { from: 0, to: 0 },
  { from: 400, to: 100 },
  { from: 1000, to: 1500 },
];

describe('the picture of a height curve', () => {
  const plot = plotOf(points, { lowest: -200, highest: 900 });

  it('has room for the points and for the ground, and reads back where it draws, to a step', () => {
    expect([plot.low, plot.high]).toEqual([-285, 1585]);
    for (const h of [-200, 0, 333, 1500]) {
      const { from, to } = plot.at((h - plot.low) / (plot.high - plot.low), (h - plot.low) / (plot.high - plot.low));
      expect(Math.abs(from - h)).toBeLessThanOrEqual(plot.step / 2 + 0.05);
      expect(to).toBe(from);
    }
    expect(plot.x(plot.high)).toBeGreaterThan(plot.x(plot.low));
    expect(plot.y(plot.high)).toBeLessThan(plot.y(plot.low));
  });

  it('draws the curve through its points, and stays inside', () => {
    const path = [...pathOf(points, plot).matchAll(/[ML]([\d.-]+) ([\d.-]+)/g)].map(([, x, y]) => [Number(x), Number(y)]);
    for (const { from, to } of points) {
      const near = path.reduce((best, at) => (Math.abs(at[0] - plot.x(from)) < Math.abs(best[0] - plot.x(from)) ? at : best));
      expect(Math.abs(near[1] - plot.y(to))).toBeLessThan(6);
    }
    for (const [, y] of path) expect(y >= 0 && y <= HEIGHT).toBe(true);
    expect(pathOf(points.slice(0, 1), plot)).toBe('');
  });

  it('keeps a point between its neighbours, puts one more half way, and moves by keys', () => {
    expect(withPoint(points, 1, { from: 5000, to: 7 }, 5)[1]).toEqual({ from: 995, to: 7 });
    expect(withPoint(points, 1, { from: -9, to: 7 }, 5)[1]).toEqual({ from: 5, to: 7 });
    expect(withPoint(points, 2, { from: 5000, to: 7 }, 5)[2]).toEqual({ from: 5000, to: 7 });
    expect(withOneMore(points, 0, 5)[1]).toEqual({ from: 200, to: 50 });
    expect(withOneMore(points, 2, 5)[3]).toEqual({ from: 1050, to: 1550 });
    expect(nudged(points[1], 'ArrowLeft', 10)).toEqual({ from: 390, to: 100 });
    expect(nudged(points[1], 'ArrowUp', 10)).toEqual({ from: 400, to: 110 });
    expect(nudged(points[1], 'Enter', 10)).toBeUndefined();
  });
});
