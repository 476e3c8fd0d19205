import { z } from 'zod';
import { eastOf, southOf, spacingOf } from '../../field/ground';
import { hash32 } from '../../field/hash';
import { noiseProgram, type Octave } from '../../kernels/programs/noise';
import { defineStep } from '../step';
import { choice, count, distance, plain, ratio, seed } from '../params';

const KINDS = { fbm: 0, ridged: 1, billow: 2 } as const;

/** Standard deviation of one octave of the lattice noise, measured over 12 million samples. */
const OCTAVE_DEVIATION = 0.306;

/**
 * Fractal gradient noise (Perlin 2002; fractals after Musgrave in Ebert et al., "Texturing &
 * Modeling", ch. 16) on a two-dimensional lattice hashed from the seed.
 *
 * Feature size is the wavelength of the first octave, metres. Octaves stop where their
 * wavelength falls under two samples and the one at the edge is faded, so that more samples
 * add detail and change nothing else. fBm and billow lie around zero, ridged from zero up.
 */
export const noise = defineStep({
  id: 'noise',
  title: 'Noise',
  family: 'source',
  summary: 'Fractal noise: rolling, ridged or rounded ground.',
  params: z.object({
    kind: choice(
      'fbm',
      { fbm: 'Rolling', ridged: 'Ridged', billow: 'Rounded' },
      {
        label: 'Kind',
        help: 'Rolling is fractional Brownian motion, ridged the ridged multifractal, rounded billow noise.',
      },
    ),
    feature: distance(2400, { min: 1, max: 100_000, logarithmic: true, label: 'Feature size', help: 'From one large hill to the next.' }),
    height: distance(400, { min: 0, max: 9_000, label: 'Height', help: 'From the usual lowest to the usual highest.' }),
    level: distance(0, {
      min: -11_000,
      max: 9_000,
      label: 'Level',
      help: 'Where its zero lies: the middle of rolling and rounded ground, the foot of ridged ground.',
    }),
    octaves: count(9, { min: 1, max: 16, label: 'Octaves', help: 'How many sizes of detail; what the samples cannot hold is left out.' }),
    gain: ratio(0.48, { min: 0.05, max: 0.95, label: 'Gain', help: 'How strong each smaller size is against the one before.' }),
    lacunarity: plain(2.03, { min: 1.2, max: 4, label: 'Lacunarity', help: 'How much smaller each size is than the one before.' }),
    seed: seed(),
  }),
  gives: 'difference',
  reach: () => 0,
  caption: ({ kind, feature }) => `${kind === 'fbm' ? 'rolling' : kind === 'ridged' ? 'ridged' : 'rounded'} ${Math.round(feature)} m`,

  async run(_input, params, { ground, kernels, progress, signal }) {
    const spacing = spacingOf(ground);
    const octaves = octavesOf(params, Math.max(spacing.x, spacing.y));
    const kind = KINDS[params.kind];
    const height = await kernels.run(
      noiseProgram,
      {
        across: ground.across,
        down: ground.down,
        firstX: eastOf(ground, 0),
        stepX: spacing.x,
        firstY: southOf(ground, 0),
        stepY: spacing.y,
        kind,
        octaves,
        scale: scaleOf(params),
        add: params.level,
      },
      null,
      { progress, signal },
    );
    return { height };
  },
});

interface Spectrum {
  kind: keyof typeof KINDS;
  feature: number;
  height: number;
  octaves: number;
  gain: number;
  lacunarity: number;
  seed: number;
}

/** The octaves that samples `spacing` metres apart can hold. */
export function octavesOf({ feature, octaves, gain, lacunarity, seed }: Spectrum, spacing: number): Octave[] {
  const list: Octave[] = [];
  let frequency = 1 / feature;
  let amplitude = 1;
  // Each octave turns by the 3-4-5 angle against the one before: no two share their axes.
  let cos = 0.8;
  let sin = 0.6;
  for (let i = 0; i < octaves; i++) {
    const samples = 1 / (frequency * spacing);
    const t = Math.min(1, Math.max(0, (samples - 2) / 2));
    const fade = t * t * (3 - 2 * t);
    if (fade === 0) break;
    const octaveSeed = hash32(seed, i);
    const offset = hash32(octaveSeed, 0x51ed) / 2 ** 32;
    list.push({ frequency, cos, sin, offset: offset * 512, weight: amplitude * fade, seed: octaveSeed | 0 });
    frequency *= lacunarity;
    amplitude *= gain;
    [cos, sin] = [cos * 0.8 - sin * 0.6, cos * 0.6 + sin * 0.8];
  }
  return list;
}

/** Metres for one unit of the sum of octaves, from all the octaves asked for, whatever the samples hold. */
function scaleOf({ kind, height, octaves, gain }: Spectrum): number {
  let sum = 0;
  let squares = 0;
  for (let i = 0, a = 1; i < octaves; i++, a *= gain) {
    sum += a;
    squares += a * a;
  }
  // Five standard deviations hold 99 % of fBm; the others have true bounds.
  if (kind === 'fbm') return height / (5 * OCTAVE_DEVIATION * Math.sqrt(squares));
  return kind === 'ridged' ? height / sum : height / (2 * sum);
}
