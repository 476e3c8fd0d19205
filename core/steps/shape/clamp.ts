import { grouped } from '../../grouped';
import { z } from 'zod';
import { UplandError } from '../../errors';
import { type Remap, remapProgram } from '../../kernels/programs/remap';
import { defineStep } from '../step';
import { distance, elevation } from '../params';

/**
 * Nothing lies under or over two elevations; within `shoulder` metres of a bound the ground
 * bends into it, (h − (bound ∓ s))² / 4s, so that no edge is left.
 */
export const clamp = defineStep({
  id: 'clamp',
  title: 'Clamp',
  family: 'shape',
  summary: 'Nothing lies under or over two elevations, with a smooth shoulder.',
  finds: ['limit', 'cut', 'min', 'max', 'clip', 'floor', 'ceiling', 'threshold', 'cap'],
  params: z.object({
    low: elevation(-11_000, { min: -11_000, max: 9_000, label: 'Not under' }),
    high: elevation(9_000, { min: -11_000, max: 9_000, label: 'Not over' }),
    shoulder: distance(10, { min: 0, max: 2_000, label: 'Shoulder', help: 'Within so many metres of a bound the ground bends into it.' }),
  }),
  reach: () => 0,
  caption: ({ low, high }) => (low > -11_000 ? `${Math.round(low)} to ${Math.round(high)} m` : `under ${Math.round(high)} m`),
  async run({ height }, { low, high, shoulder }, { kernels, say, signal }) {
    if (low > high) throw new UplandError('clamp-bounds', 'The lower bound lies above the upper one. Set it lower.');
    const by: Remap = { kind: 'clamp', low, high, shoulder };
    const { height: out, below: clipped } = await kernels.run(remapProgram, { count: height.length, by }, height, { signal });
    if (clipped) say(`${grouped(clipped)} samples lay beyond the bounds; their form is flattened.`);
    return { height: out };
  },
});
