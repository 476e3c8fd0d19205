import { z } from 'zod';
import { gridOf } from '../../field/window';
import { noiseProgram } from '../../kernels/programs/noise';
import { boundedBy, curvatureReach, curvatureWeights, slopeReach, slopeWeights } from '../../analysis/weights';
import { spacingOf } from '../../field/ground';
import { defineStep, type StepContext, type StepInput } from '../step';
import { choice, count, degrees, distance, elevation, plain, ratio, seed } from '../params';
import { octavesOf } from '../../field/octaves';

const params = z.object({
  height: distance(6, {
    fits: 'range',
    min: 0,
    max: 500,
    step: 0.1,
    logarithmic: true,
    label: 'Height',
    help: 'Of the noise, from its usual lowest to its usual highest.',
  }),
  feature: distance(60, { fits: 'size', min: 0.1, max: 10_000, step: 0.1, logarithmic: true, label: 'Feature size' }),
  octaves: count(5, { min: 1, max: 12, label: 'Octaves' }),
  gain: ratio(0.5, { min: 0.05, max: 0.95, label: 'Gain' }),
  guide: choice('slope', { slope: 'Slope', height: 'Height', convexity: 'Convexity' }, { label: 'Guided by' }),
  steepFrom: degrees(20, { min: 0, max: 90, label: 'Full effect from', help: 'Slopes this steep are roughened whole.', when: { guide: ['slope'] } }),
  steepFade: degrees(15, { min: 0, max: 90, label: 'Fades over', when: { guide: ['slope'] } }),
  highFrom: elevation(500, {
    min: -11_000,
    max: 9_000,
    label: 'Full effect from',
    beginsAt: 'middle',
    help: 'Ground this high is roughened whole.',
    when: { guide: ['height'] },
  }),
  highFade: distance(150, { fits: 'range', min: 0, max: 9_000, label: 'Fades over', when: { guide: ['height'] } }),
  convexFrom: plain(2, {
    min: -100,
    max: 1_000,
    step: 0.1,
    label: 'Full effect from',
    help: 'One over kilometres; ridges and edges are above 0.',
    when: { guide: ['convexity'] },
  }),
  convexFade: plain(2, { min: 0, max: 1_000, step: 0.1, label: 'Fades over', when: { guide: ['convexity'] } }),
  seed: seed(),
});
type Params = z.output<typeof params>;

/**
 * Adds fractal noise where the ground is steep, high, or stands out; `height` is from its usual
 * lowest to its usual highest, metres, at full weight.
 */
export const roughen = defineStep({
  id: 'roughen',
  title: 'Roughen',
  family: 'shape',
  summary: 'Adds fine noise where the ground is steep, high, or stands out.',
  finds: ['detail', 'noise', 'texture', 'rough', 'micro', 'displacement', 'rocky'],
  params,
  reach: (params, ground) => {
    if (params.guide === 'height') return 0;
    if (params.guide === 'slope') return slopeReach(spacingOf(ground));
    return curvatureReach(convexSize(params.feature), spacingOf(ground));
  },
  caption: ({ height, guide }) => `${Number(height.toFixed(1))} m by ${guide}`,
  async run(input, params, context) {
    const { ground, window, kernels, progress, signal } = context;
    const weights = await guided(input, params, context);
    const grid = gridOf(ground, window);
    const spacing = Math.max(grid.stepX, grid.stepY);
    let squares = 0;
    for (let i = 0, a = 1; i < params.octaves; i++, a *= params.gain) squares += a * a;
    // Five standard deviations of one octave (0.306) hold 99 % of it, as in the noise step.
    const scale = params.height / (5 * 0.306 * Math.sqrt(squares));
    const octaves = octavesOf({ ...params, lacunarity: 2.03 }, spacing);
    const rough = await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale, add: 0 }, null, { progress, signal });
    for (let i = 0; i < rough.length; i++) rough[i] = input.height[i] + rough[i] * weights[i];
    return { height: rough };
  },
});

const convexSize = (feature: number) => Math.min(2_000, 2 * feature);

function guided({ height }: StepInput, params: Params, { ground, window, kernels, signal }: StepContext) {
  const heights = { height, across: window.across, down: window.down, spacing: spacingOf(ground) };
  switch (params.guide) {
    case 'slope':
      return slopeWeights(heights, { low: params.steepFrom, high: 90, softness: params.steepFade }, { kernels, signal });
    case 'height':
      return boundedBy(height, { low: params.highFrom, high: Infinity, softness: params.highFade }, { kernels, signal });
    case 'convexity':
      return curvatureWeights(
        heights,
        { way: 'mean', size: convexSize(params.feature), low: params.convexFrom, high: Infinity, softness: params.convexFade },
        { kernels, signal },
      );
  }
}
