import { z } from 'zod';
import { UplandError } from '../../errors';
import { spacingOf, type Ground } from '../../field/ground';
import { medianProgram } from '../../kernels/programs/median';
import { defineStep } from '../step';
import { distance } from '../params';

const MOST_RADIUS = 127;

const radiusIn = (size: number, ground: Ground) => {
  const { x, y } = spacingOf(ground);
  return { radiusX: Math.round(size / 2 / x), radiusY: Math.round(size / 2 / y) };
};

/**
 * The median of a square window, exactly: takes away what is narrower than half the window and
 * leaves edges standing. Small windows by sorting networks, large ones by a sliding histogram
 * with exact refinement (Huang 1979).
 */
export const median = defineStep({
  id: 'median',
  title: 'Median',
  family: 'shape',
  summary: 'Takes spikes and thin lines away and leaves edges standing.',
  finds: ['filter', 'denoise', 'smooth', 'noise', 'despeckle', 'salt pepper'],
  params: z.object({
    size: distance(40, { fits: 'size', min: 0, max: 4_000, label: 'Window', help: 'The side of the square whose median counts.' }),
  }),
  reach({ size }, ground) {
    const { x, y } = spacingOf(ground);
    const { radiusX, radiusY } = radiusIn(size, ground);
    return Math.max(x * radiusX, y * radiusY);
  },
  caption: ({ size }) => `${Number(size.toFixed(1))} m`,
  async run({ height }, { size }, { ground, window, kernels, progress, signal }) {
    const radii = radiusIn(size, ground);
    if (radii.radiusX === 0 && radii.radiusY === 0) return { height };
    if (Math.max(radii.radiusX, radii.radiusY) > MOST_RADIUS) {
      const { x, y } = spacingOf(ground);
      throw new UplandError(
        'median-size',
        `A window of ${size} m is ${2 * Math.max(radii.radiusX, radii.radiusY) + 1} samples here; ${2 * MOST_RADIUS + 1} are the most. Make it ${Math.floor(2 * MOST_RADIUS * Math.min(x, y))} m or less.`,
      );
    }
    return { height: await kernels.run(medianProgram, { across: window.across, down: window.down, ...radii }, height, { progress, signal }) };
  },
});
