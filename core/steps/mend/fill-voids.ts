import { grouped } from '../../grouped';
import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { fillVoids } from '../../field/voids';
import { choice } from '../params';
import { defineStep } from '../step';

/** The layer that says where there is no height: 1, and 0 elsewhere. */
export const VOID = 'void';

/**
 * Gives samples without a height one that carries the ground around them on: bending (the
 * biharmonic equation; slopes go on, planes and quadratics come back) or a membrane (only
 * heights go on: stiff, level in the middle). All others keep their bits. Where the holes are
 * it knows from the layer that a raster leaves.
 */
export const fillVoidsStep = defineStep({
  id: 'fill-voids',
  title: 'Fill voids',
  family: 'mend',
  summary: 'Gives holes a height that carries the ground around them on.',
  finds: ['holes', 'nodata', 'missing', 'gaps', 'inpaint', 'nan', 'voids', 'no-data'],
  params: z.object({
    how: choice('bending', { bending: 'Slopes go on', membrane: 'Stretched flat' }, { label: 'Across a hole' }),
  }),
  reach: () => Infinity,
  caption: ({ how }) => (how === 'bending' ? 'slopes go on' : 'stretched flat'),
  async run({ height, layers }, { how }, { ground, window, signal, progress, say }) {
    const marks = layers[VOID];
    const voids = new Uint8Array(height.length);
    let count = 0;
    for (let i = 0; marks && i < voids.length; i++) if (marks[i] > 0.5) count += voids[i] = 1;
    if (count === 0) {
      say('There are no holes in this ground: every sample has a height.');
      return { height, layers };
    }
    const { x, y } = spacingOf(ground);
    const filled = await fillVoids(height, window.across, window.down, voids, { aspect: x / y, stiffness: how, signal, progress });
    say(`${grouped(count)} samples in ${filled.holes} ${filled.holes === 1 ? 'hole' : 'holes'} were given a height.`);
    return { height: filled.height, layers: { ...layers, [VOID]: new Float32Array(height.length) } };
  },
});
