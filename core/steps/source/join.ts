import { z } from 'zod';
import { UplandError } from '../../errors';
import { defineStep, SOURCE_JOINS } from '../step';
import { tributary } from '../params';

/** The end of a tributary, joined with the line it flows into in the way that is chosen; heights as elevations. */
export const join = defineStep({
  id: 'join',
  title: 'Join',
  family: 'source',
  summary: 'A tributary flows in: added, the higher of both, blended, or in another way.',
  finds: ['merge', 'blend', 'combine', 'mix', 'add', 'subtract', 'multiply', 'layer', 'composite', 'max', 'min', 'lighten', 'darken', 'branch'],
  params: z.object({
    tributary: tributary({ label: 'Tributary', help: 'The side line that flows in here.' }),
  }),
  joins: ['higher', ...SOURCE_JOINS.filter((mode) => mode !== 'higher')],
  inputs: ({ tributary: id }) => ({ tributaries: id ? [id] : [] }),
  reach: () => 0,
  async run(_input, { tributary: id }, context) {
    if (!id) throw new UplandError('no-tributary', 'No tributary flows in here yet. Choose one, or begin a new one.');
    return { height: await context.tributary(id), absent: await context.tributaryHoles(id) };
  },
});
