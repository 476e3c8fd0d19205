import { clipWords, rangeWords, stepUse, type Histogram, type StepUse } from '@upland-cast/core';
import { figure } from '../../../components/format';

/** Ways to put the whole ground into a range. */
export type Way = 'shift' | 'stretch' | 'fit' | 'clip' | 'sea';
export const WAYS: Record<Way, string> = { shift: 'Shift', stretch: 'Stretch', fit: 'Fit', clip: 'Clip', sea: 'Sea' };

/** What was typed in, metres. */
export interface RangeDraft {
  way: Way;
  by: number;
  low: number;
  high: number;
  shoulder: number;
  /** Where the sea goes, or the height that becomes the shore while it is locked. */
  level: number;
}

/** The ground as it is, metres. */
export interface RangeNow {
  lowest: number;
  highest: number;
  histogram: Pick<Histogram, 'from' | 'to' | 'counts'>;
  sea: number;
  locked: boolean;
}

/** To a tenth of a metre. */
export const tenth = (v: number) => Math.round(v * 10) / 10;

const endsOf = ({ lowest, highest }: RangeNow) => ({ low: tenth(lowest), high: tenth(highest) });

/** The share of the ground that lies under or over two heights, by the middles of its bins. */
export function shareBeyond({ from, to, counts }: RangeNow['histogram'], low: number, high: number): number {
  const bin = (to - from) / counts.length;
  let [out, all] = [0, 0];
  counts.forEach((n, i) => {
    const middle = from + (i + 0.5) * bin;
    all += n;
    if (middle < low || middle > high) out += n;
  });
  return all ? out / all : 0;
}

/** Why a range cannot be; null where it can. */
export const rangeFault = ({ way, low, high }: RangeDraft): string | null =>
  way === 'shift' || way === 'sea' || low < high ? null : 'The upper end has to lie above the lower one.';

/** What a way does to the form. */
export function wordsOfRange({ way, by, low, high, shoulder, level }: RangeDraft, now: RangeNow): string {
  const from = endsOf(now);
  const { sea, locked, histogram } = now;
  switch (way) {
    case 'shift':
      return rangeWords(from, { low: from.low + by, high: from.high + by });
    case 'stretch':
      return rangeWords(from, { low, high });
    case 'fit':
      return `${rangeWords(from, { low, high })} Whatever comes before it, the range will be this one.`;
    case 'clip':
      return low < high ? clipWords({ low, high }, shoulder, shareBeyond(histogram, low, high)) : 'The lower bound lies above the upper one.';
    case 'sea':
      return locked
        ? `The sea stays at ${figure(sea, 1)} m: the land moves by ${sea - level < 0 ? '−' : '+'}${figure(Math.abs(sea - level), 1)} m, and its form stays.`
        : `The sea goes to ${figure(level, 1)} m; the land stays where it is.`;
  }
}

/** The step that brings the ground into the range; null: the sea itself goes to its level. */
export function stepOfRange({ way, by, low, high, shoulder, level }: RangeDraft, now: RangeNow): StepUse | null {
  const from = endsOf(now);
  switch (way) {
    case 'shift':
      return stepUse('shift', { by });
    case 'stretch':
      return stepUse('stretch', { fromLow: from.low, toLow: low, fromHigh: from.high, toHigh: high });
    case 'fit':
      return stepUse('fit', { low, high });
    case 'clip':
      return stepUse('clamp', { low, high, shoulder });
    case 'sea':
      return now.locked ? stepUse('shift', { by: tenth(now.sea - level) }) : null;
  }
}

/** The height on the ground as it is now that the sea will stand at. */
export function waterLineOf({ way, by, low, high, level }: RangeDraft, now: RangeNow): number {
  const from = endsOf(now);
  if (way === 'sea') return level;
  if (way === 'shift') return now.sea - by;
  if (way === 'clip' || !(low < high)) return now.sea;
  return from.low + ((now.sea - low) * (from.high - from.low)) / (high - low);
}
