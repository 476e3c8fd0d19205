import { z } from 'zod';
import { UplandError } from '../../errors';
import { nearestOn, type Place } from '../../field/line';
import { gridOf } from '../../field/window';
import { cooperativeYield } from '../../cooperative-yield';
import { defineStep } from '../step';
import { choice, distance, elevation, linePoints } from '../params';

/**
 * A place to stand: an outlined area is made level, at the mean of the ground within it or at a
 * typed elevation, with a smooth bank around it.
 */
export const levelArea = defineStep({
  id: 'level-area',
  title: 'Level area',
  family: 'shape',
  summary: 'Makes an outlined area level, with a smooth bank around it.',
  finds: ['flatten', 'pad', 'platform', 'building', 'site', 'plot', 'plateau', 'construction'],
  params: z.object({
    points: linePoints({ label: 'Outline', help: 'Three corners at least.', closed: true }),
    at: choice('mean', { mean: 'The mean within', elevation: 'An elevation' }, { label: 'Level at' }),
    level: elevation(500, { min: -11_000, max: 9_000, step: 0.1, label: 'Elevation', beginsAt: 'middle', when: { at: ['elevation'] } }),
    bank: distance(60, { min: 0, max: 5_000, label: 'Bank', help: 'Over so many metres around it the ground comes back.' }),
  }),
  reach: ({ at }) => (at === 'mean' ? Infinity : 0),
  caption: ({ at, level }) => (at === 'mean' ? 'at its mean' : `at ${Math.round(level)} m`),
  async run({ height }, { points, at, level, bank }, { ground, window, signal }) {
    const rest = cooperativeYield(signal);
    if (points.length < 3) {
      throw new UplandError(
        'outline-points',
        `This outline has ${points.length === 1 ? 'one corner' : `${points.length} corners`}; it needs three at least. Draw it on the plan.`,
      );
    }
    const grid = gridOf(ground, window);
    const [minX, maxX] = [Math.min(...points.map((p) => p.east)) - bank, Math.max(...points.map((p) => p.east)) + bank];
    const [minY, maxY] = [Math.min(...points.map((p) => p.south)) - bank, Math.max(...points.map((p) => p.south)) + bank];
    const weights = new Float32Array(height.length);
    let sum = 0;
    let count = 0;
    for (let row = 0; row < window.down; row++) {
      const pause = rest();
      if (pause) await pause;
      const south = grid.firstY + (grid.top + row) * grid.stepY;
      if (south < minY || south > maxY) continue;
      for (let column = 0; column < window.across; column++) {
        const east = grid.firstX + (grid.left + column) * grid.stepX;
        if (east < minX || east > maxX) continue;
        const i = row * window.across + column;
        if (liesInside(points, east, south)) {
          weights[i] = 1;
          sum += height[i];
          count++;
          continue;
        }
        const t = bank > 0 ? 1 - distanceTo(points, east, south) / bank : 0;
        weights[i] = t > 0 ? t * t * (3 - 2 * t) : 0;
      }
    }
    if (at === 'mean' && count === 0) throw new UplandError('outline-empty', 'No sample lies within this outline. Draw it larger, or on the ground.');
    const target = at === 'mean' ? sum / count : level;
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = weights[i] === 0 ? height[i] : height[i] + (target - height[i]) * weights[i];
    return { height: out };
  },
});

/** Whether a ray to the east crosses the outline an odd number of times. */
function liesInside(points: readonly Place[], east: number, south: number): boolean {
  let inside = false;
  for (let i = 0, j = points.length - 1; i < points.length; j = i++) {
    const [a, b] = [points[i], points[j]];
    if (a.south > south === b.south > south) continue;
    if (east < ((b.east - a.east) * (south - a.south)) / (b.south - a.south) + a.east) inside = !inside;
  }
  return inside;
}

function distanceTo(points: readonly Place[], east: number, south: number): number {
  let least = Infinity;
  for (let i = 0, j = points.length - 1; i < points.length; j = i++) least = Math.min(least, nearestOn(points[j], points[i], east, south).squared);
  return Math.sqrt(least);
}
