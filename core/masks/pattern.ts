import { z } from 'zod';
import { gridOf } from '../field/window';
import { noiseProgram } from '../kernels/programs/noise';
import { count, distance, ratio, seed } from '../steps/params';
import { octavesOf } from '../field/octaves';
import { boundedBy, within } from '../analysis/weights';
import { defineMask } from './mask';

/** By fractal noise of its own: patches of a size. */
export const noiseMask = defineMask({
  id: 'noise',
  title: 'Noise',
  summary: 'Patches of a size, at random.',
  finds: ['random', 'fractal', 'breakup', 'pattern'],
  params: z.object({
    feature: distance(800, { min: 1, max: 100_000, logarithmic: true, label: 'Feature size', help: 'From one patch to the next.' }),
    octaves: count(4, { min: 1, max: 12, label: 'Octaves', help: 'How ragged the patches are.' }),
    low: ratio(0.5, { label: 'From', help: 'Share of the ground left out: about half at 50 %.' }),
    high: ratio(1, { label: 'To' }),
    softness: ratio(0.15, { label: 'Softness' }),
    seed: seed(),
  }),
  async weigh(_input, params, { ground, window, kernels, signal }) {
    const grid = gridOf(ground, window);
    const octaves = octavesOf({ ...params, gain: 0.5, lacunarity: 2.03 }, Math.max(grid.stepX, grid.stepY));
    // One octave lies within −1 and 1; the sum of many seldom leaves ±1.2.
    const values = await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale: 1 / 2.4, add: 0.5 }, null, { signal });
    return boundedBy(values, params, { kernels, signal });
  },
});

/** By the distance from the ground's edge. */
export const edgeMask = defineMask({
  id: 'edge',
  title: 'Distance from the edge',
  summary: 'A border, or everything but it.',
  finds: ['border', 'distance', 'vignette', 'falloff', 'frame'],
  params: z.object({
    low: distance(0, { min: 0, max: 100_000, label: 'From', help: 'Metres from the nearest edge.' }),
    high: distance(400, { min: 0, max: 100_000, label: 'To', help: 'Metres from the nearest edge.' }),
    softness: distance(200, { min: 0, max: 100_000, label: 'Softness' }),
  }),
  weigh(_input, params, { ground, window }) {
    const grid = gridOf(ground, window);
    const out = new Float32Array(window.across * window.down);
    for (let row = 0, i = 0; row < window.down; row++) {
      const y = grid.firstY + (grid.top + row) * grid.stepY;
      const fromRow = Math.min(y, ground.depth - y);
      for (let column = 0; column < window.across; column++, i++) {
        const x = grid.firstX + (grid.left + column) * grid.stepX;
        out[i] = within(Math.min(fromRow, x, ground.width - x), params);
      }
    }
    return out;
  },
});
