import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import { talusProgram } from '../../kernels/programs/talus';
import { defineStep, type Layers } from '../step';
import { count, degrees } from '../params';

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
    repose: degrees(34, { min: 5, max: 80, label: 'Repose angle', help: 'Dry scree rests at about 34°.' }),
    sweeps: count(120, { min: 1, max: 2000, logarithmic: true, label: 'Sweeps', help: 'How long it slides, on each size of grid.' }),
  }),
  // Where it acts is how easily the rock gives way: blended in afterwards, rock would be made or lost.
  takesMask: true,
  reach: () => Infinity,
  caption: ({ repose }) => `${repose}°`,
  async run({ height }, { repose, sweeps }, { ground, kernels, mask, progress, signal }) {
    const spacing = spacingOf(ground);
    const change = await kernels.run(
      talusProgram,
      {
        across: ground.across,
        down: ground.down,
        point: ground.registration === 'point',
        spacingX: spacing.x,
        spacingY: spacing.y,
        tanRepose: exactMath().tan(repose * DEGREE),
        sweeps,
        masked: mask !== undefined,
      },
      { bed: height, mask },
      { progress, signal },
    );
    const layers: Layers = { cut: new Float32Array(change.length), fill: new Float32Array(change.length) };
    const out = new Float32Array(change.length);
    for (let i = 0; i < change.length; i++) {
      out[i] = height[i] + change[i];
      if (change[i] < 0) layers.cut[i] = -change[i];
      else layers.fill[i] = change[i];
    }
    return { height: out, layers };
  },
});
