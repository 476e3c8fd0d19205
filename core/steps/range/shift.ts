import { joinFloats } from '../../kernels/joins';
import { z } from 'zod';
import { defineStep } from '../step';
import { distance } from '../params';

/** Moves everything up or down by one distance, metres: both ends of the range move together and the form stays. */
export const shift = defineStep({
  id: 'shift',
  title: 'Shift',
  family: 'range',
  summary: 'Everything moves up or down by the same distance; the form stays.',
  finds: ['offset', 'add', 'raise', 'lower', 'move', 'vertical', 'height', 'up', 'down', 'subtract', 'bias', 'sea level'],
  params: z.object({
    by: distance(0, { min: -9_000, max: 9_000, step: 0.1, label: 'Distance' }),
  }),
  reach: () => 0,
  caption: ({ by }) => `${by < 0 ? '−' : '+'}${Math.abs(by)} m`,
  run({ height }, { by }) {
    return { height: joinFloats(height, height, { mode: 'replace', move: by }) };
  },
});
