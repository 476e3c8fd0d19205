import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import type { Kernels, RunOptions } from '../kernels/pool';
import { horizonProgram } from '../kernels/programs/horizon';

export interface AmbientOptions {
  /** Directions that are looked in, all around. */
  directions: number;
  /** Heights are multiplied by this first. */
  exaggeration: number;
}

export const DEFAULT_AMBIENT: AmbientOptions = { directions: 16, exaggeration: 1 };

/** Where a sun stands, and how wide it is. */
export interface Sun {
  /** Degrees clockwise from north. */
  azimuth: number;
  /** Degrees above the level horizon; less than 0: it has set. */
  altitude: number;
  /** Degrees across; the sun's own is 0.533. A wider one has softer shadows. */
  disc?: number;
}

/** The sun's disc, degrees across (mean; it varies by 1.7 % either way over a year). */
export const SUN_DISC = 0.533;

const samplesOf = ({ ground }: Field, exaggeration: number) => {
  const { x, y } = spacingOf(ground);
  return { across: ground.across, down: ground.down, spacingX: x, spacingY: y, exaggeration };
};

/**
 * Ambient shade: the share of an evenly bright sky that level ground at every sample would be lit by, 0 to 1: the mean over the
 * directions of cos² of the horizon's height, which is 1 / (1 + t²) for a horizon of slope t.
 *
 * Each direction's lines are walked once, keeping the upper hull of what lies behind, so that the time does not grow with how far one
 * looks (Timonen & Westerholm 2010, "Scalable height field self-shadowing"); horizons are interpolated between samples.
 */
export function ambientShade(
  kernels: Kernels,
  field: Field,
  { directions, exaggeration }: AmbientOptions = DEFAULT_AMBIENT,
  options: RunOptions = {},
): Promise<Float32Array<ArrayBuffer>> {
  return kernels.run(horizonProgram, { ...samplesOf(field, exaggeration), kind: 'level', directions }, field.height, options);
}

/**
 * The light of an evenly bright sky on the ground as it lies, 0 to 1 (1: level and open): the sky over the horizons, weighted by the
 * cosine to the ground's own normal. In every place of a hemisphere hollowed out of a plain it is ½.
 */
export function skyLight(
  kernels: Kernels,
  field: Field,
  { directions, exaggeration }: AmbientOptions = DEFAULT_AMBIENT,
  options: RunOptions = {},
): Promise<Float32Array<ArrayBuffer>> {
  return kernels.run(horizonProgram, { ...samplesOf(field, exaggeration), kind: 'tilted', directions }, field.height, options);
}

/** The share of the sun's disc that every sample sees over the horizon: 0 in shadow, 1 in the light, between them in the penumbra. */
export async function sunShare(
  kernels: Kernels,
  field: Field,
  { azimuth, altitude, disc = SUN_DISC }: Sun,
  exaggeration = 1,
  options: RunOptions = {},
): Promise<Float32Array<ArrayBuffer>> {
  if (altitude <= -disc / 2) return new Float32Array(field.height.length);
  return kernels.run(horizonProgram, { ...samplesOf(field, exaggeration), kind: 'sun', azimuth, altitude, disc }, field.height, options);
}
