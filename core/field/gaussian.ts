import { exactMath } from '../kernels/math';
import type { Kernels, RunOptions } from '../kernels/pool';
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
  const coarse = await kernels.run(filterProgram, { ...wide, tapsX: taps, tapsY: taps, step: 2 }, carriedOn(height, across, down, RIM), options);
  const rest = (sigma: number) => Math.sqrt(Math.max(0, sigma * sigma - HALVING * HALVING)) / 2;
  const blurred = doubled(await gaussian(kernels, coarse, half.across, half.down, rest(sigmaX), rest(sigmaY), options, halvings - 1), half, wide);
  const out = new Float32Array(across * down);
  for (let row = 0; row < down; row++) {
    const from = (row + RIM) * wide.across + RIM;
    out.set(blurred.subarray(from, from + across), row * across);
  }
  return out;
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

function carriedOn(height: Float32Array, across: number, down: number, pad: number): Float32Array<ArrayBuffer> {
  const wide = across + 2 * pad;
  const out = new Float32Array(wide * (down + 2 * pad));
  for (let y = 0; y < down + 2 * pad; y++) {
    const row = Math.min(down - 1, Math.max(0, y - pad)) * across;
    out.fill(height[row], y * wide, y * wide + pad);
    out.set(height.subarray(row, row + across), y * wide + pad);
    out.fill(height[row + across - 1], y * wide + pad + across, (y + 1) * wide);
  }
  return out;
}

interface Size {
  across: number;
  down: number;
}

/** Twice the samples: those there were, and between them the Catmull–Rom middle (−1, 9, 9, −1) / 16. */
function doubled(source: Float32Array, from: Size, to: Size): Float32Array<ArrayBuffer> {
  const wide = new Float32Array(to.across * from.down);
  for (let row = 0; row < from.down; row++) doubleRow(source, row * from.across, from.across, wide, row * to.across, to.across);
  const out = new Float32Array(to.across * to.down);
  const last = from.down - 1;
  for (let row = 0; row < to.down; row++) {
    const k = row >> 1;
    const target = row * to.across;
    const here = k * to.across;
    if ((row & 1) === 0) {
      out.set(wide.subarray(here, here + to.across), target);
      continue;
    }
    const before = Math.max(0, k - 1) * to.across;
    const next = Math.min(last, k + 1) * to.across;
    const after = Math.min(last, k + 2) * to.across;
    middleRow(wide, here, next, before, after, out, target, to.across);
  }
  return out;
}

/** A row with the middles between its samples. */
function doubleRow(source: Float32Array, at: number, across: number, out: Float32Array, to: number, count: number): void {
  const last = across - 1;
  for (let i = 0; i < count; i += 2) out[to + i] = source[at + (i >> 1)];
  for (let i = 1; i < count; i += 2) {
    const k = i >> 1;
    const b = Math.min(last, k + 1);
    out[to + i] = (9 * (source[at + k] + source[at + b]) - (source[at + Math.max(0, k - 1)] + source[at + Math.min(last, k + 2)])) / 16;
  }
}

/** The row in the middle between two, by those two and the ones beyond them. */
function middleRow(rows: Float32Array, here: number, next: number, before: number, after: number, out: Float32Array, to: number, count: number): void {
  for (let i = 0; i < count; i++) out[to + i] = (9 * (rows[here + i] + rows[next + i]) - (rows[before + i] + rows[after + i])) / 16;
}
