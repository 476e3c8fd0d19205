import { z } from 'zod';
import { UplandError } from '../../errors';
import { FILTERS, resample, type Filter } from '../../field/resample';
import { readHeights } from '../../formats/heights';
import { defineStep } from '../step';
import { asset, choice } from '../params';

/**
 * Heights from an asset (any supported heightmap that holds metres), laid over the whole
 * ground. Sample counts that differ are resampled; samples without data take the lowest height.
 */
export const raster = defineStep({
  id: 'raster',
  title: 'Raster',
  family: 'source',
  summary: 'Heights from a file or a pressed mesh, laid over the whole ground.',
  params: z.object({
    asset: asset('Heights', 'The file that the heights come from.'),
    filter: choice(
      'cubic',
      { nearest: 'Nearest', linear: 'Linear', cubic: 'Cubic', monotone: 'Monotone cubic', average: 'Average', lanczos: 'Lanczos' },
      { label: 'Resampling', help: 'How heights between the file’s samples are found where the counts differ.' },
    ),
  }),
  joins: ['replace', 'add', 'subtract', 'higher', 'lower'],
  inputs: ({ asset: sha }) => ({ assets: sha ? [sha] : [] }),
  reach: () => 0,
  async run({ ground }, { asset: sha, filter }, context) {
    if (!sha) throw new UplandError('no-asset', 'This step has no file yet. Choose one, or press a mesh in the Mesh room.');
    const source = await readHeights(await context.asset(sha));
    const laid = { ...source, ground: { ...source.ground, width: ground.width, depth: ground.depth } };
    const reducing = source.ground.across > ground.across;
    const chosen = FILTERS.find((f) => f === (reducing && filter === 'cubic' ? 'average' : filter)) as Filter;
    const { height, valid } = resample(laid, { ...ground, registration: ground.registration }, chosen);
    if (!valid) return { height };
    let lowest = Infinity;
    for (let i = 0; i < height.length; i++) if (valid[i] && height[i] < lowest) lowest = height[i];
    return { height: height.map((h, i) => (valid[i] ? h : lowest)) };
  },
});
