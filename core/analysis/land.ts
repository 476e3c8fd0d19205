import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { DEGREE, exactMath } from '../kernels/math';
import type { Kernels, RunOptions } from '../kernels/pool';
import { defaultChannelArea, describeDrainage, drainageOf, lakesOf, streamsOf } from './drainage';
import { powerSpectrum, spectralSlope, type SpectrumPoint } from './spectrum';

export interface LandVerdict {
  id: string;
  /** What lies outside of what real ground shows, in one sentence. */
  sentence: string;
  value: number;
  /** What real ground shows, from and to. */
  usual: readonly [number, number];
}

export interface LandReport {
  /** Degrees, by central differences. */
  slope: { q05: number; q25: number; q50: number; q75: number; q95: number; q99: number };
  /** Share of the ground in the fullest whole degree of slope, those under one degree left out. */
  fullestDegree: { share: number; at: number };
  /** Share of the ground that slopes by less than half a degree. */
  flat: number;
  /** The 8th and the 4th harmonic of the directions that the steeper half faces, relative to the mean: the grid showing through. */
  eightFold: number;
  fourFold: number;
  /** Hollows from which no water leaves, and their share of the area. */
  hollows: { count: number; share: number };
  /** Slopes of log power over log frequency: of large forms and of small ones. */
  spectrum: { large: number; small: number };
  /** θ of S ∝ A^−θ along channels (Flint 1974); null: too few channels. */
  concavity: number | null;
  /** Kilometres of channel in a square kilometre. */
  drainageDensity: number;
  /** Mean of highest less lowest in windows so many metres wide. */
  reliefBySize: { size: number; mean: number }[];
  hypsometricIntegral: number | null;
  verdict: LandVerdict[];
  /** Shares of the ground by whole degrees of slope, from 0 to 89. */
  degrees: number[];
  rings: SpectrumPoint[];
}

/** What real ground shows, and where each span is from. */
export const USUAL_LAND = {
  // Measured by us on a mountain survey at 30 m (0.027); hills are flatter and fuller.
  fullestDegree: [0, 0.08],
  // The same survey: 0.004.
  flat: [0, 0.03],
  // The same survey: 0.013 and 0.060.
  eightFold: [0, 0.06],
  fourFold: [0, 0.06],
  hollows: [0, 0.005],
  // Flint 1974; Whipple & Tucker 1999 give 0.35 to 0.6.
  concavity: [0.35, 0.6],
  // The same survey: −2.75 and −4.84; from −2 (rough) to −4.5 and from −3 to −6.5 by fractal grounds of ours.
  spectrumLarge: [-4.6, -1.8],
  spectrumSmall: [-6.5, -3],
  // Strahler 1952: young ground over 0.6, monadnocks under 0.35.
  hypsometricIntegral: [0.15, 0.75],
} as const satisfies Record<string, readonly [number, number]>;

/** Degrees of slope and the directions of the gradient at every sample, by central differences (one-sided at the edges). */
function gradients({ ground, height }: Field): { gx: Float32Array; gy: Float32Array; slope: Float32Array } {
  const { across, down } = ground;
  const { x, y } = spacingOf(ground);
  const { atan } = exactMath();
  const gx = new Float32Array(height.length);
  const gy = new Float32Array(height.length);
  const slope = new Float32Array(height.length);
  for (let row = 0, i = 0; row < down; row++) {
    const [n, s] = [row > 0 ? -across : 0, row < down - 1 ? across : 0];
    const perY = n === s ? 0 : 1 / (((s - n) / across) * y);
    for (let column = 0; column < across; column++, i++) {
      const [w, e] = [column > 0 ? -1 : 0, column < across - 1 ? 1 : 0];
      const perX = w === e ? 0 : 1 / ((e - w) * x);
      gx[i] = (height[i + e] - height[i + w]) * perX;
      gy[i] = (height[i + s] - height[i + n]) * perY;
      slope[i] = atan(Math.sqrt(gx[i] * gx[i] + gy[i] * gy[i])) / DEGREE;
    }
  }
  return { gx, gy, slope };
}

/** The value at a share of sorted values, straight between them. */
function quantile(sorted: Float32Array, share: number): number {
  const at = share * (sorted.length - 1);
  const low = Math.floor(at);
  const high = Math.min(sorted.length - 1, low + 1);
  return sorted[low] + (at - low) * (sorted[high] - sorted[low]);
}

const BINS = 72;

/** Amplitudes of two harmonics of the histogram of directions, relative to its mean. */
function harmonics(gx: Float32Array, gy: Float32Array, slope: Float32Array, least: number): { eightFold: number; fourFold: number } {
  const { atan2, sin, cos } = exactMath();
  const bins = new Float64Array(BINS);
  let count = 0;
  for (let i = 0; i < slope.length; i++) {
    if (slope[i] <= least) continue;
    const angle = atan2(-gx[i], gy[i]) / DEGREE;
    bins[Math.min(BINS - 1, Math.floor((angle < 0 ? angle + 360 : angle) / (360 / BINS)))]++;
    count++;
  }
  const amplitude = (k: number) => {
    let [re, im] = [0, 0];
    for (let b = 0; b < BINS; b++) {
      const angle = (2 * Math.PI * k * b) / BINS;
      re += bins[b] * cos(angle);
      im += bins[b] * sin(angle);
    }
    return count === 0 ? 0 : (2 * Math.sqrt(re * re + im * im)) / count;
  };
  return { eightFold: amplitude(8), fourFold: amplitude(4) };
}

/** Mean relief in square windows, each twice as wide as the last, from four samples to half of the shorter side. */
function reliefBySize({ ground, height }: Field): { size: number; mean: number }[] {
  const { across, down } = ground;
  const { x, y } = spacingOf(ground);
  const out: { size: number; mean: number }[] = [];
  for (let side = 4; side <= Math.min(across, down) / 2; side *= 2) {
    let [sum, count] = [0, 0];
    for (let row = 0; row + side < down; row += side) {
      for (let column = 0; column + side < across; column += side) {
        let [low, high] = [Infinity, -Infinity];
        for (let r = row; r <= row + side; r++) {
          for (let i = r * across + column; i <= r * across + column + side; i++) {
            if (height[i] < low) low = height[i];
            if (height[i] > high) high = height[i];
          }
        }
        sum += high - low;
        count++;
      }
    }
    if (count > 0) out.push({ size: (side * (x + y)) / 2, mean: sum / count });
  }
  return out;
}

const percent = (share: number) => `${(share * 100).toFixed(share < 0.1 ? 1 : 0)} %`;

type Measured = Omit<LandReport, 'verdict'>;

/** Where the ground lies outside of what real ground shows, and what that looks like. */
function verdictOf(land: Measured): LandVerdict[] {
  const out: LandVerdict[] = [];
  const hold = (id: keyof typeof USUAL_LAND, value: number | null, over: string, under = over) => {
    const [low, high] = USUAL_LAND[id];
    if (value !== null && value > high) out.push({ id, sentence: over, value, usual: [low, high] });
    else if (value !== null && value < low) out.push({ id, sentence: under, value, usual: [low, high] });
  };
  const { share, at } = land.fullestDegree;
  hold('fullestDegree', share, `${percent(share)} of the ground stands at ${at}°: something has cut it to one slope.`);
  hold('flat', land.flat, `${percent(land.flat)} of the ground is level: floors that were filled, or a sea.`);
  hold('eightFold', land.eightFold, 'Slopes face eight ways more than others: the grid shows through.');
  hold('fourFold', land.fourFold, 'Slopes face four ways more than others: the grid shows through, or the ground lies along its sides.');
  hold(
    'hollows',
    land.hollows.share,
    `${percent(land.hollows.share)} of the ground lies in hollows that no water leaves: rivers have not been here, or lakes were meant.`,
  );
  hold(
    'concavity',
    land.concavity,
    'Long profiles of streams are hollower than rivers make them.',
    'Long profiles of streams are straighter than rivers make them: little water has worn this ground.',
  );
  hold(
    'spectrumLarge',
    land.spectrum.large,
    'Large forms are few beside the small ones: it looks the same from near and far.',
    'Nearly all of the relief is in the largest forms.',
  );
  hold(
    'spectrumSmall',
    land.spectrum.small,
    'Small forms are rough, like noise or crumpled paper.',
    'Small forms are missing: it is smooth as clay from near.',
  );
  hold(
    'hypsometricIntegral',
    land.hypsometricIntegral,
    'Most of the ground lies high: a table, hardly cut.',
    'Most of the ground lies low: a plain with little left standing.',
  );
  return out;
}

/**
 * What a ground is like as land: how steep, which ways it faces, how its water goes, how its relief
 * is shared out over sizes; and where that is not what real ground shows. Angles in degrees,
 * shares from 0 to 1. Water leaves over the edge and into the sea.
 */
export async function describeLand(kernels: Kernels, field: Field, options: RunOptions = {}): Promise<LandReport> {
  const { ground, height } = field;
  const { x, y } = spacingOf(ground);
  const { gx, gy, slope } = gradients(field);
  const sorted = slope.slice().sort();
  const [q05, q25, q50, q75, q95, q99] = [0.05, 0.25, 0.5, 0.75, 0.95, 0.99].map((share) => quantile(sorted, share));
  const degrees = new Array<number>(90).fill(0);
  let level = 0;
  for (const s of slope) {
    degrees[Math.min(89, Math.floor(s))]++;
    if (s < 0.5) level++;
  }
  for (let d = 0; d < 90; d++) degrees[d] /= slope.length;
  let fullest = 1;
  for (let d = 2; d < 90; d++) if (degrees[d] > degrees[fullest]) fullest = d;
  const rings = powerSpectrum(field, (x + y) / 2);
  const drainage = await drainageOf(kernels, field, { ...options, toSea: true });
  const channel = defaultChannelArea(ground);
  const { concavity, hypsometric } = describeDrainage(field, drainage, channel);
  const { lakes } = lakesOf(field, drainage);
  let metres = 0;
  for (const { path } of streamsOf(field, drainage, channel)) {
    for (let k = 1; k < path.length; k++) {
      const [a, b] = [path[k - 1], path[k]];
      const dx = ((a % ground.across) - (b % ground.across)) * x;
      const dy = (Math.floor(a / ground.across) - Math.floor(b / ground.across)) * y;
      metres += Math.sqrt(dx * dx + dy * dy);
    }
  }
  const area = height.length * x * y;
  const measured: Measured = {
    slope: { q05, q25, q50, q75, q95, q99 },
    fullestDegree: { share: degrees[fullest], at: fullest },
    flat: level / slope.length,
    ...harmonics(gx, gy, slope, Math.max(q50, 0.5)),
    hollows: { count: lakes.length, share: lakes.reduce((sum, lake) => sum + lake.area, 0) / area },
    spectrum: { large: spectralSlope(rings.slice(0, 6)), small: spectralSlope(rings.slice(6)) },
    concavity: Number.isFinite(concavity) ? concavity : null,
    drainageDensity: (1000 * metres) / area,
    reliefBySize: reliefBySize(field),
    hypsometricIntegral: Number.isFinite(hypsometric) ? hypsometric : null,
    degrees,
    rings,
  };
  return { ...measured, verdict: verdictOf(measured) };
}
