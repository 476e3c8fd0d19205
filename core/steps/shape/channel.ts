import { z } from 'zod';
import { nearestOn, splineThrough, type Vertex } from '../../field/line';
import { cubicSampler } from '../../field/sample';
import { gridOf, type Grid } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { defineStep } from '../step';
import { choice, degrees, distance, linePoints, toggle } from '../params';

/**
 * Cuts a channel along a smooth line: a bed of a width at a depth under the ground along the
 * line, banks that rise at an angle until they meet the ground. The bed can be made to fall all
 * the way from the first point to the last. Only cuts: the ground is never raised.
 */
export const channel = defineStep({
  id: 'channel',
  title: 'Channel',
  family: 'shape',
  summary: 'Cuts a channel along a line, its bed falling all the way.',
  params: z.object({
    points: linePoints({ label: 'Line', help: 'From the source to the mouth.' }),
    width: distance(40, { min: 0, max: 5_000, label: 'Bed width' }),
    depth: distance(12, { min: 0, max: 1_000, step: 0.1, label: 'Depth', help: 'Of the bed under the ground along the line.' }),
    bank: degrees(32, { min: 2, max: 85, label: 'Bank angle' }),
    bed: choice('round', { round: 'Round', flat: 'Flat' }, { label: 'Bed' }),
    falls: toggle(true, { label: 'Falls all the way', help: 'From the first point to the last the bed never rises.' }),
    soften: distance(6, { min: 0, max: 500, step: 0.1, label: 'Soften', help: 'Rounds the edge where the bank meets the ground.' }),
  }),
  // The bed falls from the first point on: what lies there counts for all of it.
  reach: () => Infinity,
  caption: ({ width, depth }) => `${Math.round(width)} m wide, ${Number(depth.toFixed(1))} m deep`,
  run({ height }, params, { ground, window }) {
    const { width, depth, bank, bed, falls, soften } = params;
    const grid = gridOf(ground, window);
    const half = width / 2;
    const line = splineThrough(params.points, Math.max(grid.stepX, grid.stepY, half / 2));
    const floor = bedAlong(line, height, grid, depth, falls);
    const rise = exactMath().tan(bank * DEGREE);
    let high = -Infinity;
    for (let i = 0; i < height.length; i++) if (height[i] > high) high = height[i];
    let low = Infinity;
    for (const f of floor) if (f < low) low = f;
    const reach = half + (high - low) / rise + soften / rise;
    const { squared, level } = nearestBed(line, floor, grid, reach);
    const out = Float32Array.from(height);
    for (let i = 0; i < out.length; i++) {
      if (squared[i] === Infinity) continue;
      const d = Math.sqrt(squared[i]);
      // The round bed rises to a quarter of its depth at its sides.
      const side = bed === 'round' && half > 0 ? depth * 0.25 * Math.min(1, (d / half) * (d / half)) : 0;
      out[i] = lower(height[i], level[i] + side + Math.max(0, d - half) * rise, soften);
    }
    return { height: out };
  },
});

/** The lower of both, blended over `width` metres, and never above the first. */
function lower(a: number, b: number, width: number): number {
  const near = width - Math.abs(a - b);
  return Math.min(a, b) - (near > 0 ? (near * near) / (4 * width) : 0);
}

function bedAlong(line: Vertex[], height: Float32Array, grid: Grid, depth: number, falls: boolean): Float64Array {
  const sample = cubicSampler(height, grid.across, grid.down, 'carry', true);
  const floor = Float64Array.from(line, ({ east, south }) => {
    const x = Math.min(grid.across - 1, Math.max(0, (east - grid.firstX) / grid.stepX));
    const y = Math.min(grid.down - 1, Math.max(0, (south - grid.firstY) / grid.stepY));
    return sample(Math.floor(x), Math.floor(y), x - Math.floor(x), y - Math.floor(y)) - depth;
  });
  if (falls) for (let i = 1; i < floor.length; i++) floor[i] = Math.min(floor[i], floor[i - 1]);
  return floor;
}

/** For every sample within `reach` metres of the line: its squared distance, and the bed at the nearest place. */
function nearestBed(line: Vertex[], floor: Float64Array, grid: Grid, reach: number) {
  const squared = new Float64Array(grid.across * grid.down).fill(Infinity);
  const level = new Float64Array(grid.across * grid.down);
  for (let k = 0; k + 1 < line.length; k++) {
    const [a, b] = [line[k], line[k + 1]];
    const left = Math.max(0, Math.ceil((Math.min(a.east, b.east) - reach - grid.firstX) / grid.stepX));
    const right = Math.min(grid.across - 1, Math.floor((Math.max(a.east, b.east) + reach - grid.firstX) / grid.stepX));
    const top = Math.max(0, Math.ceil((Math.min(a.south, b.south) - reach - grid.firstY) / grid.stepY));
    const bottom = Math.min(grid.down - 1, Math.floor((Math.max(a.south, b.south) + reach - grid.firstY) / grid.stepY));
    for (let row = top; row <= bottom; row++) {
      const south = grid.firstY + row * grid.stepY;
      for (let column = left; column <= right; column++) {
        const i = row * grid.across + column;
        const near = nearestOn(a, b, grid.firstX + column * grid.stepX, south);
        if (near.squared >= squared[i] || near.squared > reach * reach) continue;
        squared[i] = near.squared;
        level[i] = floor[k] + (floor[k + 1] - floor[k]) * near.share;
      }
    }
  }
  return { squared, level };
}
