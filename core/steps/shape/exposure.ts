import { z } from 'zod';
import { exactMath } from '../../kernels/math';
import { defineStep } from '../step';
import { distance, elevation, plain } from '../params';

/**
 * Heights above and below a pivot grow by 2^stops; then all is moved by an offset. What was
 * clipped before stays flat: no exposure brings it back.
 */
export const exposure = defineStep({
  id: 'exposure',
  title: 'Exposure',
  family: 'shape',
  summary: 'Heights grow or shrink away from a pivot, by doublings.',
  finds: ['gain', 'contrast', 'stops', 'multiply', 'brightness', 'amplify', 'amplitude'],
  params: z.object({
    stops: plain(0, { min: -6, max: 6, step: 0.05, label: 'Stops', help: 'Every stop doubles the height above the pivot.' }),
    pivot: elevation(0, { min: -11_000, max: 9_000, label: 'Pivot', beginsAt: 'middle', help: 'What lies here stays.' }),
    offset: distance(0, { min: -9_000, max: 9_000, step: 0.1, label: 'Offset', help: 'Everything moves by this.' }),
  }),
  reach: () => 0,
  caption: ({ stops }) => `${stops < 0 ? '−' : '+'}${Math.abs(Number(stops.toFixed(2)))} stops`,
  run({ height }, { stops, pivot, offset }) {
    const factor = exactMath().pow(2, stops);
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = pivot + (height[i] - pivot) * factor + offset;
    return { height: out };
  },
});
