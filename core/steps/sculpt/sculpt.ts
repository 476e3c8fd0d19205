import { z } from 'zod';
import { resampleWindow } from '../../field/resample';
import { defineStep } from '../step';
import { hidden } from '../params';
import { samplesSchema, tilesSchema } from '../../field/tiles-schema';
import { TILE, tileFromBytes, unrollTiles, type Tiles } from '../../field/tiles';
import { Surface } from './surface';
import { union, type Window } from '../../field/window';

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
  finds: ['brush', 'sculpt', 'paint', 'raise', 'lower', 'smooth', 'flatten', 'manual', 'edit', 'pen', 'draw', 'by hand'],
  params: z.object({
    samples: hidden(samplesSchema, 'Samples'),
    tiles: hidden(tilesSchema, 'Tiles'),
    strokes: hidden(z.int().min(0).default(0), 'Strokes'),
    /** The strokes as they were made, files of up to 32 each. */
    record: hidden(z.array(z.string().regex(/^[0-9a-f]{64}$/)).default([]), 'Record'),
    /** The files that stamps were taken from. */
    stamps: hidden(z.array(z.string().regex(/^[0-9a-f]{64}$/)).default([]), 'Stamps'),
  }),
  inputs: ({ tiles, record, stamps }) => ({ assets: [...Object.values(tiles), ...record, ...stamps] }),
  reach: () => 0,
  /** The tiles that are not the same, where both were made at the ground's own samples. */
  changed(before, after, ground) {
    const own = ({ samples }: typeof before) =>
      samples.across === ground.across && samples.down === ground.down && samples.registration === ground.registration;
    const empty = Object.keys(before.tiles).length === 0;
    if (!own(after) || !(own(before) || empty)) return 'everywhere';
    let area: Window | null = null;
    for (const key of new Set([...Object.keys(before.tiles), ...Object.keys(after.tiles)])) {
      if (before.tiles[key] === after.tiles[key]) continue;
      const [column, row] = key.split(',').map(Number);
      const [left, top] = [column * TILE, row * TILE];
      area = union(area, { left, top, across: Math.min(TILE, ground.across - left), down: Math.min(TILE, ground.down - top) });
    }
    return area;
  },
  caption: ({ strokes }) => (strokes === 1 ? '1 stroke' : `${strokes} strokes`),
  async run({ height }, { samples, tiles }, { asset, ground, window }) {
    const own = samples.across === ground.across && samples.down === ground.down && samples.registration === ground.registration;
    // At its own samples only what lies in the window is looked at: a stroke costs what it touches.
    const keys = Object.keys(tiles).filter((key) => !own || overlaps(key, window));
    if (keys.length === 0) return { height };
    const loaded: Tiles = new Map();
    for (const key of keys) loaded.set(key, tileFromBytes(await asset(tiles[key])));
    if (own) {
      const { left, top, across, down } = window;
      const out = new Surface(ground, height, loaded).differences({ left, top, right: left + across, bottom: top + down });
      for (let i = 0; i < out.length; i++) out[i] += height[i];
      return { height: out };
    }
    const differences = {
      ground: { ...ground, across: samples.across, down: samples.down, registration: samples.registration },
      height: unrollTiles(loaded, samples.across, samples.down),
    };
    const here = resampleWindow(differences, ground, window).height;
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = height[i] + here[i];
    return { height: out };
  },
});

function overlaps(key: string, { left, top, across, down }: Window): boolean {
  const [column, row] = key.split(',').map(Number);
  return column * TILE < left + across && (column + 1) * TILE > left && row * TILE < top + down && (row + 1) * TILE > top;
}
