import { UplandError } from '../errors';
import type { Field } from '../field/field';
import { vertexHeights } from './grid';
import type { MeshSurface, SurfacePart } from './surface';

export interface RightAngledOptions {
  /** The largest vertical error that may be left at any sample, metres. */
  maxError: number;
  /** Triangles at the most; left out: as many as it takes. */
  triangles?: number;
  /** Parts a side, a power of two. */
  parts?: number;
  signal?: AbortSignal;
}

/** The most cells a side of the grid that triangles are halved on. */
const MOST_CELLS = 4096;

/**
 * Right-angled triangles, each half of a larger one (right-triangulated irregular network: Evans,
 * Kirkpatrick & Townsend 2001). The ground lies on a square of 2ᵏ cells a side; where its samples
 * are others, corners take the surface through them. The error of a triangle is looked up at every
 * sample under it, and a triangle that is halved halves what leans on it, so there is no
 * T-junction and the bound holds at all samples.
 */
export function rightAngledSurface(field: Field, { maxError, triangles = Infinity, parts = 1, signal }: RightAngledOptions): { surface: MeshSurface; error: number } {
  const { across, down, registration } = field.ground;
  if (!(maxError >= 0)) throw new UplandError('error', `The largest error is a length of 0 m or more; ${maxError} was given.`);
  const own = Math.max(across, down) - (registration === 'point' ? 1 : 0);
  let cells = 2;
  while (cells < own) cells *= 2;
  // Corners that are not samples have to lie closer than they do.
  if (registration === 'area' || across !== down || cells !== own) cells *= 2;
  if (cells > MOST_CELLS)
    throw new UplandError('mesh-size', `Triangles are halved on ${MOST_CELLS} cells a side at the most; this ground needs ${cells}. Use greedy insertion.`);
  if (!(parts >= 1 && parts <= cells && Number.isInteger(Math.log2(parts))))
    throw new UplandError('parts', `Halved triangles part in 1, 2, 4, 8 … a side; ${parts} were asked for.`);
  const side = cells + 1;
  const height = vertexHeights(field, side, side);
  const { errors, finest } = measure(field, height, cells, parts, signal);
  let bound = maxError;
  if (triangles !== Infinity) {
    let [low, high] = [bound, bound];
    for (const e of errors) if (e !== Infinity && e > high) high = e;
    if (countOf(errors, cells, low) <= triangles) high = low;
    for (let k = 0; k < 40 && high - low > 1e-6 * high; k++) {
      const middle = (low + high) / 2;
      if (countOf(errors, cells, middle) > triangles) low = middle;
      else high = middle;
    }
    bound = high;
  }
  const faces: number[][] = Array.from({ length: parts * parts }, () => []);
  const block = cells / parts;
  const error = walk(errors, cells, bound, finest, (ax, ay, bx, by, cx, cy) => {
    const [x, y] = [Math.min(parts - 1, Math.floor((ax + bx + cx) / 3 / block)), Math.min(parts - 1, Math.floor((ay + by + cy) / 3 / block))];
    faces[y * parts + x].push(ay * side + ax, by * side + bx, cy * side + cx);
  });
  if (triangles === Infinity && error > maxError) {
    throw new UplandError(
      'error',
      `On ${cells} cells a side, which is what these samples allow, halved triangles stay up to ${Number(error.toPrecision(3))} m off. Allow that much, or use greedy insertion.`,
    );
  }
  return { surface: assembled(faces, height, side, parts), error };
}

/** Every triangle that stays whole at a bound; returns the largest error among them. */
function walk(
  errors: Float32Array,
  cells: number,
  bound: number,
  finest: Float32Array,
  take: (ax: number, ay: number, bx: number, by: number, cx: number, cy: number) => void,
): number {
  const side = cells + 1;
  let worst = 0;
  const visit = (ax: number, ay: number, bx: number, by: number, cx: number, cy: number) => {
    const [mx, my] = [(ax + bx) >> 1, (ay + by) >> 1];
    const apart = Math.abs(ax - cx) + Math.abs(ay - cy);
    if (apart > 1 && errors[my * side + mx] > bound) {
      visit(cx, cy, ax, ay, mx, my);
      visit(bx, by, cx, cy, mx, my);
      return;
    }
    const own = apart > 1 ? errors[my * side + mx] : finest[leafOf(ax, ay, bx, by, cx, cy, cells)];
    if (own > worst) worst = own;
    take(ax, ay, bx, by, cx, cy);
  };
  visit(0, 0, cells, cells, cells, 0);
  visit(cells, cells, 0, 0, 0, cells);
  return worst;
}

function countOf(errors: Float32Array, cells: number, bound: number): number {
  let count = 0;
  walk(errors, cells, bound, NONE, () => count++);
  return count;
}

const NONE = new Float32Array(0);

/** The two smallest triangles of a cell: the one whose apex is in its upper row, and the other. */
function leafOf(ax: number, ay: number, bx: number, by: number, cx: number, cy: number, cells: number): number {
  const [left, top] = [Math.min(ax, bx, cx), Math.min(ay, by, cy)];
  return 2 * (top * cells + left) + (cy === top ? 0 : 1);
}

/** For the middle of every triangle's long side the largest error of what is halved there: of the triangles on either side and all they hold. */
function measure(field: Field, height: Float32Array, cells: number, parts: number, signal?: AbortSignal): { errors: Float32Array; finest: Float32Array } {
  const side = cells + 1;
  const errors = new Float32Array(side * side);
  const finest = new Float32Array(2 * cells * cells);
  const look = underTriangle(field, height, cells);
  const block = cells / parts;
  // Binary names, as the halving goes: the first digit is the root, every further one the left or the right half.
  const smallest = 4 * cells * cells;
  for (let id = smallest - 1; id >= 2; id--) {
    if ((id & 0xffff) === 0) signal?.throwIfAborted();
    let [ax, ay, bx, by, cx, cy] = [0, 0, cells, cells, cells, 0];
    if (id & 1) [ax, ay, bx, by, cx, cy] = [cells, cells, 0, 0, 0, cells];
    for (let rest = id >> 1; rest > 1; rest >>= 1) {
      const [mx, my] = [(ax + bx) >> 1, (ay + by) >> 1];
      if (rest & 1) [bx, by, ax, ay] = [ax, ay, cx, cy];
      else [ax, ay, bx, by] = [bx, by, cx, cy];
      [cx, cy] = [mx, my];
    }
    const own = look(ax, ay, bx, by, cx, cy);
    const apart = Math.abs(ax - cx) + Math.abs(ay - cy);
    if (apart === 1) {
      finest[leafOf(ax, ay, bx, by, cx, cy, cells)] = own;
      continue;
    }
    const m = ((ay + by) >> 1) * side + ((ax + bx) >> 1);
    let most = Math.max(errors[m], own);
    if (Math.max(Math.abs(ax - bx), Math.abs(ay - by)) > block) most = Infinity;
    // Its halves are halved in the middle of its short sides, where those are not a cell's diagonal.
    const [lx, ly, rx, ry] = [ax + cx, ay + cy, bx + cx, by + cy];
    if ((lx & 1) === 0 && (ly & 1) === 0) most = Math.max(most, errors[(ly >> 1) * side + (lx >> 1)]);
    if ((rx & 1) === 0 && (ry & 1) === 0) most = Math.max(most, errors[(ry >> 1) * side + (rx >> 1)]);
    errors[m] = most;
  }
  return { errors, finest };
}

/** Looks up the largest error of a triangle at the ground's own samples. */
function underTriangle(field: Field, corner: Float32Array, cells: number) {
  const { across, down, registration } = field.ground;
  const side = cells + 1;
  const pad = registration === 'area' ? 0.5 : 0;
  // Cells of the square from sample to sample.
  const [dx, dy] = registration === 'area' ? [cells / across, cells / down] : [cells / (across - 1), cells / (down - 1)];
  return (ax: number, ay: number, bx: number, by: number, cx: number, cy: number): number => {
    const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    const ha = corner[ay * side + ax];
    const hb = corner[by * side + bx] - ha;
    const hc = corner[cy * side + cx] - ha;
    const first = Math.max(0, Math.ceil(Math.min(ay, by, cy) / dy - pad - 1e-9));
    const end = Math.min(down - 1, Math.floor(Math.max(ay, by, cy) / dy - pad + 1e-9));
    const left = Math.max(0, Math.ceil(Math.min(ax, bx, cx) / dx - pad - 1e-9));
    const right = Math.min(across - 1, Math.floor(Math.max(ax, bx, cx) / dx - pad + 1e-9));
    let worst = 0;
    for (let row = first; row <= end; row++) {
      const y = (row + pad) * dy - ay;
      for (let column = left; column <= right; column++) {
        const x = (column + pad) * dx - ax;
        const wb = (x * (cy - ay) - y * (cx - ax)) / area;
        const wc = (y * (bx - ax) - x * (by - ay)) / area;
        if (wb < -1e-9 || wc < -1e-9 || wb + wc > 1 + 1e-9) continue;
        const off = Math.abs(field.height[row * across + column] - ha - wb * hb - wc * hc);
        if (off > worst) worst = off;
      }
    }
    return worst;
  };
}

function assembled(found: number[][], height: Float32Array, side: number, parts: number): MeshSurface {
  const number = new Int32Array(side * side).fill(-1);
  const total = found.reduce((sum, f) => sum + f.length, 0);
  const faces = new Uint32Array(total);
  const kept: number[] = [];
  const own: SurfacePart[] = [];
  let at = 0;
  for (const [k, list] of found.entries()) {
    const from = at;
    for (let i = 0; i < list.length; i += 3) {
      const [a, b, c] = [list[i], list[i + 1], list[i + 2]];
      const turn = ((b % side) - (a % side)) * (Math.floor(c / side) - Math.floor(a / side)) - (Math.floor(b / side) - Math.floor(a / side)) * ((c % side) - (a % side));
      for (const v of turn > 0 ? [a, c, b] : [a, b, c]) {
        if (number[v] < 0) {
          number[v] = kept.length;
          kept.push(v);
        }
        faces[at++] = number[v];
      }
    }
    const [column, row] = [k % parts, Math.floor(k / parts)];
    own.push({ column, row, from, to: at, west: column / parts, east: (column + 1) / parts, north: row / parts, south: (row + 1) / parts });
  }
  const place = (of: (v: number) => number) => {
    const out = new Float64Array(kept.length);
    for (let i = 0; i < out.length; i++) out[i] = of(kept[i]) / (side - 1);
    return out;
  };
  const heights = new Float32Array(kept.length);
  for (let i = 0; i < heights.length; i++) heights[i] = height[kept[i]];
  return { east: place((v) => v % side), south: place((v) => Math.floor(v / side)), height: heights, faces, corners: 3, parts: own };
}
