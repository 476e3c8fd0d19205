import type { Picture } from '../../../engine/api';
import { roundInterval } from '../../../drawing/ramp';

/** Pixels: above the rule, under it, and across. */
const TOP = 34;
const BOTTOM = 98;
export const WIDTH = 92;

/** How elevations lie along the rule. */
export interface Scale {
  top: number;
  /** Of the rule, pixels. */
  height: number;
  /** Its ends, metres. */
  low: number;
  high: number;
  /** From mark to mark, metres, and where they stand. */
  interval: number;
  marks: number[];
  /** The sea is near enough to the ground to be shown. */
  seaNear: boolean;
  /** The histogram beside the rule, as a path. */
  outline: string;
  y(elevation: number): number;
  /** To a tenth of a metre. */
  elevationAt(y: number): number;
}

/** The rule for a ground, in so many pixels of height: its range with a little beyond, the sea too where that is near. */
export function scaleOf(
  { statistics: { lowest, highest }, histogram: { from, to, counts } }: Pick<Picture, 'statistics' | 'histogram'>,
  sea: number,
  size: number,
): Scale {
  const span = Math.max(1, highest - lowest);
  const seaNear = sea > lowest - span * 0.6 && sea < highest + span * 0.6;
  const low = Math.min(lowest, seaNear ? sea : lowest) - span * 0.06;
  const high = Math.max(highest, seaNear ? sea : highest) + span * 0.06;
  const height = Math.max(60, size - TOP - BOTTOM);
  const y = (elevation: number) => TOP + ((high - elevation) / (high - low)) * height;
  const interval = roundInterval(high - low, Math.max(4, height / 56));
  const marks: number[] = [];
  for (let m = Math.ceil(low / interval) * interval; m <= high; m += interval) marks.push(m);
  const most = Math.max(...counts, 1);
  const bin = (to - from) / counts.length;
  const bars = Array.from(counts, (count, i) => {
    const x = 34 + 52 * Math.sqrt(count / most);
    return `L${x.toFixed(1)} ${y(from + i * bin).toFixed(1)}L${x.toFixed(1)} ${y(from + (i + 1) * bin).toFixed(1)}`;
  }).join('');
  const outline = `M34 ${y(from).toFixed(1)}${bars}L34 ${y(to).toFixed(1)}Z`;
  const elevationAt = (at: number) => Math.round((high - ((at - TOP) / height) * (high - low)) * 10) / 10;
  return { top: TOP, height, low, high, interval, marks, seaNear, outline, y, elevationAt };
}
