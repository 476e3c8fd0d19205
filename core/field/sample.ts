export const EDGES = { carry: 'Carried on', mirror: 'Mirrored', wrap: 'Wrapped' } as const;
export type Edge = keyof typeof EDGES;

/** The index inside 0 … count − 1 that stands for `i` outside of it. Wrapped point rows share their first and last sample. */
export function indexAt(i: number, count: number, edge: Edge, point: boolean): number {
  if (i >= 0 && i < count) return i;
  if (count === 1 || edge === 'carry') return i < 0 ? 0 : count - 1;
  const period = edge === 'mirror' ? (point ? 2 * (count - 1) : 2 * count) : point ? count - 1 : count;
  let k = i % period;
  if (k < 0) k += period;
  if (edge === 'wrap' || k < count) return k;
  return point ? period - k : period - 1 - k;
}

/**
 * Asks a grid of heights between its samples, by Catmull–Rom; exact at samples. The place is a
 * whole sample and a share of the way to the next, so that it has the same bits in every
 * window. The outside is carried on, mirrored or wrapped.
 */
export function cubicSampler(
  height: Float32Array,
  across: number,
  down: number,
  edge: Edge,
  point: boolean,
): (x0: number, y0: number, u: number, v: number) => number {
  const columns = new Int32Array(4);
  return (x0, y0, u, v) => {
    const inside = x0 >= 1 && y0 >= 1 && x0 < across - 2 && y0 < down - 2;
    for (let k = 0; k < 4; k++) columns[k] = inside ? x0 - 1 + k : indexAt(x0 - 1 + k, across, edge, point);
    const line = (k: number) => {
      const at = (inside ? y0 - 1 + k : indexAt(y0 - 1 + k, down, edge, point)) * across;
      return cubic(height[at + columns[0]], height[at + columns[1]], height[at + columns[2]], height[at + columns[3]], u);
    };
    return cubic(line(0), line(1), line(2), line(3), v);
  };
}

/** Catmull & Rom 1974, between b and c. */
function cubic(a: number, b: number, c: number, d: number, t: number): number {
  return b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
}
