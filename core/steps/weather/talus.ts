import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { gridOf, wholeOf } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { noiseProgram } from '../../kernels/programs/noise';
import { talusProgram } from '../../kernels/programs/talus';
import { choice, count, degrees, distance, hidden, ratio, seed } from '../params';
import { octavesOf } from '../../field/octaves';
import { defineStep, type StepContext } from '../step';
import { changed, easeOf, hardnessInputs, hardnessParams } from './common';

/**
 * Slides loose rock until no slope exceeds its angle of repose, moving material between
 * neighbours so that its volume is kept.
 *
 * Heights and distances in metres, angles in degrees. Converges towards `repose`, from coarse
 * grids to the ground's own; what was taken and laid down is left in the layers `cut` and
 * `fill` (depths in metres).
 * Source: Musgrave, Kolb & Mace 1989, "The synthesis and rendering of eroded fractal terrains",
 * the section on thermal weathering.
 */
export const talus = defineStep({
  id: 'talus',
  title: 'Talus',
  family: 'weather',
  summary: 'Loose rock slides until no slope is steeper than its angle of repose.',
  params: z.object({
    sweeps: count(120, { min: 8, max: 2000, logarithmic: true, label: 'Sweeps', help: 'How long it slides, on each size of grid.' }),
    repose: degrees(34, { min: 5, max: 80, label: 'Repose angle', help: 'Dry sand rests at about 34°, scree at 35 to 40°.' }),
    loose: ratio(1, { min: 0.05, label: 'Loose share', help: 'So much of the ground gives way, in patches; the rest stands as crags.' }),
    patch: distance(80, {
      more: true,
      below: { loose: 1 },
      min: 2,
      max: 5_000,
      logarithmic: true,
      label: 'Crag size',
      help: 'From one crag to the next, where not all of the ground is loose.',
    }),
    edges: choice(
      'closed',
      { closed: 'Closed', open: 'Open' },
      { more: true, label: 'Edges', help: 'Closed: nothing leaves the ground. Open: what slides over the edge is gone.' },
    ),
    ...hardnessParams,
    seed: seed({ below: { loose: 1 } }),
    until: hidden(z.object({ level: z.int().min(0).max(20), round: z.int().min(0).max(2_000) }).optional(), 'Kept at'),
  }),
  presets: [
    { name: 'Dry sand', params: { repose: 34, sweeps: 200 } },
    { name: 'Scree below crags', params: { repose: 37, loose: 0.6, patch: 120, sweeps: 160 } },
    { name: 'Blocky rockfall', params: { repose: 42, loose: 0.8, patch: 40, sweeps: 80 } },
    { name: 'Soft mounds', params: { repose: 22, sweeps: 300 } },
    { name: 'A touch at the edges', params: { repose: 48, sweeps: 40 } },
  ],
  // Where it acts is how easily the rock gives way: blended in afterwards, rock would be made or lost.
  takesMask: true,
  reach: () => Infinity,
  inputs: hardnessInputs,
  caption: ({ repose }) => `${repose}°`,
  async run({ height, ground: here }, params, context) {
    const { ground, kernels, progress, signal } = context;
    const spacing = spacingOf(ground);
    let mask = await easeOf({ height, ground: here }, params, context);
    if (params.loose < 1) {
      const patches = await loosePatches(params.loose, params.patch, params.seed, context);
      if (mask) for (let i = 0; i < patches.length; i++) patches[i] *= mask[i];
      mask = patches;
    }
    const { change, reached } = await kernels.run(
      talusProgram,
      {
        across: ground.across,
        down: ground.down,
        point: ground.registration === 'point',
        spacingX: spacing.x,
        spacingY: spacing.y,
        tanRepose: exactMath().tan(params.repose * DEGREE),
        sweeps: params.sweeps,
        masked: mask !== undefined,
        open: params.edges === 'open',
        until: params.until,
      },
      { bed: height, mask },
      { progress, signal, halt: context.halt, watch: context.watch },
    );
    if (reached) context.reached?.({ until: reached });
    return changed(height, change);
  },
});

/** Places along each side at which the noise is asked for its spread. */
const ASKED = 64;

/** Patches of a size that make up a share of the ground: 1 inside, 0 outside, soft between. */
async function loosePatches(share: number, patch: number, seed: number, { ground, kernels, signal }: StepContext): Promise<Float32Array<ArrayBuffer>> {
  const grid = gridOf(ground, wholeOf(ground));
  const spectrum = { feature: patch, octaves: 4, gain: 0.5, lacunarity: 2.03, seed };
  const octaves = octavesOf(spectrum, Math.max(grid.stepX, grid.stepY));
  const out = await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale: 1, add: 0 }, null, { signal });
  const asked: number[] = [];
  for (let row = 0; row < ASKED; row++) {
    for (let column = 0; column < ASKED; column++) {
      const at = (k: number, n: number) => Math.min(n - 1, Math.floor(((k + 0.5) / ASKED) * n));
      asked.push(out[at(row, ground.down) * ground.across + at(column, ground.across)]);
    }
  }
  asked.sort((a, b) => a - b);
  const bound = asked[Math.min(asked.length - 1, Math.floor(share * asked.length))];
  const soft = 0.1 * (asked[asked.length - 1] - asked[0]) || 1;
  for (let i = 0; i < out.length; i++) {
    const t = Math.min(1, Math.max(0, 0.5 + (bound - out[i]) / soft));
    out[i] = t * t * (3 - 2 * t);
  }
  return out;
}
