import { z } from 'zod';
import { defineStep } from '../step';
import { elevation } from '../params';

/** Level ground at one elevation, metres. */
export const flat = defineStep({
  id: 'flat',
  title: 'Flat',
  family: 'source',
  summary: 'Level ground at one elevation.',
  finds: ['plane', 'level', 'constant', 'empty', 'base', 'blank', 'uniform'],
  params: z.object({
    level: elevation(0, { min: -11_000, max: 9_000, label: 'Elevation' }),
  }),
  joins: ['replace', 'higher', 'lower'],
  reach: () => 0,
  caption: ({ level }) => `${level} m`,
  run: ({ height }, { level }) => ({ height: new Float32Array(height.length).fill(level) }),
});
