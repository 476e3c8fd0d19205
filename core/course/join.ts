import { inBlocks } from '../blocks';
import type { JoinMode, Step } from '../steps/step';

/** How a step's output joins what came before it. */
export interface Joining {
  mode: JoinMode;
  /** Metres over which the smooth modes blend. */
  width: number;
  /** Multiplied: the heights of what joins that stand for 0 and for 1, metres. */
  zero: number;
  one: number;
  gives: Step['gives'];
  /** Metres that the heights count from. */
  datum: number;
}

/**
 * What came before, joined with what a step gave, at a strength and within a mask:
 * mix(in, join(in, out), strength × mask), exact at weights 0 and 1. Heights in metres above the
 * datum; a step that gives differences is moved to the datum where its heights stand for
 * themselves, one that gives elevations is moved off it where they are added.
 *
 * Multiplied: the elevation times (height − zero) / (one − zero), kept within 0 and 1. Smooth
 * higher and lower: the polynomial blend that is the sharp one beyond `width`.
 */
export function joinStage(
  before: Float32Array<ArrayBuffer>,
  output: Float32Array<ArrayBuffer>,
  joining: Joining,
  strength: number,
  mask: Float32Array | null,
): Float32Array<ArrayBuffer> {
  const { mode, gives, datum } = joining;
  if (strength === 0) return before;
  const counted = mode === 'add' || mode === 'subtract' || mode === 'multiply';
  const move = gives === 'difference' ? (counted ? 0 : -datum) : counted ? datum : 0;
  if (mode === 'replace' && strength === 1 && move === 0 && !mask) return output;
  const joined = joinedWhole(before, output, move, joining);
  if (!mask && strength === 1) return joined;
  if (!mask) {
    inBlocks(joined.length, (from, to) => {
      for (let i = from; i < to; i++) joined[i] = before[i] + (joined[i] - before[i]) * strength;
    });
    return joined;
  }
  inBlocks(joined.length, (from, to) => {
    for (let i = from; i < to; i++) {
      const weight = mask[i] * strength;
      if (weight < 1) joined[i] = weight > 0 ? before[i] + (joined[i] - before[i]) * weight : before[i];
    }
  });
  return joined;
}

function joinedWhole(a: Float32Array, b: Float32Array, move: number, joining: Joining): Float32Array<ArrayBuffer> {
  const out = new Float32Array(a.length);
  inBlocks(out.length, (from, to) => joinedPart(out, [a, b], [from, to], move, joining));
  return out;
}

/** A loop for every way: one loop that asks which way it is would take several times as long. */
function joinedPart(
  out: Float32Array,
  [a, b]: [Float32Array, Float32Array],
  [from, to]: [number, number],
  move: number,
  { mode, width, zero, one, datum }: Joining,
): void {
  switch (mode) {
    case 'add':
      for (let i = from; i < to; i++) out[i] = a[i] + (b[i] + move);
      break;
    case 'subtract':
      for (let i = from; i < to; i++) out[i] = a[i] - (b[i] + move);
      break;
    case 'multiply': {
      const scale = one === zero ? 0 : 1 / (one - zero);
      for (let i = from; i < to; i++) {
        const share = (b[i] + move - zero) * scale;
        out[i] = (a[i] + datum) * (share < 0 ? 0 : share > 1 ? 1 : share) - datum;
      }
      break;
    }
    case 'higher':
      for (let i = from; i < to; i++) out[i] = a[i] > b[i] + move ? a[i] : b[i] + move;
      break;
    case 'lower':
      for (let i = from; i < to; i++) out[i] = a[i] < b[i] + move ? a[i] : b[i] + move;
      break;
    case 'smooth-higher':
      for (let i = from; i < to; i++) {
        const other = b[i] + move;
        out[i] = (a[i] > other ? a[i] : other) + blend(a[i] - other, width);
      }
      break;
    case 'smooth-lower':
      for (let i = from; i < to; i++) {
        const other = b[i] + move;
        out[i] = (a[i] < other ? a[i] : other) - blend(a[i] - other, width);
      }
      break;
    case 'mean':
      for (let i = from; i < to; i++) out[i] = (a[i] + (b[i] + move)) / 2;
      break;
    case 'difference':
      for (let i = from; i < to; i++) {
        const apart = a[i] - (b[i] + move);
        out[i] = (apart < 0 ? -apart : apart) - datum;
      }
      break;
    case 'replace':
      for (let i = from; i < to; i++) out[i] = b[i] + move;
      break;
  }
}

/** What the rounding of the corner adds where two heights are `apart` metres apart: a quarter of the width at most. */
function blend(apart: number, width: number): number {
  const near = width - (apart < 0 ? -apart : apart);
  return near > 0 ? (near * near) / (4 * width) : 0;
}
