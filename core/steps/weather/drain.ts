import { z } from 'zod';
import { drainageOf, type Drainage } from '../../analysis/drainage';
import type { Ground } from '../../field/ground';
import { distance, toggle } from '../params';
import { cooperativeYield } from '../../cooperative-yield';
import { defineStep, type StepContext } from '../step';
import { stamp, type Stamped } from './stamp';

/**
 * Cuts outlets through what dams the water: from the lowest place of every hollow down the way
 * by which it spills, until the ground lies lower. What would take a deeper cut than allowed
 * stays a lake, or is filled.
 *
 * Depths and distances in metres. Leaves `cut` and `fill`.
 * Source: the flood's way out after Barnes, Lehman & Mulla 2014; breaching as in Lindsay 2016,
 * "Efficient hybrid breaching-filling sink removal methods", with the flood's way in place of
 * the least costly one.
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
    const { stamped, kept } = await outlets(height, ground, drainage, amount, mask, context);
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

/** The samples of every outlet with the level that it is cut to, falling by a hair to where the ground is lower. */
async function outlets(
  height: Float32Array,
  ground: Ground,
  { filled, receiver }: Drainage,
  deepest: number,
  mask: Float32Array | undefined,
  { signal }: StepContext,
) {
  const { across } = ground;
  const stamped: Stamped[] = [];
  const level = Float32Array.from(height);
  const pits: number[] = [];
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
    if (lowest) pits.push(i);
  }
  // The lowest first: a later one ends where an earlier outlet lies lower.
  pits.sort((a, b) => height[a] - height[b] || a - b);
  let kept = 0;
  const rest = cooperativeYield(signal);
  for (const pit of pits) {
    const pause = rest();
    if (pause) await pause;
    if (mask && mask[pit] === 0) continue;
    const path: number[] = [];
    let at = pit;
    while (receiver[at] !== at) {
      at = receiver[at];
      if (level[at] < level[pit]) break;
      path.push(at);
    }
    // Evenly from the hollow's floor to where the way goes on, which lies lower.
    const fall = Math.min(level[at], level[pit]) - level[pit];
    const bed = path.map((_, k) => level[pit] + (fall * (k + 1)) / (path.length + 1));
    if (path.some((p, k) => height[p] - bed[k] > deepest)) {
      kept++;
      continue;
    }
    path.forEach((p, k) => {
      if (bed[k] >= level[p]) return;
      level[p] = bed[k];
      stamped.push({ at: p, level: bed[k], wide: 1 });
    });
  }
  return { stamped, kept };
}
