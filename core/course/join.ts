import type { Ground } from '../field/ground';
import type { JoinMode, Step } from '../steps/step';

/**
 * What came before, joined with what a step gave, at a strength: mix(in, join(in, out), strength).
 * Exact at strengths 0 and 1. Heights in metres above the datum; a step that gives differences
 * is moved to the datum where its heights stand for themselves, one that gives elevations is
 * moved off it where they are added.
 */
export function joinStage(
  before: Float32Array<ArrayBuffer>,
  output: Float32Array<ArrayBuffer>,
  mode: JoinMode,
  strength: number,
  gives: Step['gives'],
  ground: Ground,
): Float32Array<ArrayBuffer> {
  const additive = mode === 'add' || mode === 'subtract';
  const move = gives === 'difference' ? (additive ? 0 : -ground.datum) : additive ? ground.datum : 0;
  if (strength === 0) return before;
  if (mode === 'replace' && strength === 1 && move === 0) return output;
  const out = new Float32Array(before.length);
  for (let i = 0; i < out.length; i++) {
    const a = before[i];
    const b = output[i] + move;
    let joined: number;
    if (mode === 'add') joined = a + b;
    else if (mode === 'subtract') joined = a - b;
    else if (mode === 'higher') joined = a > b ? a : b;
    else if (mode === 'lower') joined = a < b ? a : b;
    else joined = b;
    out[i] = strength === 1 ? joined : a + (joined - a) * strength;
  }
  return out;
}
