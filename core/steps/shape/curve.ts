import { z } from 'zod';
import { UplandError } from '../../errors';
import { type Remap, remapProgram } from '../../kernels/programs/remap';
import { defineStep } from '../step';
import { curvePoints } from '../params';

export interface CurvePoint {
  from: number;
  to: number;
}

/**
 * Bends the height curve: a cubic through points from elevation to elevation that rises wherever
 * the points do (Fritsch & Carlson 1980). Beyond the outer points everything moves as they do.
 */
export const curve = defineStep({
  id: 'curve',
  title: 'Curve',
  family: 'shape',
  summary: 'Bends the height curve: elevations go where the curve sends them.',
  finds: ['curves', 'remap', 'profile', 'gradient', 'tone', 'spline', 'transfer function', 'height response'],
  params: z.object({
    points: curvePoints(
      [
        { from: 0, to: 0 },
        { from: 1000, to: 1000 },
      ],
      { label: 'Curve', help: 'What lies at one elevation goes to another.' },
    ),
  }),
  reach: () => 0,
  caption: ({ points }) => `${points.length} points`,
  async run({ height }, { points }, { kernels, signal }) {
    const { x, y, slope } = knotsOf(points);
    const by: Remap = { kind: 'curve', points: Array.from(x, (at, i) => [at, y[i], slope[i]]).flat() };
    return { height: (await kernels.run(remapProgram, { count: height.length, by }, height, { signal })).height };
  },
});

/** The points in their order, and the slopes there; refuses fewer than two different elevations. */
function knotsOf(points: readonly CurvePoint[]): { x: Float64Array; y: Float64Array; slope: Float64Array } {
  const sorted = [...points].sort((a, b) => a.from - b.from).filter((p, i, all) => i === 0 || p.from > all[i - 1].from);
  if (sorted.length < 2) {
    throw new UplandError('curve-points', `A curve needs two points at different elevations; this one has ${sorted.length}. Add a point.`);
  }
  const count = sorted.length;
  const x = Float64Array.from(sorted, (p) => p.from);
  const y = Float64Array.from(sorted, (p) => p.to);
  const secant = (i: number) => (y[i + 1] - y[i]) / (x[i + 1] - x[i]);
  const slope = new Float64Array(count);
  for (let i = 0; i < count; i++) {
    if (i === 0) slope[i] = secant(0);
    else if (i === count - 1) slope[i] = secant(count - 2);
    else slope[i] = secant(i - 1) * secant(i) <= 0 ? 0 : (secant(i - 1) + secant(i)) / 2;
  }
  // Fritsch & Carlson 1980: (α, β) is kept within the circle of radius 3.
  for (let i = 0; i < count - 1; i++) {
    const d = secant(i);
    if (d === 0) {
      slope[i] = slope[i + 1] = 0;
      continue;
    }
    const a = slope[i] / d;
    const b = slope[i + 1] / d;
    const size = a * a + b * b;
    if (size <= 9) continue;
    const tau = 3 / Math.sqrt(size);
    slope[i] = tau * a * d;
    slope[i + 1] = tau * b * d;
  }
  return { x, y, slope };
}

/** The curve as a function; refuses fewer than two different elevations. */
export function monotoneCurve(points: readonly CurvePoint[]): (height: number) => number {
  const { x, y, slope } = knotsOf(points);
  const count = x.length;
  return (h) => {
    if (h <= x[0]) return y[0] + (h - x[0]);
    if (h >= x[count - 1]) return y[count - 1] + (h - x[count - 1]);
    let i = 0;
    let above = count - 1;
    while (above - i > 1) {
      const middle = (i + above) >> 1;
      if (x[middle] <= h) i = middle;
      else above = middle;
    }
    const width = x[i + 1] - x[i];
    const t = (h - x[i]) / width;
    const rise = y[i + 1] - y[i];
    const value = y[i] + t * (width * slope[i] + t * (3 * rise - width * (2 * slope[i] + slope[i + 1]) + t * (width * (slope[i] + slope[i + 1]) - 2 * rise)));
    // Where a segment is level or nearly so, rounding must not leave its ends.
    const [low, high] = rise < 0 ? [y[i + 1], y[i]] : [y[i], y[i + 1]];
    return value < low ? low : value > high ? high : value;
  };
}
