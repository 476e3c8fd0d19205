import { z } from 'zod';
import { drainageOf, type Drainage } from '../../analysis/drainage';
import { spacingOf, type Ground } from '../../field/ground';
import { distance, toggle } from '../params';
import { octavesOf } from '../../field/octaves';
import { gridOf } from '../../field/window';
import { breachProgram } from '../../kernels/programs/breach';
import { noiseProgram } from '../../kernels/programs/noise';
import { defineStep, type StepContext } from '../step';
import { stamp, type Stamped } from './stamp';

/**
 * Cuts outlets through what dams the water: from the lowest place of every hollow the least costly
 * way to where the ground lies lower, in bends of a few outlet widths. What would take a deeper cut
 * than allowed stays a lake, or is filled.
 *
 * Depths and distances in metres. Leaves `cut` and `fill`.
 * Source: Lindsay & Dhun 2015, "Modelling surface drainage patterns in altered landscapes using
 * LiDAR" (least-cost breaching); Lindsay 2016, "Efficient hybrid breaching-filling sink removal
 * methods" (cut as deep as allowed, fill the rest).
 */
export const drain = defineStep({
  id: 'drain',
  title: 'Drain hollows',
  family: 'weather',
  summary: 'Outlets are cut through what dams the water.',
  finds: ['breach', 'depressions', 'sinks', 'pits', 'hollows', 'lakes', 'fill', 'hydrology'],
  params: z.object({
    amount: distance(12, {
      fits: 'range',
      min: 0,
      max: 2_000,
      logarithmic: true,
      label: 'Deepest cut',
      help: 'A dam that needs a deeper cut than this stays.',
    }),
    scale: distance(16, { fits: 'size', min: 1, max: 500, logarithmic: true, label: 'Outlet width', help: 'How wide the cut is at its floor.' }),
    fill: toggle(false, { label: 'Fill the rest', help: 'Hollows that keep their dam are filled up to where they spill.' }),
  }),
  presets: [
    { name: 'Small dams only', params: { amount: 3, scale: 8 } },
    { name: 'Every hollow', params: { amount: 2_000, scale: 16 } },
    { name: 'Cut or fill', params: { amount: 10, scale: 14, fill: true } },
    { name: 'Wide spillways', params: { amount: 20, scale: 60 } },
    { name: 'Fill all', params: { amount: 0, fill: true } },
  ],
  takesMask: true,
  inputs: () => ({ sea: true }),
  reach: () => Infinity,
  caption: ({ amount }) => `to ${amount} m`,
  async run({ height }, { amount, scale, fill }, context) {
    const { ground, kernels, signal, mask, progress } = context;
    const toSea = height.some((h) => h < ground.sea - ground.datum);
    const drainage = await drainageOf(kernels, { ground, height }, { toSea, signal });
    const { stamped, kept } = await outlets(height, drainage, { amount, scale }, context);
    progress(0.7);
    const bed = stamp(height, ground, stamped, { floor: scale / 2, bank: 1.2, deepest: amount });
    for (let i = 0; i < bed.length; i++) if (mask && mask[i] < 1) bed[i] = height[i] + (bed[i] - height[i]) * mask[i];
    if (fill) {
      const again = await drainageOf(kernels, { ground, height: bed }, { toSea, signal });
      for (let i = 0; i < bed.length; i++) if (again.filled[i] > bed[i]) bed[i] += (again.filled[i] - bed[i]) * (mask ? mask[i] : 1);
    }
    if (kept > 0 && !fill)
      context.say(`${kept.toLocaleString('en')} ${kept === 1 ? 'hollow keeps its' : 'hollows keep their'} dam: a deeper cut than ${amount} m would be needed.`);
    const cut = new Float32Array(bed.length);
    const filled = new Float32Array(bed.length);
    for (let i = 0; i < bed.length; i++) {
      const change = bed[i] - height[i];
      if (change < 0) cut[i] = -change;
      else filled[i] = change;
    }
    return { height: bed, layers: { cut, fill: filled } };
  },
});

/** What ways cost where nothing has to be cut, as metres of cutting: an outlet goes around what stands in its way only so far. */
const EVEN = 1;

/** Ways wander by bends of so many outlet widths. */
const BEND = 10;

/** Every outlet with the level that it is cut to: the least costly way from the bottom of each hollow to where the ground lies lower. */
async function outlets(
  height: Float32Array,
  { filled, receiver }: Drainage,
  { amount, scale }: { amount: number; scale: number },
  { ground, window, kernels, mask, signal, progress }: StepContext,
) {
  const { across, down } = ground;
  const { x, y } = spacingOf(ground);
  const bottoms = bottomsOf(height, ground, filled, receiver).filter((i) => !mask || mask[i] > 0);
  const leaves = new Uint8Array(height.length);
  for (let i = 0; i < leaves.length; i++) if (receiver[i] === i) leaves[i] = 1;
  const octaves = octavesOf({ feature: BEND * scale, octaves: 4, gain: 0.6, lacunarity: 2, seed: 1 }, Math.max(x, y));
  const weight = await kernels.run(noiseProgram, { ...gridOf(ground, window), kind: 0, octaves, scale: 1.4, add: 1 }, null, { signal });
  for (let i = 0; i < weight.length; i++) weight[i] = Math.max(0.3, weight[i]);
  const args = { across, down, spacingX: x, spacingY: y, deepest: amount, even: EVEN };
  const { level, kept } = await kernels.run(breachProgram, args, { height, leaves, weight, bottoms }, { signal, progress });
  const stamped: Stamped[] = [];
  for (let i = 0; i < level.length; i++) if (level[i] < height[i]) stamped.push({ at: i, level: level[i], wide: 1 });
  return { stamped, kept };
}

/** The lowest samples of hollows, the lowest first: a later outlet ends where an earlier one lies lower. */
function bottomsOf(height: Float32Array, { across }: Ground, filled: Float32Array, receiver: Int32Array): Int32Array<ArrayBuffer> {
  const bottoms: number[] = [];
  for (let i = 0; i < height.length; i++) {
    if (filled[i] <= height[i] || receiver[i] === i) continue;
    let lowest = true;
    const column = i % across;
    for (let dy = -1; dy <= 1 && lowest; dy++) {
      for (let dx = -1; dx <= 1; dx++) {
        const n = i + dy * across + dx;
        if (column + dx < 0 || column + dx >= across || n < 0 || n >= height.length) continue;
        if (height[n] < height[i] || (height[n] === height[i] && n < i)) {
          lowest = false;
          break;
        }
      }
    }
    if (lowest) bottoms.push(i);
  }
  return Int32Array.from(bottoms.sort((a, b) => height[a] - height[b] || a - b));
}
