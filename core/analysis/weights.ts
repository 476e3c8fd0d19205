import { inBlocks } from '../blocks';
import { gaussian, gaussianReach } from '../field/gaussian';
import { DEGREE, exactMath } from '../kernels/math';
import type { Kernels } from '../kernels/pool';
import { remapProgram } from '../kernels/programs/remap';
import { steepnessProgram } from '../kernels/programs/steepness';
import { curvatureOf } from './surface';

/** Weights of 0 to 1 by what the ground is like: masks are made of them, and steps that are guided by the ground. */

export interface Bounds {
  low: number;
  high: number;
  /** Over this much beyond the bounds the weight fades to 0. */
  softness: number;
}

/** 1 between the bounds, fading smoothly to 0 over the softness beyond them. */
export function within(value: number, { low, high, softness }: Bounds): number {
  const beyond = value < low ? low - value : value > high ? value - high : 0;
  if (beyond === 0) return 1;
  if (beyond >= softness) return 0;
  const t = 1 - beyond / softness;
  return t * t * (3 - 2 * t);
}

/** The weights of values sample by sample; the bits of {@link within}. */
export async function boundedBy(values: Float32Array, { low, high, softness }: Bounds, { kernels, signal }: Work): Promise<Float32Array<ArrayBuffer>> {
  const args = { count: values.length, by: { kind: 'bounds', low, high, softness } } as const;
  return (await kernels.run(remapProgram, args, values, { signal })).height;
}

/** Heights in metres, row by row, and the metres from sample to sample. */
interface Heights {
  height: Float32Array<ArrayBuffer>;
  across: number;
  down: number;
  spacing: { x: number; y: number };
}

interface Work {
  kernels: Kernels;
  signal?: AbortSignal;
}

/** Metres around a sample that its slope is measured over. */
export const slopeReach = ({ x, y }: { x: number; y: number }): number => Math.max(x, y);

/** By slope between bounds in degrees (Horn 1981). */
export async function slopeWeights({ height, across, down, spacing }: Heights, bounds: Bounds, { kernels, signal }: Work): Promise<Float32Array<ArrayBuffer>> {
  const { tan } = exactMath();
  // Rise over run squared decides whether a sample is whole or out; only the fading ones need their angle.
  const rise = (angle: number) => (angle >= 90 ? Infinity : angle <= 0 ? -1 : tan(angle * DEGREE) * tan(angle * DEGREE));
  const { low, high, softness } = bounds;
  const weights = { whole: rise(low), wholeTo: rise(high), from: rise(low - softness), to: rise(high + softness), low, high, softness };
  return kernels.run(steepnessProgram, { across, down, spacing, weights }, height, { signal });
}

/** Metres around a sample that its curvature is measured over, smoothed to a size. */
export const curvatureReach = (size: number, { x, y }: { x: number; y: number }): number => Math.max(x, y) * (1 + gaussianReach(size / 2 / Math.min(x, y)));

/** By curvature (Zevenbergen & Thorne 1987) of the ground smoothed to `size` metres, one over kilometres; above 0 where it stands out. */
export async function curvatureWeights(
  { height, across, down, spacing }: Heights,
  { way, size, ...bounds }: Bounds & { way: 'mean' | 'profile' | 'plan'; size: number },
  { kernels, signal }: Work,
): Promise<Float32Array<ArrayBuffer>> {
  const sigma = { x: size / 2 / spacing.x, y: size / 2 / spacing.y };
  const smooth = size > 0 ? await gaussian(kernels, height, across, down, sigma.x, sigma.y, { signal }) : height;
  const curved = curvatureOf(smooth, across, down, spacing, way);
  inBlocks(curved.length, (from, to) => {
    for (let i = from; i < to; i++) curved[i] = within(-1_000 * curved[i], bounds);
  });
  return curved;
}
