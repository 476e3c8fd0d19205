import { exactMath } from '../kernels/math';
import type { Kernels, RunOptions } from '../kernels/pool';
import { doubledProgram } from '../kernels/programs/doubled';
import { filterProgram } from '../kernels/programs/filter';

/** Beyond this many samples of deviation the field is halved first: the sum of both blurs is the one asked for. */
const WIDEST = 16;
/** The deviation, in samples, with which a field is smoothed before it is halved: what aliases is under 2e-5. */
const HALVING = 3;
/** Tiles have to begin at a multiple of this many samples for their bytes to be the whole's. */
export const GAUSSIAN_ALIGN = 64;
const MOST_HALVINGS = 6;

/** Samples that a blur of `sigma` samples reads on either side. */
export function gaussianReach(sigma: number): number {
  const { halvings, rest } = stepsOf(sigma);
  const scale = 2 ** halvings;
  return Math.ceil(4 * rest + 4) * scale + (4 * HALVING + 2) * (scale - 1) + (halvings ? GAUSSIAN_ALIGN : 0);
}

/** Samples that are carried on around a field before it is halved: more than the halving reads, so that its rim is the outside's own. */
const RIM = 32;

/**
 * The field blurred by a Gaussian of `sigmaX` × `sigmaY` samples, cut at 4σ, the outer samples
 * carried on. Up to 16 samples of deviation directly; wider ones on a field that was smoothed
 * and halved, and brought back by Catmull–Rom halves: within 1e-4 of the range.
 */
export async function gaussian(
  kernels: Kernels,
  height: Float32Array,
  across: number,
  down: number,
  sigmaX: number,
  sigmaY: number,
  options?: RunOptions,
  halvings = stepsOf(Math.min(sigmaX, sigmaY)).halvings,
): Promise<Float32Array<ArrayBuffer>> {
  if (halvings === 0) return kernels.run(filterProgram, { across, down, tapsX: gaussianTaps(sigmaX), tapsY: gaussianTaps(sigmaY) }, height, options);
  const wide = { across: across + 2 * RIM, down: down + 2 * RIM };
  const half = { across: Math.ceil(wide.across / 2), down: Math.ceil(wide.down / 2) };
  const taps = gaussianTaps(HALVING);
  const coarse = await kernels.run(filterProgram, { ...wide, tapsX: taps, tapsY: taps, step: 2, rim: RIM }, height, options);
  const rest = (sigma: number) => Math.sqrt(Math.max(0, sigma * sigma - HALVING * HALVING)) / 2;
  const blurred = await gaussian(kernels, coarse, half.across, half.down, rest(sigmaX), rest(sigmaY), options, halvings - 1);
  return kernels.run(doubledProgram, { ...half, wanted: { across, down }, rim: RIM }, blurred, options);
}

function stepsOf(sigma: number): { halvings: number; rest: number } {
  let halvings = 0;
  let rest = sigma;
  while (rest > WIDEST && halvings < MOST_HALVINGS) {
    rest = Math.sqrt(rest * rest - HALVING * HALVING) / 2;
    halvings++;
  }
  return { halvings, rest };
}

/** Weights of a Gaussian, cut at 4σ; in float32 they add up to one. */
export function gaussianTaps(sigma: number): number[] {
  const radius = sigma > 0 ? Math.floor(4 * sigma + 0.5) : 0;
  const { exp } = exactMath();
  const raw = Array.from({ length: 2 * radius + 1 }, (_, i) => (radius ? exp(-((i - radius) * (i - radius)) / (2 * sigma * sigma)) : 1));
  const sum = raw.reduce((a, b) => a + b, 0);
  const taps = raw.map((w) => Math.fround(w / sum));
  taps[radius] = Math.fround(1 - taps.reduce((a, b, i) => (i === radius ? a : a + b), 0));
  return taps;
}
