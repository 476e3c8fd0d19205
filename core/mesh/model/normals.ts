import type { Field } from '../../field/field';

/** Where the three numbers of a direction stand, and whether the second counts north (−1) or south (1). */
export interface Axes {
  plan: 1 | 2;
  above: 1 | 2;
  north: 1 | -1;
}

/**
 * Normals of the ground itself at any place: central differences of the samples, straight between
 * them; at the rim from one side. Unit length; east, south and up, or as `axes` have them. `size`: the mesh's width and
 * depth, metres.
 */
export function exactNormals(
  field: Field,
  east: Float64Array,
  south: Float64Array,
  strength: number,
  { width, depth }: { width: number; depth: number },
  axes: Axes = { plan: 1, above: 2, north: 1 },
): Float32Array<ArrayBuffer> {
  const { across, down, registration } = field.ground;
  const area = registration === 'area';
  const [dx, dy] = area ? [width / across, depth / down] : [width / (across - 1), depth / (down - 1)];
  const out = new Float32Array(3 * east.length);
  const into = normalsInto(out, field, area, strength / dx, strength / dy, axes);
  for (let from = 0; from < east.length; from += BLOCK) into(east, south, from, Math.min(east.length, from + BLOCK));
  return out;
}

/** Vertices at a time: a loop in a function that is called again and again is compiled for what it sees. */
const BLOCK = 16_384;

/** The place of a share among `count` samples, on a sample where it is as good as there. */
function placeOf(share: number, count: number, area: boolean): number {
  const place = Math.min(count - 1, Math.max(0, area ? share * count - 0.5 : share * (count - 1)));
  const near = Math.floor(place + 0.5);
  return Math.abs(place - near) < 1e-9 ? near : place;
}

function normalsInto(out: Float32Array, field: Field, area: boolean, perColumn: number, perRow: number, { plan, above, north }: Axes) {
  const { height } = field;
  const { across, down } = field.ground;
  const slope = slopesAt(field, perColumn, perRow);
  return (east: Float64Array, south: Float64Array, from: number, to: number): void => {
    let [share, row] = [NaN, 0];
    for (let i = from; i < to; i++) {
      const column = placeOf(east[i], across, area);
      // Most stand in one row with the one before.
      if (south[i] !== share) {
        share = south[i];
        row = placeOf(share, down, area);
      }
      const [c, r] = [Math.floor(column), Math.floor(row)];
      let [x, y] = [0, 0];
      if (c === column && r === row && c > 0 && c < across - 1 && r > 0 && r < down - 1) {
        const at = r * across + c;
        x = ((height[at + 1] - height[at - 1]) / 2) * perColumn;
        y = ((height[at + across] - height[at - across]) / 2) * perRow;
      } else [x, y] = slope(column, row);
      const upwards = 1 / Math.sqrt(x * x + y * y + 1);
      out[3 * i] = -x * upwards;
      out[3 * i + plan] = -north * y * upwards;
      out[3 * i + above] = upwards;
    }
  };
}

/** The slope of the ground along east and south at a place in samples. */
export function slopesAt({ ground: { across, down }, height }: Field, perColumn: number, perRow: number): (column: number, row: number) => [number, number] {
  const at = (c: number, r: number, out: [number, number]) => {
    const [w, e] = [c > 0 ? c - 1 : 0, c < across - 1 ? c + 1 : c];
    const [n, s] = [r > 0 ? r - 1 : 0, r < down - 1 ? r + 1 : r];
    out[0] = e > w ? ((height[r * across + e] - height[r * across + w]) / (e - w)) * perColumn : 0;
    out[1] = s > n ? ((height[s * across + c] - height[n * across + c]) / (s - n)) * perRow : 0;
  };
  const [a, b, c, d]: [number, number][] = [
    [0, 0],
    [0, 0],
    [0, 0],
    [0, 0],
  ];
  const found: [number, number] = [0, 0];
  return (column, row) => {
    const [c0, r0] = [Math.floor(column), Math.floor(row)];
    const [fx, fy] = [column - c0, row - r0];
    at(c0, r0, a);
    if (fx === 0 && fy === 0) return a;
    const [c1, r1] = [Math.min(across - 1, c0 + 1), Math.min(down - 1, r0 + 1)];
    at(c1, r0, b);
    at(c0, r1, c);
    at(c1, r1, d);
    for (let k = 0; k < 2; k++) found[k] = (a[k] * (1 - fx) + b[k] * fx) * (1 - fy) + (c[k] * (1 - fx) + d[k] * fx) * fy;
    return found;
  };
}
