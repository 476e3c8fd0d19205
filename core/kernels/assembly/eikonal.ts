/** When a front comes to a sample from those beside it, of which it reaches the nearest to either side at `a` and `b`; its slowness there. */
@inline
function arrival(a: f64, b: f64, dx: f64, dy: f64, wx: f64, wy: f64, slow: f64): f64 {
  const one = a <= b ? a + dx * slow : b + dy * slow;
  if (a == Infinity || b == Infinity) return one;
  // From both sides, where the front comes so.
  const sum = wx + wy;
  const mean = (wx * a + wy * b) / sum;
  const under = mean * mean - (wx * a * a + wy * b * b - slow * slow) / sum;
  if (under < 0) return one;
  const both = mean + sqrt(under);
  return both >= a && both >= b ? min<f64>(one, both) : one;
}

/** One sweep over the whole in one of the four directions; whether a time changed. Where `known` is not 0 the time holds. */
export function sweepFront(time: usize, speed: usize, known: usize, across: i32, down: i32, dx: f64, dy: f64, southward: bool, eastward: bool): bool {
  const wx = 1 / (dx * dx);
  const wy = 1 / (dy * dy);
  const line = (across as usize) << 2;
  let changed = false;
  for (let k = 0; k < down; k++) {
    const row = southward ? k : down - 1 - k;
    for (let c = 0; c < across; c++) {
      const column = eastward ? c : across - 1 - c;
      const i = (row * across + column) as usize;
      if (load<u8>(known + i)) continue;
      const v = <f64>load<f32>(speed + (i << 2));
      if (!(v > 0)) continue;
      const at = time + (i << 2);
      const a = min<f64>(column > 0 ? <f64>load<f32>(at - 4) : Infinity, column < across - 1 ? <f64>load<f32>(at + 4) : Infinity);
      const b = min<f64>(row > 0 ? <f64>load<f32>(at - line) : Infinity, row < down - 1 ? <f64>load<f32>(at + line) : Infinity);
      if (a == Infinity && b == Infinity) continue;
      const t = arrival(a, b, dx, dy, wx, wy, 1 / v);
      if (t < <f64>load<f32>(at) - 1e-6) {
        store<f32>(at, <f32>t);
        changed = true;
      }
    }
  }
  return changed;
}
