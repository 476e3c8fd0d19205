import { z } from 'zod';
import { boundedBy } from '../analysis/weights';
import { UplandError } from '../errors';
import { boundsOf } from '../field/statistics';
import { entryAt } from '../rock/hardness';
import { choice, count, ratio } from '../steps/params';
import { defineMask } from './mask';

const bed = { min: -10_000, max: 10_000 };

/** By the rock at the surface: how hard it is, or which of its beds. */
export const rockMask = defineMask({
  id: 'rock',
  title: 'Rock',
  summary: 'Where hard rock comes to the surface, or one of its beds.',
  finds: ['hardness', 'strata', 'beds', 'geology', 'layer'],
  params: z.object({
    by: choice('hardness', { hardness: 'Hardness', bed: 'Bed' }, { label: 'By' }),
    low: ratio(0.55, { label: 'From', when: { by: ['hardness'] }, help: '0 % the softest rock, 100 % the hardest.' }),
    high: ratio(1, { label: 'To', when: { by: ['hardness'] } }),
    softness: ratio(0.15, { label: 'Softness', when: { by: ['hardness'] } }),
    first: count(0, {
      ...bed,
      label: 'From bed',
      when: { by: ['bed'] },
      help: 'Beds are counted upwards from the one that lies at 0 m in the middle of the ground.',
    }),
    last: count(0, { ...bed, label: 'To bed', when: { by: ['bed'] } }),
  }),
  inputs: () => ({ rock: true }),
  async weigh({ height }, { by, first, last, ...bounds }, context) {
    const rock = await context.rock(boundsOf(height));
    if (!rock)
      throw new UplandError('no-rock', 'The rock mask has no rock to go by: this terrain is alike everywhere. Give it beds first, or take the mask away.');
    const { table, uplift, sound } = rock;
    if (by === 'hardness') {
      return boundedBy(
        height.map((h, i) => table.hardness[entryAt(table, h, uplift[i])] * (sound ? sound[i] : 1)),
        bounds,
        context,
      );
    }
    return height.map((h, i) => {
      const number = table.bed[entryAt(table, h, uplift[i])];
      return number >= first && number <= last ? 1 : 0;
    });
  },
});
