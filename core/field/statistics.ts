import { spacingOf, type Ground } from './ground';
import type { Field } from './field';
import { boundsIn, scan, SCANNED } from '../kernels/scan';

export interface Statistics {
  /** Metres, absolute (datum added). `NaN` when no sample is valid. */
  lowest: number;
  highest: number;
  mean: number;
  /** Samples with a known, finite height. */
  count: number;
}

/** Lowest, highest and mean elevation. Sums run in float64, a row a block, so that they do not depend on who adds. */
export function statistics(field: Field): Statistics {
  const { height, valid, ground } = field;
  const all: Sums = { lowest: Infinity, highest: -Infinity, sum: 0, count: 0 };
  const whole = !valid && ground.across <= SCANNED;
  for (let row = 0; row < ground.down; row++) {
    const [from, to] = [row * ground.across, (row + 1) * ground.across];
    if (!whole) addRow(all, height, valid, from, to);
    else {
      const found = scan(height, from, to);
      all.lowest = Math.min(all.lowest, found.lowest);
      all.highest = Math.max(all.highest, found.highest);
      all.sum += found.sum;
      all.count += found.count;
    }
  }
  const { lowest, highest, sum, count } = all;
  if (count === 0) return { lowest: NaN, highest: NaN, mean: NaN, count: 0 };
  return { lowest: lowest + ground.datum, highest: highest + ground.datum, mean: sum / count + ground.datum, count };
}

interface Sums {
  lowest: number;
  highest: number;
  sum: number;
  count: number;
}

/** A row by itself: it is compiled once, and runs at full speed from the second row on. */
function addRow(all: Sums, height: Float32Array, valid: Uint8Array | undefined, from: number, to: number): void {
  let { lowest, highest } = all;
  let [sum, count] = [0, 0];
  for (let i = from; i < to; i++) {
    const h = height[i];
    if ((valid && valid[i] === 0) || !(h - h === 0)) continue;
    if (h < lowest) lowest = h;
    if (h > highest) highest = h;
    sum += h;
    count++;
  }
  all.lowest = lowest;
  all.highest = highest;
  all.sum += sum;
  all.count += count;
}

/** The lowest and the highest of some heights; 0 and 0 where there are none. */
export function boundsOf(height: Float32Array): { lowest: number; highest: number } {
  let [lowest, highest] = [Infinity, -Infinity];
  for (let from = 0; from < height.length; from += SCANNED) {
    const part = boundsIn(height, from, Math.min(height.length, from + SCANNED));
    lowest = Math.min(lowest, part.lowest);
    highest = Math.max(highest, part.highest);
  }
  return lowest <= highest ? { lowest, highest } : { lowest: 0, highest: 0 };
}

export interface Histogram {
  /** Elevation of the lower end of the first bin and the upper end of the last, metres. */
  from: number;
  to: number;
  /** Samples in each bin. */
  counts: Uint32Array;
}

/** Samples counted by elevation in `bins` equal bins between the field's lowest and highest. */
export function histogram(field: Field, bins = 128, given?: Statistics): Histogram {
  const { lowest, highest } = given ?? statistics(field);
  const counts = new Uint32Array(bins);
  const span = highest - lowest;
  const base = lowest - field.ground.datum;
  const scale = span > 0 ? bins / span : 0;
  const { height, valid } = field;
  for (let i = 0; i < height.length; i++) {
    const h = height[i];
    if ((valid && valid[i] === 0) || !(h - h === 0)) continue;
    counts[Math.min(bins - 1, Math.floor((h - base) * scale))]++;
  }
  return { from: lowest, to: highest, counts };
}

/** Share of the samples that lie under the ground's sea level, 0 to 1. */
export function shareUnderWater(field: Field, sea = field.ground.sea): number {
  const level = sea - field.ground.datum;
  let under = 0;
  let count = 0;
  for (let i = 0; i < field.height.length; i++) {
    if (field.valid && field.valid[i] === 0) continue;
    count++;
    if (field.height[i] < level) under++;
  }
  return count ? under / count : 0;
}

export interface Change {
  /** Cubic metres taken away and laid down. */
  volumeCut: number;
  volumeFill: number;
  /** Metres: the deepest cut (negative or 0) and the highest fill. */
  largestCut: number;
  largestFill: number;
  meanChange: number;
}

/**
 * What changed between two sets of heights on one ground. Volumes weigh each sample by the
 * ground it stands for: under point registration the samples on the edge stand for half a
 * cell, those at the corners for a quarter, so that volume is the integral of the surface.
 */
export function changeBetween(before: Float32Array, after: Float32Array, ground: Ground): Change {
  const { across, down } = ground;
  const { x, y } = spacingOf(ground);
  const half = ground.registration === 'point';
  let cut = 0;
  let fill = 0;
  let weights = 0;
  let largestCut = 0;
  let largestFill = 0;
  for (let row = 0, i = 0; row < down; row++) {
    const rowWeight = half && down > 1 && (row === 0 || row === down - 1) ? 0.5 : 1;
    let rowCut = 0;
    let rowFill = 0;
    for (let column = 0; column < across; column++, i++) {
      const change = after[i] - before[i];
      const weight = half && across > 1 && (column === 0 || column === across - 1) ? rowWeight * 0.5 : rowWeight;
      weights += weight;
      if (change < 0) {
        rowCut -= change * weight;
        if (change < largestCut) largestCut = change;
      } else {
        rowFill += change * weight;
        if (change > largestFill) largestFill = change;
      }
    }
    cut += rowCut;
    fill += rowFill;
  }
  return {
    volumeCut: cut * x * y,
    volumeFill: fill * x * y,
    largestCut,
    largestFill,
    meanChange: weights ? (fill - cut) / weights : 0,
  };
}
