import { joinFloats } from '../kernels/joins';
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
  const { mode, width, zero, one, gives, datum } = joining;
  if (strength === 0) return before;
  const counted = mode === 'add' || mode === 'subtract' || mode === 'multiply';
  const move = gives === 'difference' ? (counted ? 0 : -datum) : counted ? datum : 0;
  if (mode === 'replace' && strength === 1 && move === 0 && !mask) return output;
  const scale = one === zero ? 0 : 1 / (one - zero);
  return joinFloats(before, output, { mode, move, width, zero, scale, datum, strength, mask });
}
