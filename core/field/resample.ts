import { UplandError } from '../errors';
import type { Field } from './field';
import type { Kernels } from '../kernels/pool';
import { resampleProgram, type Weights as PlainWeights } from '../kernels/programs/resample';
import { sameSamples, type Ground, type Registration } from './ground';
import { cropSamples, groundOfWindow, isWhole, wholeOf, type Window } from './window';

export const FILTERS = ['nearest', 'linear', 'cubic', 'monotone', 'average', 'lanczos'] as const;
export type Filter = (typeof FILTERS)[number];

/** For shares and weights: a cubic B-spline, which keeps between the samples' bounds and has no corners, but spreads each sample over its neighbours. */
type Smooth = 'spline';

/**
 * The field on other samples of the same land. Positions are exact under both registrations,
 * so nothing moves by half a sample; beyond the outermost samples the outer value carries on.
 *
 * `nearest`, `linear`; `cubic`: Catmull–Rom (Catmull & Rom 1974); `monotone`: piecewise cubic
 * with Fritsch–Carlson (1980) slopes, no overshoot; `average`: weighted by area (by the tent
 * of the coarser spacing under point registration); `lanczos`: Lanczos-3, widened when
 * reducing. Without a choice: cubic where samples are added, average where they are taken away.
 * A sample whose nearest source sample has no data has none.
 */
export function resample(field: Field, ground: Ground, filter?: Filter): Field {
  return resampleWindow(field, ground, wholeOf(ground), filter);
}

/** What {@link resample} makes of whole ground, over a window of it alone; the same bits. */
export function resampleWindow(field: Field, ground: Ground, window: Window, filter?: Filter | Smooth): Field {
  if (sameSamples(field.ground, ground)) {
    const moved = moveDatum(field, ground);
    if (isWhole(window, ground)) return moved;
    const cut = <T extends Float32Array<ArrayBuffer> | Uint8Array<ArrayBuffer>>(values: T) => cropSamples(values, ground.across, window);
    return { ground: groundOfWindow(ground, window), height: cut(moved.height), ...(moved.valid && { valid: cut(moved.valid) }) };
  }
  const from = field.ground;
  const horizontal = part(
    weightsAlong(from.width, from.across, from.registration, ground.width, ground.across, ground.registration, filter),
    window.left,
    window.across,
  );
  const vertical = part(
    weightsAlong(from.depth, from.down, from.registration, ground.depth, ground.down, ground.registration, filter),
    window.top,
    window.down,
  );
  const source = field.valid ? fillForFilter(field) : field.height;

  // The rows that the window rests on; slopes of a column rest on all of it.
  const last = from.down - 1;
  const [first, end] = vertical.place
    ? [0, from.down]
    : [Math.min(last, Math.max(0, vertical.first[0])), Math.max(0, Math.min(last, vertical.first[window.down - 1] + vertical.taps - 1)) + 1];
  const rows = end - first;
  const between = new Float64Array(window.across * rows);
  alongRows(source.subarray(first * from.across, end * from.across), from.across, rows, horizontal, between, window.across);
  const height = new Float32Array(window.across * window.down);
  alongColumns(between, window.across, rows, { ...vertical, first: vertical.first.map((row) => row - first) }, height, window.down, from.datum - ground.datum);

  const own = groundOfWindow(ground, window);
  if (!field.valid) return { ground: own, height };
  return { ground: own, height, valid: nearestValidity(field, ground, window) };
}

/** The weights of `count` samples from a place on. */
const part = ({ first, weight, taps, place }: Weights, from: number, count: number): Weights => ({
  first: first.subarray(from, from + count),
  weight: weight.subarray(from * taps, (from + count) * taps),
  taps,
  place: place?.subarray(from, from + count),
});

/** How one target sample is put together: `taps` source samples from `first`, with their weights. */
interface Weights extends PlainWeights {
  /** For the monotone filter: the place between the two middle samples, 0 to 1. */
  place?: Float64Array;
}

/** Whole ground whose heights are there row by row. */
interface RowsOf {
  ground: Ground;
  rows(from: number, to: number, signal?: AbortSignal): Promise<Float32Array<ArrayBuffer>>;
}

/**
 * What {@link resample} makes of whole ground, as rows that are asked for from north to south, over the kernels; the same bits.
 * Null for the filter whose slopes rest on whole columns.
 */
export function resampledRows(kernels: Kernels, of: RowsOf, ground: Ground, filter?: Filter): RowsOf | null {
  const from = of.ground;
  if (filter === 'monotone' || sameSamples(from, ground)) return null;
  const horizontal = weightsAlong(from.width, from.across, from.registration, ground.width, ground.across, ground.registration, filter);
  const { first, weight, taps } = weightsAlong(from.depth, from.down, from.registration, ground.depth, ground.down, ground.registration, filter);
  const lastRow = from.down - 1;
  return {
    ground,
    async rows(begin, end, signal) {
      const firstRow = Math.min(lastRow, Math.max(0, first[begin]));
      const until = Math.min(lastRow, Math.max(0, first[end - 1] + taps - 1)) + 1;
      const source = await of.rows(firstRow, until, signal);
      const vertical = { first: first.subarray(begin, end), weight: weight.subarray(begin * taps, end * taps), taps };
      const args = { across: from.across, rows: until - firstRow, firstRow, lastRow, horizontal, vertical, add: from.datum - ground.datum };
      return kernels.run(resampleProgram, args, source, { signal });
    },
  };
}

function weightsAlong(
  fromLength: number,
  fromCount: number,
  fromRegistration: Registration,
  toLength: number,
  toCount: number,
  toRegistration: Registration,
  filter: Filter | Smooth | undefined,
): Weights {
  // Position of target sample i in units of source samples: scale · (i + pad) − sourcePad.
  // Written with the whole-number counts first, so that nested grids land on exact positions.
  const fromSteps = fromRegistration === 'area' ? fromCount : Math.max(1, fromCount - 1);
  const toSteps = toRegistration === 'area' ? toCount : Math.max(1, toCount - 1);
  const fromPad = fromRegistration === 'area' ? 0.5 : 0;
  const toPad = toRegistration === 'area' ? 0.5 : 0;
  const ratio = toLength === fromLength ? 1 : toLength / fromLength;
  const scale = (fromSteps * ratio) / toSteps;
  const chosen: Filter | Smooth = filter ?? (scale > 1 ? 'average' : 'cubic');
  const position = (i: number) => ((i + toPad) * fromSteps * ratio) / toSteps - fromPad;
  const last = fromCount - 1;
  if (chosen === 'monotone') return placesAlong(position, last, toCount);
  return tapsAlong(chosen, position, { last, toCount, scale, points: fromPad === 0 });
}

/** Between which two samples each target lies, and how far along: what a monotone curve is drawn by. */
function placesAlong(position: (i: number) => number, last: number, toCount: number): Weights {
  const first = new Int32Array(toCount);
  const place = new Float64Array(toCount);
  for (let i = 0; i < toCount; i++) {
    const p = Math.min(Math.max(position(i), 0), last);
    first[i] = Math.min(Math.floor(p), Math.max(0, last - 1));
    place[i] = p - first[i];
  }
  return { first, weight: place, taps: 2, place };
}

/** Samples to either side that a filter reaches. */
function radiusOf(filter: Filter | Smooth, scale: number, points: boolean): number {
  if (filter === 'nearest' || filter === 'linear') return 1;
  if (filter === 'cubic' || filter === 'spline') return 2;
  if (filter === 'lanczos') return 3 * Math.max(1, scale);
  return points ? Math.max(1, scale) : Math.max(1, scale / 2 + 0.5);
}

/** What each target takes of the samples around it; they come to 1. */
function tapsAlong(
  chosen: Filter | Smooth,
  position: (i: number) => number,
  { last, toCount, scale, points }: { last: number; toCount: number; scale: number; points: boolean },
): Weights {
  const radius = radiusOf(chosen, scale, points);
  const taps = 2 * Math.ceil(radius) + 1;
  const first = new Int32Array(toCount);
  const weight = new Float64Array(toCount * taps);
  for (let i = 0; i < toCount; i++) {
    const p = position(i);
    first[i] = Math.floor(p) - Math.ceil(radius) + 1;
    let sum = 0;
    const raw = new Float64Array(taps);
    for (let k = 0; k < taps; k++) {
      const at = first[i] + k;
      // An average must not count the carried-on outside as ground.
      if (chosen === 'average' && (at < 0 || at > last)) continue;
      raw[k] = kernelWeight(chosen, p - at, scale, points);
      sum += raw[k];
    }
    if (sum === 0) {
      raw[clampIndex(Math.round(Math.min(Math.max(p, 0), last)) - first[i], taps)] = 1;
      sum = 1;
    }
    for (let k = 0; k < taps; k++) weight[i * taps + k] = raw[k] / sum;
    // Nearest rounds half away from the first sample, once.
    if (chosen === 'nearest') {
      weight.fill(0, i * taps, (i + 1) * taps);
      weight[i * taps + clampIndex(clampIndex(Math.floor(p + 0.5), last + 1) - first[i], taps)] = 1;
    }
  }
  return { first, weight, taps };
}

function clampIndex(i: number, count: number): number {
  return i < 0 ? 0 : i >= count ? count - 1 : i;
}

function kernelWeight(filter: Filter | Smooth, distance: number, scale: number, points: boolean): number {
  const d = Math.abs(distance);
  switch (filter) {
    case 'nearest':
    case 'linear':
      return d < 1 ? 1 - d : 0;
    case 'cubic':
      if (d < 1) return (1.5 * d - 2.5) * d * d + 1;
      if (d < 2) return ((-0.5 * d + 2.5) * d - 4) * d + 2;
      return 0;
    case 'spline':
      if (d < 1) return (4 - 6 * d * d + 3 * d * d * d) / 6;
      return d < 2 ? ((2 - d) * (2 - d) * (2 - d)) / 6 : 0;
    case 'lanczos': {
      const t = d / Math.max(1, scale);
      return t < 3 ? sinc(t) * sinc(t / 3) : 0;
    }
    default: {
      if (points) {
        const t = d / Math.max(1, scale);
        return t < 1 ? 1 - t : 0;
      }
      // Length of the overlap of the target cell with the source cell.
      const width = Math.max(1, scale);
      return Math.max(0, Math.min(distance + width / 2, 0.5) - Math.max(distance - width / 2, -0.5));
    }
  }
}

/** sin(πt) / (πt) by its product-free series in exact arithmetic: |t| ≤ 3, error under 1e-12. */
function sinc(t: number): number {
  if (t === 0) return 1;
  if (Number.isInteger(t)) return 0;
  // sin(πt) = (−1)ⁿ sin(πr) with r in [−½, ½], then the Taylor series to r¹⁹.
  const n = Math.round(t);
  const x = Math.PI * (t - n);
  const x2 = x * x;
  let term = x;
  let sum = x;
  for (let k = 1; k < 10; k++) {
    term *= -x2 / (2 * k * (2 * k + 1));
    sum += term;
  }
  return (n % 2 === 0 ? sum : -sum) / (Math.PI * t);
}

function alongRows(source: Float32Array, across: number, rows: number, w: Weights, out: Float64Array, count: number): void {
  const last = across - 1;
  const slopes = w.place ? new Float64Array(across) : undefined;
  for (let row = 0; row < rows; row++) {
    const start = row * across;
    const to = row * count;
    if (slopes && w.place) {
      monotoneSlopes(source, start, 1, across, slopes);
      for (let i = 0; i < count; i++) {
        const a = w.first[i];
        const b = Math.min(a + 1, last);
        out[to + i] = hermite(source[start + a], source[start + b], slopes[a], slopes[b], w.place[i]);
      }
      continue;
    }
    for (let i = 0; i < count; i++) {
      let sum = 0;
      for (let k = 0, at = w.first[i], j = i * w.taps; k < w.taps; k++, at++, j++) {
        if (w.weight[j] !== 0) sum += w.weight[j] * source[start + (at < 0 ? 0 : at > last ? last : at)];
      }
      out[to + i] = sum;
    }
  }
}

function alongColumns(source: Float64Array, across: number, rows: number, w: Weights, out: Float32Array, count: number, add: number): void {
  const last = rows - 1;
  if (w.place) {
    const slopes = new Float64Array(rows);
    for (let column = 0; column < across; column++) {
      monotoneSlopes(source, column, across, rows, slopes);
      for (let i = 0; i < count; i++) {
        const a = w.first[i];
        const b = Math.min(a + 1, last);
        out[i * across + column] = hermite(source[a * across + column], source[b * across + column], slopes[a], slopes[b], w.place[i]) + add;
      }
    }
    return;
  }
  const sums = new Float64Array(across);
  for (let i = 0; i < count; i++) {
    sums.fill(0);
    for (let k = 0, at = w.first[i], j = i * w.taps; k < w.taps; k++, at++, j++) {
      const weight = w.weight[j];
      if (weight === 0) continue;
      const start = (at < 0 ? 0 : at > last ? last : at) * across;
      for (let column = 0; column < across; column++) sums[column] += weight * source[start + column];
    }
    const to = i * across;
    for (let column = 0; column < across; column++) out[to + column] = sums[column] + add;
  }
}

/** Slopes per sample that keep the cubic between neighbours (Fritsch & Carlson 1980, the weighted harmonic mean). */
function monotoneSlopes(values: Float32Array | Float64Array, start: number, stride: number, count: number, out: Float64Array): void {
  for (let i = 0; i < count; i++) {
    if (i === 0 || i === count - 1) {
      out[i] = 0;
      continue;
    }
    const at = start + i * stride;
    const before = values[at] - values[at - stride];
    const after = values[at + stride] - values[at];
    out[i] = before * after > 0 ? (2 * before * after) / (before + after) : 0;
  }
}

function hermite(a: number, b: number, slopeA: number, slopeB: number, t: number): number {
  const rise = b - a;
  return a + t * (slopeA + t * (3 * rise - 2 * slopeA - slopeB + t * (slopeA + slopeB - 2 * rise)));
}

function moveDatum(field: Field, ground: Ground): Field {
  const move = field.ground.datum - ground.datum;
  if (move === 0) return { ...field, ground };
  return { ...field, ground, height: field.height.map((h) => h + move) };
}

/** No-data filled with the mean of the valid samples, so that a filter's tails do not pull in a sentinel. */
function fillForFilter(field: Field): Float32Array {
  const { height, valid } = field;
  let sum = 0;
  let count = 0;
  for (let i = 0; i < height.length; i++) {
    if (!valid![i]) continue;
    sum += height[i];
    count++;
  }
  if (count === 0) throw new UplandError('all-no-data', 'No sample of this ground has a height.');
  const mean = sum / count;
  return height.map((h, i) => (valid![i] ? h : mean));
}

function nearestValidity(field: Field, ground: Ground, { left, top, across, down }: Window): Uint8Array<ArrayBuffer> {
  const from = field.ground;
  const columns = weightsAlong(from.width, from.across, from.registration, ground.width, ground.across, ground.registration, 'nearest');
  const rows = weightsAlong(from.depth, from.down, from.registration, ground.depth, ground.down, ground.registration, 'nearest');
  const pick = (w: Weights, i: number, last: number) => {
    for (let k = 0; k < w.taps; k++) if (w.weight[i * w.taps + k] === 1) return Math.min(last, Math.max(0, w.first[i] + k));
    return 0;
  };
  const valid = new Uint8Array(across * down);
  for (let row = 0; row < down; row++) {
    const sourceRow = pick(rows, top + row, from.down - 1) * from.across;
    for (let column = 0; column < across; column++) {
      valid[row * across + column] = field.valid![sourceRow + pick(columns, left + column, from.across - 1)];
    }
  }
  return valid;
}
