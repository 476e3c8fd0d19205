import { changeBetween, statistics, type Change } from '../field/statistics';
import type { Ground } from '../field/ground';
import { steepestDrop } from '../analysis/slope';

export interface StageReport extends Change {
  /** Cubic metres that changed place: the smaller of cut and fill is moved, the rest is made or taken away. */
  moved: number;
  rangeBefore: [number, number];
  rangeAfter: [number, number];
  mean: number;
  /** Degrees, the steepest drop from a sample to one of its eight neighbours. */
  steepest: number;
}

/** What a step did to the ground, measured between what it was given and what it gave. */
export function describeChange(before: Float32Array<ArrayBuffer>, after: Float32Array<ArrayBuffer>, ground: Ground): StageReport {
  const change = changeBetween(before, after, ground);
  const was = statistics({ ground, height: before });
  const is = statistics({ ground, height: after });
  return {
    ...change,
    moved: Math.min(change.volumeCut, change.volumeFill),
    rangeBefore: [was.lowest, was.highest],
    rangeAfter: [is.lowest, is.highest],
    mean: is.mean,
    steepest: steepestDrop({ ground, height: after }),
  };
}
