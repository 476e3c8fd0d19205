import { z } from 'zod';
import { elevation } from '../params';
import { defineStep } from '../step';

/**
 * Brings the ground into a range, whatever it was before: its lowest sample goes to `low`, its
 * highest to `high`, metres; all between keep their order, slopes change by the quotient of the
 * spans. Level ground goes to `low`.
 */
export const fit = defineStep({
  id: 'fit',
  title: 'Fit to a range',
  family: 'range',
  summary: 'The lowest place goes to one height and the highest to another; slopes change with it.',
  finds: ['normalise', 'normalize', 'remap', 'range', 'autolevel', 'min', 'max', 'stretch', 'scale', 'auto levels'],
  params: z.object({
    low: elevation(0, { min: -11_000, max: 9_000, step: 0.1, label: 'Lowest' }),
    high: elevation(500, { min: -11_000, max: 9_000, step: 0.1, label: 'Highest' }),
  }),
  reach: () => Infinity,
  caption: ({ low, high }) => `${Math.round(low)} to ${Math.round(high)} m`,
  run({ height }, { low, high }) {
    let [lowest, highest] = [Infinity, -Infinity];
    for (let i = 0; i < height.length; i++) {
      if (height[i] < lowest) lowest = height[i];
      if (height[i] > highest) highest = height[i];
    }
    const factor = highest > lowest ? (high - low) / (highest - lowest) : 0;
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = low + (height[i] - lowest) * factor;
    return { height: out };
  },
});
