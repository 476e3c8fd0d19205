import { z } from 'zod';
import { type Remap, remapProgram } from '../../kernels/programs/remap';
import { defineStep } from '../step';
import { distance, elevation, ratio, seed } from '../params';

/**
 * Steps in the height: level treads with risers between them. A function of height alone and
 * monotone in it, so that no water runs uphill because of it; the noise is in the spacing from
 * tread to tread, not in the place.
 *
 * `sharpness` is the share of a step that is tread, `tilt` the share of its rise that the tread
 * keeps: 1 leaves the ground as it is.
 */
export const terrace = defineStep({
  id: 'terrace',
  title: 'Terrace',
  family: 'shape',
  summary: 'Level treads and steep risers, as in benches and bedded rock.',
  finds: ['terraces', 'steps', 'strata', 'stratify', 'bench', 'layers', 'quantise', 'quantize', 'mesa', 'plateaus'],
  params: z.object({
    spacing: distance(38, {
      fits: 'range',
      min: 0.01,
      max: 2_000,
      step: 0.1,
      logarithmic: true,
      label: 'Spacing',
      help: 'Metres of height from tread to tread.',
    }),
    start: elevation(0, { min: -11_000, max: 9_000, step: 0.1, label: 'Starts at', beginsAt: 'middle', help: 'An elevation where a tread begins.' }),
    sharpness: ratio(0.7, { label: 'Sharpness', help: 'How much of a step is tread.' }),
    tilt: ratio(0.15, { label: 'Tilt', help: 'How much of its slope a tread keeps.' }),
    variation: ratio(0.3, { label: 'Variation', help: 'How much the spacing differs from step to step.' }),
    seed: seed(),
  }),
  presets: [
    { name: 'Quarry benches', params: { spacing: 12, sharpness: 0.88, tilt: 0.02, variation: 0 } },
    { name: 'Bedded limestone', params: { spacing: 26, sharpness: 0.6, tilt: 0.3, variation: 0.7 } },
    { name: 'Paddies', params: { spacing: 2.5, sharpness: 0.95, tilt: 0, variation: 0.1 } },
  ],
  reach: () => 0,
  caption: ({ spacing }) => `${Number(spacing.toFixed(1))} m`,
  async run({ height }, { spacing, start, sharpness, tilt, variation, seed: own }, { kernels, signal }) {
    const by: Remap = { kind: 'terrace', spacing, start, riser: Math.max(0.02, 1 - sharpness), tilt, spread: 0.8 * variation, seed: own };
    return { height: (await kernels.run(remapProgram, { count: height.length, by }, height, { signal })).height };
  },
});
