import { grouped } from '../../grouped';
import { z } from 'zod';
import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { spacingOf } from '../../field/ground';
import { resample } from '../../field/resample';
import { cubicSampler } from '../../field/sample';
import { gridOf } from '../../field/window';
import { distance, hidden } from '../params';
import { cooperativeYield } from '../../cooperative-yield';
import { defineStep } from '../step';
import { VOID } from '../mend/fill-voids';

const pieceSchema = z.object({
  asset: z.string().regex(/^[0-9a-f]{64}$/),
  /** Its north-west corner, metres from the ground's. */
  east: z.number().min(-1e7).max(1e7),
  south: z.number().min(-1e7).max(1e7),
  width: z.number().positive().max(1e7),
  depth: z.number().positive().max(1e7),
});

/**
 * Several files laid out as one ground, each at its place and of its size. Where they overlap
 * they are blended by how far inside its own edge each of them is; between its samples each is
 * a Catmull–Rom surface. What none of them covers has no height.
 */
export const mosaic = defineStep({
  id: 'mosaic',
  title: 'Mosaic',
  family: 'source',
  summary: 'Several files laid out as one ground, blended where they overlap.',
  finds: ['tiles', 'merge', 'stitch', 'combine', 'grid', 'world', 'several files'],
  params: z.object({
    pieces: hidden(z.array(pieceSchema).max(400).default([]), 'Pieces'),
    blend: distance(0, { min: 0, max: 100_000, label: 'Blend over', help: 'Metres from the edge of a piece; 0 is all of an overlap.' }),
  }),
  joins: ['replace'],
  inputs: ({ pieces }) => ({ assets: [...new Set(pieces.map((p) => p.asset))] }),
  reach: () => 0,
  caption: ({ pieces }) => `${pieces.length} files`,
  async run({ layers }, { pieces, blend }, { ground, window, heights, say, signal }) {
    if (pieces.length === 0) throw new UplandError('no-pieces', 'This mosaic has no files yet. Bring several in together.');
    const rest = cooperativeYield(signal);
    const grid = gridOf(ground, window);
    const sum = new Float64Array(window.across * window.down);
    const weight = new Float64Array(sum.length);
    for (const piece of pieces) {
      const own = { ...(await heights(piece.asset)) };
      // Finer than the ground: averaged first, or its peaks would be missed.
      const field = coarsened({ ...own, ground: { ...own.ground, width: piece.width, depth: piece.depth } }, spacingOf(ground));
      await lay(field, piece, blend, grid, sum, weight, rest);
    }
    const height = new Float32Array(sum.length);
    let lowest = Infinity;
    let missing = 0;
    for (let i = 0; i < sum.length; i++) {
      if (weight[i] > 0) lowest = Math.min(lowest, (height[i] = sum[i] / weight[i] - ground.datum));
      else missing++;
    }
    if (missing === 0) return { height };
    if (missing === sum.length) throw new UplandError('mosaic-empty', 'None of the files lies on this ground.');
    const voids = new Float32Array(sum.length);
    for (let i = 0; i < sum.length; i++) {
      if (weight[i] > 0) continue;
      height[i] = lowest;
      voids[i] = 1;
    }
    say(`${grouped(missing)} samples are covered by none of the files, or have no height there; they stand at the lowest. Fill voids gives them one.`);
    return { height, layers: { ...layers, [VOID]: voids } };
  },
});

function coarsened(field: Field, spacing: { x: number; y: number }): Field {
  const { ground } = field;
  const own = spacingOf(ground);
  const extra = ground.registration === 'point' ? 1 : 0;
  const fewer = (count: number, length: number, from: number, to: number) => (to > 1.5 * from ? Math.max(2, Math.round(length / to) + extra) : count);
  const across = fewer(ground.across, ground.width, own.x, spacing.x);
  const down = fewer(ground.down, ground.depth, own.y, spacing.y);
  return across === ground.across && down === ground.down ? field : resample(field, { ...ground, across, down }, 'average');
}

/** Adds a piece's elevations, times how much it counts there, to the sums. */
async function lay(
  { ground, height, valid }: Field,
  { east, south }: { east: number; south: number },
  blend: number,
  grid: ReturnType<typeof gridOf>,
  sum: Float64Array,
  weight: Float64Array,
  rest: () => Promise<void> | undefined,
): Promise<void> {
  const { x, y } = spacingOf(ground);
  const point = ground.registration === 'point';
  const pad = point ? 0 : 0.5;
  const sample = cubicSampler(height, ground.across, ground.down, 'carry', point);
  const within = Math.max(x, y) * 1e-6;
  for (let row = 0; row < grid.down; row++) {
    await rest();
    const north = grid.firstY + (grid.top + row) * grid.stepY - south;
    if (north < -within || north > ground.depth + within) continue;
    const v = Math.min(ground.down - 1, Math.max(0, north / y - pad));
    for (let column = 0; column < grid.across; column++) {
      const west = grid.firstX + (grid.left + column) * grid.stepX - east;
      if (west < -within || west > ground.width + within) continue;
      const u = Math.min(ground.across - 1, Math.max(0, west / x - pad));
      const [cu, cv] = [Math.round(u), Math.round(v)];
      if (valid && !valid[cv * ground.across + cu]) continue;
      // What lies on a sample to a millionth of a spacing is that sample.
      const h =
        Math.abs(u - cu) < 1e-6 && Math.abs(v - cv) < 1e-6
          ? height[cv * ground.across + cu]
          : sample(Math.floor(u), Math.floor(v), u - Math.floor(u), v - Math.floor(v));
      const inside = Math.min(west, ground.width - west, north, ground.depth - north);
      const counts = Math.max(1e-6, blend > 0 ? Math.min(1, inside / blend) : inside / Math.max(ground.width, ground.depth));
      const i = row * grid.across + column;
      sum[i] += counts * (h + ground.datum);
      weight[i] += counts;
    }
  }
}
