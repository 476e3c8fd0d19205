import { z } from 'zod';
import { defineStep } from '../step';
import { ratio } from '../params';

const BINS = 65_536;

/**
 * Spreads the heights evenly between the lowest and the highest: every elevation then covers as
 * much ground as any other. By ranks, counted in 65 536 bins with straight lines between them.
 */
export const equalise = defineStep({
  id: 'equalise',
  title: 'Equalise',
  family: 'shape',
  summary: 'Every elevation comes to cover as much ground as any other.',
  finds: ['histogram', 'equalize', 'normalise', 'contrast', 'flatten', 'spread'],
  params: z.object({
    amount: ratio(1, { label: 'Amount', help: 'How far towards the even spread.' }),
  }),
  reach: () => Infinity,
  caption: ({ amount }) => `${Math.round(amount * 100)} %`,
  run({ height }, { amount }) {
    let low = Infinity;
    let high = -Infinity;
    for (let i = 0; i < height.length; i++) {
      if (height[i] < low) low = height[i];
      if (height[i] > high) high = height[i];
    }
    if (!(high > low)) return { height };
    const scale = BINS / (high - low);
    const counts = new Float64Array(BINS + 1);
    for (let i = 0; i < height.length; i++) counts[1 + Math.min(BINS - 1, Math.floor((height[i] - low) * scale))]++;
    for (let b = 1; b <= BINS; b++) counts[b] += counts[b - 1];
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) {
      const at = (height[i] - low) * scale;
      const bin = Math.min(BINS - 1, Math.floor(at));
      const rank = (counts[bin] + (counts[bin + 1] - counts[bin]) * (at - bin)) / height.length;
      out[i] = height[i] + (low + (high - low) * rank - height[i]) * amount;
    }
    return { height: out };
  },
});
