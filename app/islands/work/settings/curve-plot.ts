import { monotoneCurve, type CurvePoint } from '@upland-cast/core';

/** Of the picture, in its own units, and what is left free around the curve. */
export const WIDTH = 276;
export const HEIGHT = 190;
export const PAD = 6;

/** How elevations lie in the picture of a height curve: across where they are, up where they go. */
export interface CurvePlot {
  low: number;
  high: number;
  /** Metres that points move by at the least. */
  step: number;
  x(elevation: number): number;
  y(elevation: number): number;
  /** The elevations at shares of the inner picture, from the left and from below, to a step. */
  at(across: number, up: number): CurvePoint;
}

/** Room for the points and for what the ground has. */
export function plotOf(points: readonly CurvePoint[], ground: { lowest: number; highest: number } | undefined): CurvePlot {
  const all = points.flatMap((p) => [p.from, p.to]).concat(ground ? [ground.lowest, ground.highest] : []);
  const span = Math.max(1, Math.max(...all) - Math.min(...all));
  const [low, high] = [Math.min(...all) - span * 0.05, Math.max(...all) + span * 0.05];
  const step = Math.max(0.1, Math.round((high - low) / 400));
  const share = (h: number) => (h - low) / (high - low);
  const snapped = (part: number) => Number((Math.round((low + part * (high - low)) / step) * step).toFixed(1));
  return {
    low,
    high,
    step,
    x: (h) => PAD + share(h) * (WIDTH - 2 * PAD),
    y: (h) => HEIGHT - PAD - share(h) * (HEIGHT - 2 * PAD),
    at: (across, up) => ({ from: snapped(across), to: snapped(up) }),
  };
}

/** The points with one of them somewhere else: it stays between its neighbours, a step from each. */
export function withPoint(sorted: readonly CurvePoint[], index: number, { from, to }: CurvePoint, step: number): CurvePoint[] {
  const before = sorted[index - 1]?.from ?? -Infinity;
  const after = sorted[index + 1]?.from ?? Infinity;
  return sorted.map((p, i) => (i === index ? { from: Math.min(after - step, Math.max(before + step, from)), to } : p));
}

/** The points with one more behind another, half way to the next; behind the last one, twenty steps on. */
export function withOneMore(sorted: readonly CurvePoint[], index: number, step: number): CurvePoint[] {
  const point = sorted[index];
  const next = sorted[index + 1] ?? { from: point.from + 20 * step, to: point.to + 20 * step };
  return [...sorted.slice(0, index + 1), { from: (point.from + next.from) / 2, to: (point.to + next.to) / 2 }, ...sorted.slice(index + 1)];
}

/** Where an arrow key takes a point. */
export function nudged({ from, to }: CurvePoint, key: string, by: number): CurvePoint | undefined {
  const moves: Record<string, CurvePoint> = {
    ArrowUp: { from, to: to + by },
    ArrowDown: { from, to: to - by },
    ArrowLeft: { from: from - by, to },
    ArrowRight: { from: from + by, to },
  };
  return moves[key];
}

/** The curve through the points as a path; none of fewer than two. */
export function pathOf(sorted: readonly CurvePoint[], { low, high, x, y }: CurvePlot): string {
  if (sorted.length < 2) return '';
  const curve = monotoneCurve(sorted);
  let path = '';
  for (let i = 0; i <= 92; i++) {
    const h = low + (i / 92) * (high - low);
    path += `${i ? 'L' : 'M'}${x(h).toFixed(1)} ${Math.min(HEIGHT, Math.max(0, y(curve(h)))).toFixed(1)}`;
  }
  return path;
}
