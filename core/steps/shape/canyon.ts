import { z } from 'zod';
import { drainageOf } from '../../analysis/drainage';
import { cooperativeYield } from '../../cooperative-yield';
import { splineThrough } from '../../field/line';
import { nearestMarked } from '../../field/nearest';
import { spacingOf } from '../../field/ground';
import { boundsOf } from '../../field/statistics';
import { gridOf } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { entryAt, type RockHere } from '../../rock/hardness';
import { choice, degrees, distance, linePoints, ratio } from '../params';
import { defineStep, type StepContext, type StepInput } from '../step';
import { bedAlong } from './channel';

/** Walls are climbed so many metres at a time where the rock has no beds. */
const CLIMB = 2;
/** Without beds walls stand between the angles of hard and of soft rock. */
const PLAIN = 0.5;

/**
 * Cuts a canyon along a line, or along the streams that drain the ground: a floor, and walls that rise from it as steeply as each bed of the terrain's rock
 * stands: hard ones in cliffs, soft ones in slopes, so that benches run along both sides. Only cuts.
 *
 * Lengths and heights in metres, angles in degrees. The wall's profile is the beds' own, climbed from the floor: dz/dx = tan(angle of the bed at z). Leaves `cut`.
 * That walls step with their beds is common knowledge of canyon country; the angles are common practice.
 */
export const canyon = defineStep({
  id: 'canyon',
  title: 'Canyon',
  family: 'shape',
  summary: 'Cuts a canyon along a line or along the streams, with benches where rock is bedded.',
  finds: ['gorge', 'ravine', 'valley', 'carve', 'river', 'mesa', 'gully'],
  params: z.object({
    along: choice('streams', { streams: 'The streams', line: 'A line' }, { label: 'Along' }),
    points: linePoints({ label: 'Line', help: 'From the source to the mouth.', when: { along: ['line'] } }),
    from: distance(2_200, {
      fits: 'size',
      min: 10,
      max: 100_000,
      logarithmic: true,
      label: 'Begins at',
      when: { along: ['streams'] },
      help: 'It begins where the water of a square this wide has gathered.',
    }),
    depth: distance(180, {
      fits: 'range',
      min: 0,
      max: 5_000,
      logarithmic: true,
      label: 'Depth',
      help: 'Of the floor under the ground; streams reach it little by little.',
    }),
    width: distance(50, { fits: 'size', min: 0, max: 10_000, logarithmic: true, label: 'Floor', help: 'How wide the floor is.' }),
    hard: degrees(76, { min: 10, max: 89, label: 'Hard beds', help: 'How steep walls stand in the hardest rock.' }),
    soft: degrees(32, { min: 2, max: 89, label: 'Soft beds', help: 'And in the softest.' }),
    rock: ratio(1, { more: true, label: 'Rock', help: 'How far the terrain’s own rock is felt; without it walls are even.' }),
  }),
  presets: [
    { name: 'Stepped walls', params: { hard: 78, soft: 28 } },
    { name: 'Slot', params: { width: 6, hard: 88, soft: 78, depth: 90, from: 1_500 } },
    { name: 'Broad dale', params: { width: 400, hard: 52, soft: 16, depth: 120 } },
    { name: 'Side canyons too', params: { from: 700, depth: 140, width: 24 } },
    { name: 'One great gorge', params: { from: 4_500, depth: 320, width: 80 } },
  ],
  reach: () => Infinity,
  inputs: ({ rock }) => ({ rock: rock > 0, sea: true }),
  caption: ({ depth }) => `${Math.round(depth)} m deep`,
  async run(input, params, context) {
    const { height } = input;
    const { ground, signal } = context;
    const { across, down } = ground;
    const floor = params.along === 'line' ? floorAlongLine(input, params, context) : await floorAlongStreams(input, params, context);
    const marked = floor.map((level) => (level < Infinity ? 1 : 0));
    if (!marked.includes(1)) {
      context.say('Nowhere does the water of so large a square gather: no canyon begins. Let it begin at a smaller one.');
      return { height: height.slice(), layers: { cut: new Float32Array(height.length) } };
    }
    const bounds = boundsOf(height);
    const rock = params.rock > 0 ? await context.rock({ lowest: bounds.lowest - params.depth, highest: bounds.highest }) : undefined;
    const { index, distance: far } = nearestMarked(Uint8Array.from(marked), across, down, spacingOf(ground));
    const climb = climbing(params, rock);
    const rest = cooperativeYield(signal);
    const out = height.slice();
    const cut = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) {
      if (i % 8192 === 0) {
        const pause = rest();
        if (pause) await pause;
        context.progress(i / out.length);
      }
      const level = floor[index[i]];
      if (level >= height[i]) continue;
      const wall = climb(i, level, height[i], Math.max(0, far[i] - params.width / 2));
      if (wall < height[i]) {
        out[i] = wall;
        cut[i] = height[i] - wall;
      }
    }
    return { height: out, layers: { cut } };
  },
});

interface CanyonParams {
  points: { east: number; south: number }[];
  from: number;
  depth: number;
  width: number;
  hard: number;
  soft: number;
  rock: number;
}

/** How high a wall stands at a sample `far` metres from the floor's edge, climbed from the floor's level and no higher than the ground. */
function climbing(
  { hard, soft, rock: strength }: CanyonParams,
  rock: RockHere | undefined,
): (i: number, level: number, highest: number, far: number) => number {
  const { tan } = exactMath();
  const rise = (hardness: number) => tan((soft + (hard - soft) * hardness) * DEGREE);
  const step = rock ? Math.max(0.5, 2 * rock.table.step) : CLIMB;
  const even = rise(PLAIN);
  const rises = rock && Float64Array.from(rock.table.hardness, (h) => rise(PLAIN + strength * (h - PLAIN)));
  const gentlest = rises ? rises.reduce((least, gradient) => Math.min(least, gradient), Infinity) : even;
  return (i, level, highest, far) => {
    if (!rock || !rises) return level + far * even;
    // So far away even walls in the softest rock have come up to the ground.
    if (far * gentlest >= highest - level + step) return highest;
    let [z, left] = [level, far];
    while (z < highest) {
      const steep = rises[entryAt(rock.table, z, rock.uplift[i])];
      if (left <= step / steep) return z + left * steep;
      left -= step / steep;
      z += step;
    }
    return highest;
  };
}

/** The floor's level where a line runs, Infinity elsewhere. */
function floorAlongLine({ height }: StepInput, { points, depth }: CanyonParams, { ground, window }: StepContext): Float32Array {
  const grid = gridOf(ground, window);
  const line = splineThrough(points, Math.min(grid.stepX, grid.stepY) / 2);
  const beds = bedAlong(line, height, grid, depth, true);
  const floor = new Float32Array(height.length).fill(Infinity);
  line.forEach(({ east, south }, k) => {
    const [column, row] = [Math.round((east - grid.firstX) / grid.stepX), Math.round((south - grid.firstY) / grid.stepY)];
    if (column < 0 || row < 0 || column >= grid.across || row >= grid.down) return;
    const i = row * grid.across + column;
    floor[i] = Math.min(floor[i], beds[k]);
  });
  return floor;
}

/** The floor's level along the streams, which it nears from where they begin; Infinity elsewhere. Downstream it never rises, and it does not sink under the sea. */
async function floorAlongStreams({ height }: StepInput, { from, depth }: CanyonParams, { ground, kernels, signal }: StepContext): Promise<Float32Array> {
  const sea = ground.sea - ground.datum;
  const { filled, receiver, accumulation, order } = await drainageOf(kernels, { ground, height }, { toSea: height.some((h) => h < sea), signal });
  const { x, y } = spacingOf(ground);
  const least = (from * from) / (x * y);
  const floor = new Float32Array(height.length).fill(Infinity);
  const bed = new Float32Array(height.length).fill(Infinity);
  for (const i of order) {
    if (accumulation[i] < least || height[i] < sea) continue;
    // Whole where four times as much has gathered as where it begins.
    const share = Math.min(1, (accumulation[i] / least - 1) / 3);
    const level = Math.max(Math.min(bed[i], Math.min(height[i], filled[i]) - share * depth), Math.min(sea, height[i]));
    floor[i] = level;
    const r = receiver[i];
    if (r !== i && bed[r] > level) bed[r] = level;
  }
  return floor;
}
