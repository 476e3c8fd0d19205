import { z } from 'zod';
import { nearestOn, splineThrough, type Place, type Vertex } from '../../field/line';
import { cubicSampler } from '../../field/sample';
import { gridOf, type Grid } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { cooperativeYield } from '../../cooperative-yield';
import { defineStep } from '../step';
import { choice, degrees, distance, elevation, linePoints } from '../params';

/** Samples along the side of the blocks that are passed over whole. */
const BLOCK = 32;

/**
 * Works along a smooth line that stays editable: makes a way level across, cuts, or heaps up a dam
 * or a ridge, of a width, with banks that run at an angle until they meet the ground.
 *
 * The line has heights of its own: those of the ground under it, eased over a distance; straight
 * from drawn point to drawn point; straight from the first to the last; or one level.
 */
export const path = defineStep({
  id: 'path',
  title: 'Path',
  family: 'hand',
  summary: 'Along a line: a level way, a cut, a dam or a ridge.',
  finds: ['road', 'track', 'way', 'spline', 'trail', 'street', 'railway', 'dam', 'embankment', 'cutting', 'ridge', 'line'],
  params: z.object({
    kind: choice('level', { level: 'Level way', cut: 'Cut', dam: 'Dam', ridge: 'Ridge' }, { label: 'It makes' }),
    points: linePoints({ label: 'Line', help: 'Its points stay where they can be moved.' }),
    width: distance(24, { min: 0, max: 5_000, step: 0.5, logarithmic: true, label: 'Width' }),
    height: distance(12, {
      min: 0,
      max: 2_000,
      step: 0.1,
      label: 'Height',
      help: 'How deep a cut lies under its line, how high a dam or a ridge stands over it.',
      when: { kind: ['cut', 'dam', 'ridge'] },
    }),
    bank: degrees(32, { min: 2, max: 85, label: 'Bank angle' }),
    profile: choice('flat', { flat: 'Flat', round: 'Round' }, { label: 'Profile', help: 'Across its width.' }),
    heights: choice(
      'eased',
      { eased: 'Ground, eased', points: 'From point to point', even: 'First to last', level: 'One level' },
      { label: 'Heights', help: 'Of the line itself.' },
    ),
    ease: distance(120, { min: 0, max: 10_000, logarithmic: true, label: 'Eased over', when: { heights: ['eased'] } }),
    level: elevation(0, { min: -11_000, max: 9_000, step: 0.1, label: 'Level', beginsAt: 'middle', when: { heights: ['level'] } }),
    soften: distance(4, { min: 0, max: 500, step: 0.1, label: 'Soften', help: 'Rounds the edges where banks meet the ground.' }),
  }),
  presets: [
    { name: 'Pack-horse way', params: { kind: 'level', width: 6, bank: 34, heights: 'eased', ease: 60, soften: 2 } },
    { name: 'Embanked road', params: { kind: 'level', width: 18, bank: 30, heights: 'points', soften: 4 } },
    { name: 'Drain', params: { kind: 'cut', width: 3, height: 2, bank: 45, profile: 'round', soften: 1 } },
    { name: 'Earth dam', params: { kind: 'dam', width: 8, height: 18, bank: 24, heights: 'even', soften: 2 } },
    { name: 'Sharp crest', params: { kind: 'ridge', width: 4, height: 40, bank: 38, profile: 'round', soften: 12 } },
  ],
  reach: () => Infinity,
  caption: ({ kind, width }) => `${{ level: 'way', cut: 'cut', dam: 'dam', ridge: 'ridge' }[kind]}, ${Number(width.toFixed(1))} m`,
  async run({ height }, params, { ground, window, signal, progress }) {
    const grid = gridOf(ground, window);
    const half = params.width / 2;
    const line = splineThrough(params.points, Math.max(grid.stepX, grid.stepY, half / 2));
    const crest = crestAlong(line, params, height, grid);
    const rise = exactMath().tan(params.bank * DEGREE);
    const rounded = params.profile === 'round' ? 0.25 * (params.kind === 'level' ? half * 0.2 : params.height) : 0;
    const [cuts, fills] = [params.kind === 'level' || params.kind === 'cut', params.kind !== 'cut'];
    const out = height.slice();
    const rest = cooperativeYield(signal);
    const [top, foot] = crest.reduce(([t, f], c) => [Math.max(t, c), Math.min(f, c)], [-Infinity, Infinity]);
    for (let row = 0; row < grid.down; row += BLOCK) {
      for (let column = 0; column < grid.across; column += BLOCK) {
        const block = { left: column, top: row, right: Math.min(grid.across, column + BLOCK), below: Math.min(grid.down, row + BLOCK) };
        const [low, high] = extremes(height, grid.across, block);
        const reach = half + params.soften + Math.max(0, cuts ? high - foot : 0, fills ? top - low : 0) / rise;
        const pieces = piecesNear(line, grid, block, reach);
        if (pieces.length) shape(out, height, grid, block, line, crest, pieces, { half, rise, rounded, cuts, fills, soften: params.soften, reach });
      }
      await rest();
      progress(row / grid.down);
    }
    return { height: out };
  },
});

/** The height of the way, the bed or the crest at every vertex, metres above the datum. */
function crestAlong(
  line: Vertex[],
  { kind, points, height: by, heights, ease, level }: { kind: string; points: readonly Place[]; height: number; heights: string; ease: number; level: number },
  height: Float32Array,
  grid: Grid,
): Float64Array {
  const sample = cubicSampler(height, grid.across, grid.down, 'carry', true);
  const under = ({ east, south }: Place) => {
    const x = Math.min(grid.across - 1, Math.max(0, (east - grid.firstX) / grid.stepX));
    const y = Math.min(grid.down - 1, Math.max(0, (south - grid.firstY) / grid.stepY));
    return sample(Math.floor(x), Math.floor(y), x - Math.floor(x), y - Math.floor(y));
  };
  const whole = line[line.length - 1].along || 1;
  const [first, last] = [under(line[0]), under(line[line.length - 1])];
  let base: Float64Array;
  if (heights === 'level') base = new Float64Array(line.length).fill(level);
  else if (heights === 'even') base = Float64Array.from(line, ({ along }) => first + ((last - first) * along) / whole);
  else if (heights === 'points') base = betweenPoints(line, points, under);
  else base = eased(line, Float64Array.from(line, under), ease);
  const lift = kind === 'cut' ? -by : kind === 'level' ? 0 : by;
  return base.map((h) => h + lift);
}

/** Straight from drawn point to drawn point, each at the ground under it. */
function betweenPoints(line: Vertex[], points: readonly Place[], under: (place: Place) => number): Float64Array {
  const marks: { along: number; height: number }[] = [];
  let from = 0;
  for (const point of points) {
    let [best, away] = [from, Infinity];
    for (let i = from; i < line.length; i++) {
      const [dx, dy] = [line[i].east - point.east, line[i].south - point.south];
      const d = dx * dx + dy * dy;
      if (d < away) [best, away] = [i, d];
      // The first that lies on the point: a line may come by again.
      if (d < 1e-9) break;
    }
    from = best;
    marks.push({ along: line[best].along, height: under(point) });
  }
  let k = 0;
  return Float64Array.from(line, ({ along }) => {
    while (k + 2 < marks.length && along > marks[k + 1].along) k++;
    const [a, b] = [marks[k], marks[Math.min(k + 1, marks.length - 1)]];
    const t = b.along > a.along ? Math.min(1, Math.max(0, (along - a.along) / (b.along - a.along))) : 0;
    return a.height + (b.height - a.height) * t;
  });
}

/** The mean of the heights within `ease`/2 of every vertex along the line; at the ends of what there is. */
function eased(line: Vertex[], heights: Float64Array, ease: number): Float64Array {
  if (ease === 0) return heights;
  let [from, to, sum] = [0, 0, 0];
  return heights.map((_, i) => {
    // As far on one side as on the other, so that the ends stay on the ground.
    const reach = Math.min(ease / 2, line[i].along, line[line.length - 1].along - line[i].along);
    while (to < line.length && line[to].along <= line[i].along + reach + 1e-9) sum += heights[to++];
    while (from < to - 1 && line[from].along < line[i].along - reach - 1e-9) sum -= heights[from++];
    return sum / Math.max(1, to - from);
  });
}

interface Block {
  left: number;
  top: number;
  right: number;
  below: number;
}

function extremes(height: Float32Array, across: number, { left, top, right, below }: Block): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (let row = top; row < below; row++) {
    for (let i = row * across + left; i < row * across + right; i++) {
      if (height[i] < low) low = height[i];
      if (height[i] > high) high = height[i];
    }
  }
  return [low, high];
}

/** The straight pieces that come within `reach` metres of a block. */
function piecesNear(line: Vertex[], { firstX, firstY, stepX, stepY }: Grid, { left, top, right, below }: Block, reach: number): number[] {
  const [west, north, east, south] = [firstX + left * stepX, firstY + top * stepY, firstX + (right - 1) * stepX, firstY + (below - 1) * stepY];
  const out: number[] = [];
  for (let k = 0; k + 1 < line.length; k++) {
    const [a, b] = [line[k], line[k + 1]];
    const gapX = Math.max(0, west - Math.max(a.east, b.east), Math.min(a.east, b.east) - east);
    const gapY = Math.max(0, north - Math.max(a.south, b.south), Math.min(a.south, b.south) - south);
    if (gapX * gapX + gapY * gapY <= reach * reach) out.push(k);
  }
  return out;
}

function shape(
  out: Float32Array,
  height: Float32Array,
  { across, firstX, firstY, stepX, stepY }: Grid,
  { left, top, right, below }: Block,
  line: Vertex[],
  crest: Float64Array,
  pieces: number[],
  {
    half,
    rise,
    rounded,
    cuts,
    fills,
    soften,
    reach,
  }: { half: number; rise: number; rounded: number; cuts: boolean; fills: boolean; soften: number; reach: number },
): void {
  for (let row = top; row < below; row++) {
    for (let column = left; column < right; column++) {
      let [squared, at] = [Infinity, 0];
      for (const k of pieces) {
        const near = nearestOn(line[k], line[k + 1], firstX + column * stepX, firstY + row * stepY);
        if (near.squared < squared) [squared, at] = [near.squared, crest[k] + (crest[k + 1] - crest[k]) * near.share];
      }
      if (squared > reach * reach) continue;
      const away = Math.sqrt(squared);
      const dome = half > 0 ? rounded * Math.min(1, squared / (half * half)) : 0;
      const bank = Math.max(0, away - half) * rise;
      const i = row * across + column;
      let h: number = height[i];
      // A bed rises to its edges, a crest falls to them.
      if (cuts) h = lower(h, at + (fills ? -dome : dome) + bank, soften);
      if (fills) h = -lower(-h, -(at - dome - bank), soften);
      out[i] = h;
    }
  }
}

/** The lower of both, blended over `width` metres, and never above the first. */
function lower(a: number, b: number, width: number): number {
  const near = width - Math.abs(a - b);
  return Math.min(a, b) - (near > 0 ? (near * near) / (4 * width) : 0);
}
