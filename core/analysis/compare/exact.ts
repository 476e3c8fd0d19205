import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { flipColumns, flipRows, turn } from '../../field/turn';

export interface Comparison {
  /** Metres. */
  maxAbs: number;
  rmse: number;
  /** Mean of B − A. */
  mean: number;
  /** Pearson's correlation; 1 for two level fields. */
  correlation: number;
  /** Metres to add to A so that the mean difference vanishes. */
  bestShift: number;
  /** B is A mirrored top to bottom, left to right, or turned by this many degrees clockwise. */
  flippedRows: boolean;
  flippedColumns: boolean;
  turned: 0 | 90 | 180 | 270;
  /** B is A shifted by one distance, to within 1e-5 of A's range. */
  sameForm: boolean;
}

/** Holds field B against field A, sample by sample, and looks whether one is a flip or turn of the other. */
export function compareFields(a: Field, b: Field): Comparison {
  const same = a.ground.across === b.ground.across && a.ground.down === b.ground.down;
  const crossed = a.ground.across === b.ground.down && a.ground.down === b.ground.across;
  if (!same && !crossed) {
    throw new UplandError(
      'sizes-differ',
      `These cannot be held against each other: one has ${a.ground.across} × ${a.ground.down} samples, the other ${b.ground.across} × ${b.ground.down}. Bring both to one size first.`,
    );
  }
  // A turn of a ground that is not square can only be compared turned.
  const straight = difference(same ? a : turn(a, 90), b);
  const tolerance = 1e-5 * Math.max(straight.rangeA, Number.MIN_VALUE);
  const matches = (other: Field) => {
    const d = difference(other, b);
    return d.maxAround <= tolerance;
  };
  const plainlySame = same && straight.maxAround <= tolerance;
  const flippedRows = same && !plainlySame && matches(flipRows(a));
  const flippedColumns = same && !plainlySame && matches(flipColumns(a));
  let turned: Comparison['turned'] = 0;
  if (!plainlySame && !flippedRows && !flippedColumns) {
    for (const degrees of [90, 180, 270] as const) {
      if ((degrees === 180 ? same : crossed) && matches(turn(a, degrees))) {
        turned = degrees;
        break;
      }
    }
  }
  return {
    maxAbs: straight.maxAbs,
    rmse: straight.rmse,
    mean: straight.mean,
    correlation: straight.correlation,
    bestShift: straight.mean,
    flippedRows,
    flippedColumns,
    turned,
    sameForm: plainlySame,
  };
}

function difference(a: Field, b: Field) {
  const move = b.ground.datum - a.ground.datum;
  const known = (i: number) => (!a.valid || a.valid[i]) && (!b.valid || b.valid[i]);
  let count = 0;
  let sum = 0;
  let sumA = 0;
  let sumB = 0;
  let squares = 0;
  let maxAbs = 0;
  let low = Infinity;
  let high = -Infinity;
  let lowA = Infinity;
  let highA = -Infinity;
  for (let i = 0; i < a.height.length; i++) {
    if (!known(i)) continue;
    const d = b.height[i] - a.height[i] + move;
    count++;
    sum += d;
    squares += d * d;
    sumA += a.height[i];
    sumB += b.height[i];
    if (d < low) low = d;
    if (d > high) high = d;
    if (Math.abs(d) > maxAbs) maxAbs = Math.abs(d);
    if (a.height[i] < lowA) lowA = a.height[i];
    if (a.height[i] > highA) highA = a.height[i];
  }
  if (count === 0) throw new UplandError('all-no-data', 'There is no sample that has a height in both.');
  const meanA = sumA / count;
  const meanB = sumB / count;
  let ab = 0;
  let aa = 0;
  let bb = 0;
  for (let i = 0; i < a.height.length; i++) {
    if (!known(i)) continue;
    const da = a.height[i] - meanA;
    const db = b.height[i] - meanB;
    ab += da * db;
    aa += da * da;
    bb += db * db;
  }
  const mean = sum / count;
  return {
    maxAbs,
    rmse: Math.sqrt(squares / count),
    mean,
    maxAround: Math.max(high - mean, mean - low),
    correlation: aa > 0 && bb > 0 ? ab / Math.sqrt(aa * bb) : aa === bb ? 1 : 0,
    rangeA: highA - lowA,
  };
}
