import { grouped } from '../../grouped';
import { z } from 'zod';
import { UplandError } from '../../errors';
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
  run({ height }, { low, high, shoulder: s }, { say }) {
    if (low > high) throw new UplandError('clamp-bounds', 'The lower bound lies above the upper one. Set it lower.');
    let clipped = 0;
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) {
      let h = height[i];
      if (h < low || h > high) clipped++;
      if (h >= high + s) h = high;
      else if (h > high - s) h = high - ((high + s - h) * (high + s - h)) / (4 * s);
      if (h <= low - s) h = low;
      else if (h < low + s) h = low + ((h - low + s) * (h - low + s)) / (4 * s);
      out[i] = h;
    }
    if (clipped) say(`${grouped(clipped)} samples lay beyond the bounds; their form is flattened.`);
    return { height: out };
  },
});
