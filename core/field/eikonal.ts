import { cooperativeYield } from '../cooperative-yield';

/** Sweeps over the whole in each of the four directions; what is left to change after them is under a thousandth of a cell. */
const ROUNDS = 4;

/**
 * When a front that sets out from where `time` is 0 or known comes to every sample: |∇t| · speed = 1, `speed` in metres a unit of time, 0 where it
 * never comes. `time`: known samples hold their time, all others Infinity; written over.
 * Source: Zhao 2005, "A fast sweeping method for eikonal equations" (first-order upwind, Gauss–Seidel in alternating directions).
 */
export async function sweepFront(
  time: Float32Array,
  speed: Float32Array,
  { across, down, spacing, signal }: { across: number; down: number; spacing: { x: number; y: number }; signal?: AbortSignal },
): Promise<void> {
  const known = new Uint8Array(time.length);
  for (let i = 0; i < known.length; i++) if (time[i] < Infinity) known[i] = 1;
  const { x: dx, y: dy } = spacing;
  const [wx, wy] = [1 / (dx * dx), 1 / (dy * dy)];
  const rest = cooperativeYield(signal);
  for (let round = 0, changed = true; round < ROUNDS && changed; round++) {
    changed = false;
    for (const [down1, right1] of [
      [true, true],
      [true, false],
      [false, false],
      [false, true],
    ]) {
      for (let k = 0; k < down; k++) {
        const pause = rest();
        if (pause) await pause;
        const row = down1 ? k : down - 1 - k;
        for (let c = 0; c < across; c++) {
          const column = right1 ? c : across - 1 - c;
          const i = row * across + column;
          if (known[i] || !(speed[i] > 0)) continue;
          const a = Math.min(column > 0 ? time[i - 1] : Infinity, column < across - 1 ? time[i + 1] : Infinity);
          const b = Math.min(row > 0 ? time[i - across] : Infinity, row < down - 1 ? time[i + across] : Infinity);
          if (a === Infinity && b === Infinity) continue;
          const slow = 1 / speed[i];
          let t = a <= b ? a + dx * slow : b + dy * slow;
          // From both sides, where the front comes so.
          const sum = wx + wy;
          const mean = a === Infinity || b === Infinity ? Infinity : (wx * a + wy * b) / sum;
          if (mean < Infinity) {
            const under = mean * mean - (wx * a * a + wy * b * b - slow * slow) / sum;
            if (under >= 0) {
              const both = mean + Math.sqrt(under);
              if (both >= a && both >= b) t = Math.min(t, both);
            }
          }
          if (t < time[i] - 1e-6) {
            time[i] = t;
            changed = true;
          }
        }
      }
    }
  }
}
