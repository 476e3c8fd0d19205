import { z } from 'zod';
import { resample } from '../../field/resample';
import { defineStep } from '../step';
import { hidden } from '../params';
import { tileFromBytes, unrollTiles, type Tiles } from './tiles';

const tilesSchema = z.record(z.string().regex(/^\d{1,3},\d{1,3}$/), z.string().regex(/^[0-9a-f]{64}$/));

/**
 * Hand work: differences in metres on top of what lies beneath, kept as sparse tiles of
 * 256 × 256 float32. A change beneath leaves them bit for bit. On other sample counts they are
 * resampled: cubic where samples are added, by area where they are taken away.
 */
export const sculpt = defineStep({
  id: 'sculpt',
  title: 'Hand work',
  family: 'hand',
  summary: 'What was raised, lowered and smoothed by hand, kept as differences in metres.',
  params: z.object({
    /** The sample counts that the tiles were made at; 0 while there are none. */
    samples: hidden(
      z
        .object({ across: z.int().min(0), down: z.int().min(0), registration: z.enum(['point', 'area']) })
        .default({ across: 0, down: 0, registration: 'point' }),
      'Samples',
    ),
    tiles: hidden(tilesSchema.default({}), 'Tiles'),
    strokes: hidden(z.int().min(0).default(0), 'Strokes'),
  }),
  inputs: ({ tiles }) => ({ assets: Object.values(tiles) }),
  reach: () => 0,
  caption: ({ strokes }) => (strokes === 1 ? '1 stroke' : `${strokes} strokes`),
  async run({ height, ground }, { samples, tiles }, { asset }) {
    const keys = Object.keys(tiles);
    if (keys.length === 0) return { height };
    const loaded: Tiles = new Map();
    for (const key of keys) loaded.set(key, tileFromBytes(await asset(tiles[key])));
    const differences = {
      ground: { ...ground, across: samples.across, down: samples.down, registration: samples.registration },
      height: unrollTiles(loaded, samples.across, samples.down),
    };
    const here = resample(differences, ground).height;
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = height[i] + here[i];
    return { height: out };
  },
});
