import { z } from 'zod';
import { gaussian, gaussianReach } from '../../field/gaussian';
import { spacingOf } from '../../field/ground';
import { defineStep } from '../step';
import { distance } from '../params';

/** Under this many samples of deviation a blur changes nothing that could be seen. */
const LEAST = 0.05;

/** A true Gaussian, its standard deviation in metres; the edges carried on. */
export const blur = defineStep({
  id: 'blur',
  title: 'Blur',
  family: 'shape',
  summary: 'Smooths everything smaller than a size away, by a Gaussian.',
  finds: ['smooth', 'gaussian', 'soften', 'average', 'low-pass', 'filter', 'lowpass'],
  params: z.object({
    size: distance(40, {
      fits: 'size',
      min: 0,
      max: 8_000,
      step: 0.1,
      label: 'Size',
      help: 'The standard deviation: detail smaller than about three times this goes.',
    }),
  }),
  reach({ size }, ground) {
    const { x, y } = spacingOf(ground);
    return Math.max(x * gaussianReach(size / x), y * gaussianReach(size / y));
  },
  caption: ({ size }) => `${Number(size.toFixed(1))} m`,
  async run({ height }, { size }, { ground, window, kernels, progress, signal }) {
    const { x, y } = spacingOf(ground);
    if (size / Math.min(x, y) < LEAST) return { height };
    return { height: await gaussian(kernels, height, window.across, window.down, size / x, size / y, { progress, signal }) };
  },
});
