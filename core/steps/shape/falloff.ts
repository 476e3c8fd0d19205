import { z } from 'zod';
import { gridOf } from '../../field/window';
import { noiseProgram } from '../../kernels/programs/noise';
import { defineStep } from '../step';
import { choice, distance, elevation, seed } from '../params';
import { octavesOf } from '../../field/octaves';

/**
 * The border of the ground: an isle sinks to one elevation towards it, a rim rises. By the
 * distance from the edge, along its square or round within it, over a smooth flank; the line
 * can be made ragged by noise, metres.
 */
export const falloff = defineStep({
  id: 'falloff',
  title: 'Falloff',
  family: 'shape',
  summary: 'Makes an isle that sinks to its border, or a rim that rises along it.',
  finds: ['island', 'vignette', 'edge', 'mask', 'border', 'coast', 'radial', 'fade', 'rim'],
  params: z.object({
    kind: choice('isle', { isle: 'Isle', rim: 'Rim' }, { label: 'Kind' }),
    outline: choice('round', { round: 'Round', square: 'Square' }, { label: 'Outline' }),
    width: distance(1_800, { fits: 'size', min: 1, max: 100_000, logarithmic: true, label: 'Width', help: 'Of the flank, from the border inwards.' }),
    margin: distance(0, { min: 0, max: 50_000, label: 'Margin', help: 'So far from the border it has already sunk or risen whole.' }),
    level: elevation(-40, { min: -11_000, max: 9_000, label: 'Sinks to', when: { kind: ['isle'] } }),
    rise: distance(200, { fits: 'range', min: 0, max: 9_000, label: 'Rises by', when: { kind: ['rim'] } }),
    ragged: distance(250, { fits: 'size', min: 0, max: 10_000, label: 'Ragged by', help: 'How far the line wanders.' }),
    feature: distance(1_400, { fits: 'size', min: 1, max: 100_000, logarithmic: true, label: 'Wander size', help: 'From one bay to the next.' }),
    seed: seed(),
  }),
  reach: () => 0,
  caption: ({ kind, width }) => `${kind}, ${Math.round(width)} m`,
  async run({ height }, params, { ground, window, kernels, signal }) {
    const { kind, outline, width, margin, level, rise, ragged, feature } = params;
    const grid = gridOf(ground, window);
    const octaves = octavesOf({ feature, octaves: 5, gain: 0.5, lacunarity: 2.03, seed: params.seed }, Math.max(grid.stepX, grid.stepY));
    const wander =
      ragged > 0
        ? await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale: ragged / 1.2, add: 0 }, null, { signal })
        : new Float32Array(height.length);
    const [halfX, halfY] = [ground.width / 2, ground.depth / 2];
    const out = new Float32Array(height.length);
    for (let row = 0, i = 0; row < window.down; row++) {
      const y = grid.firstY + (grid.top + row) * grid.stepY - halfY;
      for (let column = 0; column < window.across; column++, i++) {
        const x = grid.firstX + (grid.left + column) * grid.stepX - halfX;
        const inside =
          outline === 'square'
            ? Math.min(halfX - Math.abs(x), halfY - Math.abs(y))
            : (1 - Math.sqrt((x / halfX) * (x / halfX) + (y / halfY) * (y / halfY))) * Math.min(halfX, halfY);
        const t = (inside + wander[i] - margin) / width;
        const weight = t <= 0 ? 0 : t >= 1 ? 1 : t * t * (3 - 2 * t);
        out[i] = kind === 'isle' ? level + (height[i] - level) * weight : height[i] + rise * (1 - weight);
      }
    }
    return { height: out };
  },
});
