import { z } from 'zod';
import { hash32 } from '../../field/hash';
import { gridOf } from '../../field/window';
import { noiseProgram, type NoiseArgs } from '../../kernels/programs/noise';
import { defineStep, type StepContext } from '../step';
import { choice, count, distance, plain, ratio, seed } from '../params';
import { noisePresets } from './noise-presets';
import { octavesOf } from '../../field/octaves';

const KINDS = { fbm: 0, ridged: 1, billow: 2, hybrid: 3 } as const;
const BASES = { gradient: 0, simplex: 1, cellular: 2 } as const;
const CELLS = { nearest: 2, second: 3, border: 4 } as const;

/** Standard deviations of one octave by basis, measured over 4 million samples. */
const DEVIATION = { 0: 0.306, 1: 0.539, 2: 0.317, 3: 0.294, 4: 0.446 } as const;

const params = z.object({
  kind: choice(
    'fbm',
    { fbm: 'Rolling', ridged: 'Ridged', billow: 'Rounded', hybrid: 'Plains and peaks', crossed: 'Crossed' },
    {
      label: 'Kind',
      help: 'Rolling is fractional Brownian motion, ridged the ridged multifractal, rounded billow noise, plains and peaks the hybrid multifractal; crossed is the distance between fractals.',
    },
  ),
  basis: choice('gradient', { gradient: 'Gradient', simplex: 'Simplex', cellular: 'Cellular' }, { label: 'Basis', help: 'What every octave is made of.' }),
  cell: choice(
    'nearest',
    { nearest: 'To the nearest (F1)', second: 'To the second (F2)', border: 'To the border (F2 − F1)' },
    { label: 'Distance', help: 'Which distance to the scattered points counts.', when: { basis: ['cellular'] } },
  ),
  feature: distance(2400, { fits: 'size', min: 1, max: 100_000, logarithmic: true, label: 'Feature size', help: 'From one large hill to the next.' }),
  height: distance(400, { fits: 'size', min: 0, max: 9_000, label: 'Height', help: 'From the usual lowest to the usual highest.' }),
  level: distance(0, {
    min: -11_000,
    max: 9_000,
    label: 'Level',
    help: 'Where its zero lies: the middle of rolling and rounded ground, the foot of the other kinds.',
  }),
  octaves: count(9, { min: 1, max: 16, label: 'Octaves', help: 'How many sizes of detail; what the samples cannot hold is left out.' }),
  gain: ratio(0.48, { min: 0.05, max: 0.95, label: 'Gain', help: 'How strong each smaller size is against the one before.' }),
  lacunarity: plain(2.03, { min: 1.2, max: 4, label: 'Lacunarity', help: 'How much smaller each size is than the one before.' }),
  crossings: count(2, { min: 1, max: 5, label: 'Crossings', help: 'How many fractals are crossed with the first.', when: { kind: ['crossed'] } }),
  warp: distance(0, { fits: 'size', min: 0, max: 5_000, label: 'Warp', help: 'How far the noise is displaced by a second one.' }),
  warpFeature: distance(1_600, { fits: 'size', min: 1, max: 100_000, logarithmic: true, label: 'Warp size', help: 'From one bend to the next.' }),
  seed: seed(),
});
type Params = z.output<typeof params>;

/**
 * Fractal noise on a two-dimensional lattice hashed from the seed. Bases: gradient (Perlin
 * 2002), simplex (Gustavson 2005), cellular (Worley 1996). Fractals after Musgrave in Ebert et
 * al., "Texturing & Modeling", ch. 16; crossed: |a − b| of two fractals, repeated.
 *
 * Feature size is the wavelength of the first octave, metres. Octaves stop where their
 * wavelength falls under two samples and the one at the edge is faded, so that more samples
 * add detail and change nothing else. fBm and billow lie around zero, the others from zero up.
 */
export const noise = defineStep({
  id: 'noise',
  title: 'Noise',
  family: 'source',
  summary: 'Fractal noise: rolling, ridged, rounded, cellular or crossed ground.',
  finds: [
    'fractal',
    'perlin',
    'simplex',
    'fbm',
    'octaves',
    'turbulence',
    'ridged',
    'billow',
    'voronoi',
    'worley',
    'cellular',
    'random',
    'procedural',
    'generate',
    'hills',
    'mountains',
    'base',
    'seed',
    'persistence',
  ],
  params,
  gives: 'difference',
  presets: noisePresets,
  reach: () => 0,
  caption: ({ kind, feature }) =>
    `${{ fbm: 'rolling', ridged: 'ridged', billow: 'rounded', hybrid: 'peaks', crossed: 'crossed' }[kind]} ${Math.round(feature)} m`,
  async run(_input, settings, context) {
    if (settings.kind === 'crossed') return { height: await crossed(settings, context) };
    return { height: await fractal(settings, settings.kind, settings.seed, scaleOf(settings), settings.level, context) };
  },
});

function fractal(
  params: Params,
  kind: keyof typeof KINDS,
  own: number,
  scale: number,
  add: number,
  { ground, window, kernels, progress, signal }: StepContext,
) {
  const grid = gridOf(ground, window);
  const spacing = Math.max(grid.stepX, grid.stepY);
  const args: NoiseArgs = {
    ...grid,
    basis: basisOf(params),
    kind: KINDS[kind],
    octaves: octavesOf({ ...params, seed: own }, spacing),
    scale,
    add,
  };
  if (params.warp > 0) {
    // The whole displacement of three octaves comes to about its first one's 1.75-fold.
    args.warp = octavesOf({ feature: params.warpFeature, octaves: 3, gain: 0.5, lacunarity: 2.03, seed: hash32(own, 0x3ab5) }, spacing);
    args.warpBy = params.warp / 1.2;
  }
  return kernels.run(noiseProgram, args, null, { progress, signal });
}

/** The distance between two fractals, between that and a third, and so on: valleys where they meet. */
async function crossed(params: Params, context: StepContext): Promise<Float32Array<ArrayBuffer>> {
  const unit = 1 / (2.5 * deviationOf(params));
  let out = await fractal(params, 'fbm', params.seed, unit, 0, context);
  for (let i = 1; i <= params.crossings; i++) {
    const other = await fractal(params, 'fbm', hash32(params.seed, 0xc055 + i), unit, 0, context);
    // From the second crossing on both lie above zero.
    const last = i === params.crossings;
    const next = new Float32Array(out.length);
    for (let k = 0; k < next.length; k++) {
      const b = i === 1 ? other[k] : other[k] < 0 ? -other[k] : other[k];
      const apart = out[k] > b ? out[k] - b : b - out[k];
      next[k] = last ? apart * params.height + params.level : apart;
    }
    out = next;
  }
  return out;
}

const basisOf = ({ basis, cell }: Params) => (basis === 'cellular' ? CELLS[cell] : BASES[basis]) as NonNullable<NoiseArgs['basis']>;

/** Standard deviation of the sum of all octaves asked for. */
function deviationOf(params: Params): number {
  let squares = 0;
  for (let i = 0, a = 1; i < params.octaves; i++, a *= params.gain) squares += a * a;
  return DEVIATION[basisOf(params)] * Math.sqrt(squares);
}

/** Metres for one unit of the sum of octaves, from all the octaves asked for, whatever the samples hold. */
function scaleOf(params: Params): number {
  const { kind, height, octaves, gain } = params;
  let sum = 0;
  for (let i = 0, a = 1; i < octaves; i++, a *= gain) sum += a;
  // Five standard deviations hold 99 % of fBm; the others have true bounds.
  if (kind === 'fbm') return height / (5 * deviationOf(params));
  if (kind === 'hybrid') return height / (1.3 * sum);
  return kind === 'ridged' ? height / sum : height / (2 * sum);
}
