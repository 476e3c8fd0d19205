import { eastOf, southOf, spacingOf, type Ground } from '../field/ground';
import type { Window } from '../field/window';

/** For every sample of a window along one axis, the first of four samples of the coarser grid that it is made of, and their weights. */
interface Taps {
  first: Int32Array;
  weights: Float64Array;
}

/** Catmull–Rom weights at metres along an axis of `count` samples; beyond its outer samples the ground goes on straight. */
function tapsAt(places: Float64Array, count: number, origin: number, spacing: number): Taps {
  const first = new Int32Array(places.length);
  const weights = new Float64Array(4 * places.length);
  const most = Math.max(0, count - 4);
  for (let i = 0; i < places.length; i++) {
    const at = (places[i] - origin) / spacing;
    const cell = Math.max(0, Math.min(count - 2, Math.floor(at)));
    const t = at - cell;
    const begin = Math.max(0, Math.min(most, cell - 1));
    first[i] = begin;
    const parts = [((2 - t) * t - 1) * t * 0.5, ((3 * t - 5) * t * t + 2) * 0.5, ((4 - 3 * t) * t + 1) * t * 0.5, (t - 1) * t * t * 0.5];
    const add = (index: number, weight: number) => void (weights[4 * i + index - begin] += weight);
    parts.forEach((weight, k) => {
      const index = cell - 1 + k;
      if (index < 0) {
        add(0, 2 * weight);
        add(1, -weight);
      } else if (index >= count) {
        add(count - 1, 2 * weight);
        add(count - 2, -weight);
      } else add(index, weight);
    });
  }
  return { first, weights };
}

/** Metres east and south of the ground's north-west corner, of columns and of rows. */
export interface Places {
  columns: Float64Array;
  rows: Float64Array;
}

const along = (n: number, place: (index: number) => number) => Float64Array.from({ length: n }, (_, i) => place(i));

/**
 * The values of a coarser grid over a window of a finer grid of the same land: Catmull–Rom, along x and then along y. A sample comes
 * out with the same bits whatever window it lies in. The coarser grid has at least four samples a side.
 */
export const upsampled = (values: Float32Array, coarse: Ground, fine: Ground, window: Window): Float32Array<ArrayBuffer> =>
  valuesAt(values, coarse, {
    columns: along(window.across, (i) => eastOf(fine, window.left + i)),
    rows: along(window.down, (i) => southOf(fine, window.top + i)),
  });

/** The same at places that need not be samples of any grid. */
export function valuesAt(values: Float32Array, coarse: Ground, places: Places): Float32Array<ArrayBuffer> {
  const { x, y } = spacingOf(coarse);
  const [across, down] = [places.columns.length, places.rows.length];
  const columns = tapsAt(places.columns, coarse.across, eastOf(coarse, 0), x);
  const rows = tapsAt(places.rows, coarse.down, southOf(coarse, 0), y);
  const out = new Float32Array(across * down);
  // Rows of the coarser grid laid over the columns, each when it is first wanted.
  const laid = new Map<number, Float64Array>();
  for (let row = 0; row < down; row++) {
    const top = rows.first[row];
    for (const old of laid.keys()) if (old < top) laid.delete(old);
    const four = [0, 1, 2, 3].map((k) => {
      let line = laid.get(top + k);
      if (!line) laid.set(top + k, (line = layRow(values, (top + k) * coarse.across, columns)));
      return line;
    });
    blend(out, row * across, four, rows.weights, 4 * row);
  }
  return out;
}

function layRow(values: Float32Array, start: number, { first, weights }: Taps): Float64Array {
  const out = new Float64Array(first.length);
  for (let i = 0; i < out.length; i++) {
    const at = start + first[i];
    const w = 4 * i;
    // Counted from the first, so that level ground stays so to the bit.
    const base = values[at];
    out[i] = base + weights[w + 1] * (values[at + 1] - base) + weights[w + 2] * (values[at + 2] - base) + weights[w + 3] * (values[at + 3] - base);
  }
  return out;
}

function blend(out: Float32Array, at: number, [a, b, c, d]: Float64Array[], weights: Float64Array, w: number): void {
  for (let i = 0; i < a.length; i++) out[at + i] = a[i] + weights[w + 1] * (b[i] - a[i]) + weights[w + 2] * (c[i] - a[i]) + weights[w + 3] * (d[i] - a[i]);
}
