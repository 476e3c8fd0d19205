import type { Field } from '../../field/field';
import { linearFromSrgb, srgbFromLinear } from '../../colour';
import { exactMath } from '../../kernels/math';

/** How B's heights follow A's, place by place. */
export interface Relation {
  /** b = scale · a + lift, metres; and what is left of it, root mean square. */
  scale: number;
  lift: number;
  leftOfLine: number;
  /** What is left of a free rising curve. */
  leftOfCurve: number;
  /** A tone curve that the heights went through; null: a straight line will do. `power`: t to that power. */
  curve: { kind: 'srgb-encoded' | 'srgb-decoded' } | { kind: 'power'; power: number } | { kind: 'other' } | null;
}

const squared = (v: number) => v * v;

const BINS = 96;
/** A curve is believed when it leaves less than this of what a line leaves. */
const CLEARLY = 0.5;
/** And when the line leaves more than this of the range. */
const BENT = 0.006;

/** How two fields on one grid follow each other, on the samples that both have. */
export function relationBetween(a: Field, b: Field): Relation {
  const step = Math.max(1, Math.floor(a.height.length / 1_000_000));
  const known = (i: number) => (!a.valid || a.valid[i]) && (!b.valid || b.valid[i]);
  let [n, sa, sb, saa, sab, low, high, lowB, highB] = [0, 0, 0, 0, 0, Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < a.height.length; i += step) {
    if (!known(i)) continue;
    const [va, vb] = [a.height[i], b.height[i]];
    n++;
    sa += va;
    sb += vb;
    saa += va * va;
    sab += va * vb;
    [low, high, lowB, highB] = [Math.min(low, va), Math.max(high, va), Math.min(lowB, vb), Math.max(highB, vb)];
  }
  const spread = saa - (sa * sa) / Math.max(1, n);
  if (n < 2 || !(spread > 0)) return { scale: 1, lift: n > 0 ? (sb - sa) / n : 0, leftOfLine: 0, leftOfCurve: 0, curve: null };
  const scale = (sab - (sa * sb) / n) / spread;
  const lift = (sb - scale * sa) / n;
  const sums = new Float64Array(BINS);
  const places = new Float64Array(BINS);
  const counts = new Float64Array(BINS);
  const binOf = (v: number) => Math.min(BINS - 1, Math.floor((BINS * (v - low)) / (high - low)));
  let squares = 0;
  for (let i = 0; i < a.height.length; i += step) {
    if (!known(i)) continue;
    const bin = binOf(a.height[i]);
    const off = b.height[i] - scale * a.height[i] - lift;
    squares += off * off;
    sums[bin] += b.height[i];
    places[bin] += a.height[i];
    counts[bin]++;
  }
  const leftOfLine = Math.sqrt(squares / n);
  // A line through each bin's mean, and on to its neighbours'.
  const nodes: { at: number; value: number; weight: number }[] = [];
  for (let k = 0; k < BINS; k++) if (counts[k] > 0) nodes.push({ at: places[k] / counts[k], value: sums[k] / counts[k], weight: counts[k] });
  const along = (v: number) => {
    let k = 1;
    while (k < nodes.length - 1 && nodes[k].at < v) k++;
    if (nodes.length < 2) return nodes[0].value;
    const [p, q] = [nodes[k - 1], nodes[k]];
    return q.at > p.at ? p.value + ((q.value - p.value) * (v - p.at)) / (q.at - p.at) : p.value;
  };
  let left = 0;
  for (let i = 0; i < a.height.length; i += step) if (known(i)) left += squared(b.height[i] - along(a.height[i]));
  const leftOfCurve = Math.sqrt(left / n);
  const bent = leftOfCurve < CLEARLY * leftOfLine && leftOfLine > BENT * (highB - lowB);
  return { scale, lift, leftOfLine, leftOfCurve, curve: bent ? curveThrough(nodes, low, high, leftOfLine) : null };
}

/** Which curve runs through the means, from the lowest to the highest of A: one that pictures are given, a power, or some other. */
function curveThrough(nodes: { at: number; value: number; weight: number }[], low: number, high: number, leftOfLine: number): Relation['curve'] {
  const { pow, log, exp } = exactMath();
  const left = (shape: (t: number) => number) => {
    // The two ends of B are free: a line from the shape to the values.
    let [n, sx, sy, sxx, sxy] = [0, 0, 0, 0, 0];
    for (const { at, value, weight } of nodes) {
      const x = shape(Math.min(1, Math.max(0, (at - low) / (high - low))));
      [n, sx, sy, sxx, sxy] = [n + weight, sx + weight * x, sy + weight * value, sxx + weight * x * x, sxy + weight * x * value];
    }
    const spread = sxx - (sx * sx) / n;
    const scale = spread > 0 ? (sxy - (sx * sy) / n) / spread : 0;
    const lift = (sy - scale * sx) / n;
    let sum = 0;
    for (const { at, value, weight } of nodes) sum += weight * squared(value - scale * shape(Math.min(1, Math.max(0, (at - low) / (high - low)))) - lift);
    return Math.sqrt(sum / n);
  };
  const encoded = left((t) => srgbFromLinear(t, pow));
  const decoded = left((t) => linearFromSrgb(t));
  let [power, leftOfPower] = [1, Infinity];
  for (let k = -40; k <= 40; k++) {
    const own = exp((k / 40) * log(4));
    const off = left((t) => (t <= 0 ? 0 : pow(t, own)));
    if (off < leftOfPower) [power, leftOfPower] = [own, off];
  }
  const least = Math.min(encoded, decoded, leftOfPower);
  if (least > 0.3 * leftOfLine) return { kind: 'other' };
  if (encoded <= 1.25 * least) return { kind: 'srgb-encoded' };
  if (decoded <= 1.25 * least) return { kind: 'srgb-decoded' };
  return { kind: 'power', power };
}
