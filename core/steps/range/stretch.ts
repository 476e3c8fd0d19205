import { z } from 'zod';
import { UplandError } from '../../errors';
import { defineStep } from '../step';
import { elevation } from '../params';

/**
 * Stretches the range: h' = a + (h − lo) · (b − a) / (hi − lo). `fromLow` and `fromHigh` are the
 * elevations that become `toLow` and `toHigh`, metres; slopes change by the quotient of the spans.
 */
export const stretch = defineStep({
  id: 'stretch',
  title: 'Stretch',
  family: 'range',
  summary: 'The range grows or shrinks; slopes change with it, so the form changes.',
  finds: ['scale', 'amplitude', 'multiply', 'gain', 'height', 'remap', 'range', 'normalise', 'vertical exaggeration'],
  params: z.object({
    fromLow: elevation(0, { min: -11_000, max: 9_000, step: 0.1, label: 'What lies at', beginsAt: 'lowest' }),
    toLow: elevation(0, { min: -11_000, max: 9_000, step: 0.1, label: 'goes to', beginsAt: 'lowest' }),
    fromHigh: elevation(1000, { min: -11_000, max: 9_000, step: 0.1, label: 'What lies at', beginsAt: 'highest' }),
    toHigh: elevation(1000, { min: -11_000, max: 9_000, step: 0.1, label: 'goes to', beginsAt: 'highest' }),
  }),
  reach: () => 0,
  caption: ({ toLow, toHigh }) => `${Math.round(toLow)} to ${Math.round(toHigh)} m`,
  run({ height }, { fromLow, fromHigh, toLow, toHigh }) {
    if (fromLow === fromHigh) {
      throw new UplandError('stretch-span', `Both ends stand at ${fromLow} m, so there is nothing between them to stretch. Set two different heights.`);
    }
    const factor = (toHigh - toLow) / (fromHigh - fromLow);
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = toLow + (height[i] - fromLow) * factor;
    return { height: out };
  },
});
