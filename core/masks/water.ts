import { z } from 'zod';
import { waterOf, waterSchema, WATERS, waterWeights } from '../analysis/water';
import { gaussian } from '../field/gaussian';
import { spacingOf } from '../field/ground';
import { choice, distance, plain } from '../steps/params';
import { defineMask } from './mask';

/** By the water on the ground as it is: sea, lakes, streams; and what lies near it. */
export const waterMask = defineMask({
  id: 'water',
  title: 'Water',
  summary: 'Where the sea, a lake or a stream lies.',
  finds: ['sea', 'lake', 'river', 'shore', 'depth', 'underwater'],
  params: z.object({
    of: choice('all', WATERS, { label: 'Water' }),
    from: distance(600, {
      min: 1,
      max: 100_000,
      logarithmic: true,
      label: 'Streams from',
      when: { of: ['all', 'streams'] },
      help: 'A stream begins where the water of a square this wide has gathered.',
    }),
    leastDepth: distance(0.8, {
      min: 0,
      max: 1_000,
      step: 0.1,
      label: 'Lakes from',
      when: { of: ['all', 'lakes'] },
      help: 'Hollows that are less deep hold no lake.',
    }),
    size: plain(1, {
      min: 0.1,
      max: 20,
      step: 0.1,
      label: 'Stream size',
      when: { of: ['all', 'streams'] },
      help: 'Times the width that streams of this flow usually have.',
    }),
    beside: distance(0, { min: 0, max: 2_000, label: 'Beside it', help: 'So far from the water it fades out.' }),
  }),
  inputs: () => ({ sea: true }),
  reach: () => Infinity,
  async weigh({ height }, { of, from, leastDepth, size, beside }, { ground, kernels, signal }) {
    const rules = waterSchema.parse({ from, leastDepth, size, lakes: of === 'all' || of === 'lakes', streams: of === 'all' || of === 'streams' });
    const weights = waterWeights(await waterOf(kernels, { ground, height: height as Float32Array<ArrayBuffer> }, rules, { signal }), of);
    if (beside === 0) return weights;
    const { x, y } = spacingOf(ground);
    const near = await gaussian(kernels, weights, ground.across, ground.down, beside / 2 / x, beside / 2 / y, { signal });
    for (let i = 0; i < near.length; i++) near[i] = Math.max(weights[i], Math.min(1, 2.5 * near[i]));
    return near;
  },
});
