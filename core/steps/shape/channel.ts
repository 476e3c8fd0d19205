import { z } from 'zod';
import { nearestOn, splineThrough, type Vertex } from '../../field/line';
import { cubicSampler } from '../../field/sample';
import { gridOf, type Grid } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { cooperativeYield } from '../../cooperative-yield';
import { defineStep } from '../step';
import { choice, degrees, distance, linePoints, toggle } from '../params';

/**
 * Cuts a channel along a smooth line: a bed of a width at a depth under the ground along the
 * line, banks that rise at an angle until they meet the ground; the lowest bank of any piece of
 * the line counts. The bed can be made to fall all
 * the way from the first point to the last. Only cuts: the ground is never raised.
 */
export const channel = defineStep({
  id: 'channel',
  title: 'Channel',
  family: 'shape',
  summary: 'Cuts a channel along a line, its bed falling all the way.',
  finds: ['river', 'canal', 'stream', 'ditch', 'trench', 'carve', 'spline'],
  params: z.object({
    points: linePoints({ label: 'Line', help: 'From the source to the mouth.' }),
    width: distance(40, { fits: 'size', min: 0, max: 5_000, label: 'Bed width' }),
    depth: distance(12, { fits: 'size', min: 0, max: 1_000, step: 0.1, label: 'Depth', help: 'Of the bed under the ground along the line.' }),
    bank: degrees(32, { min: 2, max: 85, label: 'Bank angle' }),
    bed: choice('round', { round: 'Round', flat: 'Flat' }, { label: 'Bed' }),
    falls: toggle(true, { label: 'Falls all the way', help: 'From the first point to the last the bed never rises.' }),
    soften: distance(6, { fits: 'size', min: 0, max: 500, step: 0.1, label: 'Soften', help: 'Rounds the edge where the bank meets the ground.' }),
  }),
  // The bed falls from the first point on: what lies there counts for all of it.
  reach: () => Infinity,
  caption: ({ width, depth }) => `${Math.round(width)} m wide, ${Number(depth.toFixed(1))} m deep`,
  async run({ height }, params, { ground, window, signal, progress }) {
    const { width, depth, bank, bed, falls, soften } = params;
    const grid = gridOf(ground, window);
    const half = width / 2;
    const line = splineThrough(params.points, Math.max(grid.stepX, grid.stepY, half / 2));
    const floor = bedAlong(line, height, grid, depth, falls);
    const rise = exactMath().tan(bank * DEGREE);
    const banks = await lowestBanks(
      height,
      line,
      floor,
      grid,
      { half, rise, soften, side: bed === 'round' ? depth * 0.25 : 0 },
      cooperativeYield(signal),
      progress,
    );
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = banks[i] === Infinity ? height[i] : lower(height[i], banks[i], soften);
    return { height: out };
  },
});

/** The lower of both, blended over `width` metres, and never above the first. */
function lower(a: number, b: number, width: number): number {
  const near = width - Math.abs(a - b);
  return Math.min(a, b) - (near > 0 ? (near * near) / (4 * width) : 0);
}

/** The level of a bed `depth` metres under the ground along a line; `falls`: it never rises on its way. */
export function bedAlong(line: Vertex[], height: Float32Array, grid: Grid, depth: number, falls: boolean): Float64Array {
  const sample = cubicSampler(height, grid.across, grid.down, 'carry', true);
  const floor = Float64Array.from(line, ({ east, south }) => {
    const x = Math.min(grid.across - 1, Math.max(0, (east - grid.firstX) / grid.stepX));
    const y = Math.min(grid.down - 1, Math.max(0, (south - grid.firstY) / grid.stepY));
    return sample(Math.floor(x), Math.floor(y), x - Math.floor(x), y - Math.floor(y)) - depth;
  });
  if (falls) for (let i = 1; i < floor.length; i++) floor[i] = Math.min(floor[i], floor[i - 1]);
  return floor;
}

/** Samples along the side of the blocks that are passed over whole. */
const BLOCK = 32;

/**
 * For every sample the lowest of the beds and banks of all pieces of the line, Infinity where
 * none comes near its height. A block of samples is passed over where even the bank at its
 * nearest lies above all of its ground. The round bed rises by `side` metres to its edges.
 */
async function lowestBanks(
  height: Float32Array,
  line: Vertex[],
  floor: Float64Array,
  grid: Grid,
  { half, rise, soften, side }: { half: number; rise: number; soften: number; side: number },
  rest: () => Promise<void> | undefined,
  progress: (share: number) => void,
): Promise<Float64Array> {
  const { across, down, stepX, stepY, firstX, firstY } = grid;
  const banks = new Float64Array(across * down).fill(Infinity);
  const blocks = blocksOf(height, across, down);
  for (let k = 0; k + 1 < line.length; k++) {
    const [a, b] = [line[k], line[k + 1]];
    const bottom = Math.min(floor[k], floor[k + 1]);
    for (const { left, top, right, below, highest } of blocks) {
      // No nearer than the gap between the block and the piece's own box.
      const gapX = Math.max(0, firstX + left * stepX - Math.max(a.east, b.east), Math.min(a.east, b.east) - (firstX + (right - 1) * stepX));
      const gapY = Math.max(0, firstY + top * stepY - Math.max(a.south, b.south), Math.min(a.south, b.south) - (firstY + (below - 1) * stepY));
      if (bottom + Math.max(0, Math.sqrt(gapX * gapX + gapY * gapY) - half) * rise >= highest + soften) continue;
      for (let row = top; row < below; row++) {
        const south = firstY + row * stepY;
        for (let column = left; column < right; column++) {
          const near = nearestOn(a, b, firstX + column * stepX, south);
          const away = Math.sqrt(near.squared);
          const rounded = half > 0 ? side * Math.min(1, near.squared / (half * half)) : 0;
          const bank = floor[k] + (floor[k + 1] - floor[k]) * near.share + rounded + Math.max(0, away - half) * rise;
          const i = row * across + column;
          if (bank < banks[i]) banks[i] = bank;
        }
      }
    }
    await rest();
    progress(k / line.length);
  }
  return banks;
}

function blocksOf(height: Float32Array, across: number, down: number) {
  const blocks: { left: number; top: number; right: number; below: number; highest: number }[] = [];
  for (let top = 0; top < down; top += BLOCK) {
    for (let left = 0; left < across; left += BLOCK) {
      const [right, below] = [Math.min(across, left + BLOCK), Math.min(down, top + BLOCK)];
      let highest = -Infinity;
      for (let row = top; row < below; row++) {
        for (let i = row * across + left, end = row * across + right; i < end; i++) if (height[i] > highest) highest = height[i];
      }
      blocks.push({ left, top, right, below, highest });
    }
  }
  return blocks;
}
