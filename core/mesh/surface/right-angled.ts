import { throwIfStopped, UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { vertexHeights } from './grid';
import { betweenSamples, ontoEdge, type MeshSurface, type SurfacePart } from './surface';

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
export function rightAngledSurface(field: Field, options: RightAngledOptions): { surface: MeshSurface; error: number } {
  const { triangles = Infinity } = options;
  for (let most = triangles; ;) {
    const { surface, error } = betweenOutermost(betweenSamples(field), { ...options, triangles: most });
    const whole = ontoEdge(field, surface);
    // What carries it on to the edge counts too.
    const over = whole.faces.length / 3 - triangles;
    if (!(over > 0) || whole === surface || most - over < 2) return { surface: whole, error };
    most -= Math.ceil(over);
  }
}

function betweenOutermost(field: Field, { maxError, triangles = Infinity, parts = 1, signal }: RightAngledOptions): { surface: MeshSurface; error: number } {
  const { across, down } = field.ground;
  if (!(maxError >= 0)) throw new UplandError('error', `The largest error is a length of 0 m or more; ${maxError} was given.`);
  const own = Math.max(across, down) - 1;
  let cells = 2;
  while (cells < own) cells *= 2;
  // Corners that are not samples have to lie closer than they do.
  if ((across !== down || cells !== own) && cells < 1.4 * own) cells *= 2;
  if (cells > MOST_CELLS)
    throw new UplandError('mesh-size', `Triangles are halved on ${MOST_CELLS} cells a side at the most; this ground needs ${cells}. Use greedy insertion.`);
  if (!(parts >= 1 && parts <= cells && (parts & (parts - 1)) === 0))
    throw new UplandError('parts', `Right-angled triangles part in 1, 2, 4, 8 … a side; ${parts} were asked for.`);
  const side = cells + 1;
  const height = vertexHeights(field, side, side);
  const look = underTriangle(field, height, cells);
  const errors = measure(look, cells, parts, signal);
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
  const error = walk(errors, cells, bound, look, (ax, ay, bx, by, cx, cy) => {
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
  look: Look,
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
    const own = apart > 1 ? errors[my * side + mx] : look(ax, ay, bx, by, cx, cy);
    if (own > worst) worst = own;
    take(ax, ay, bx, by, cx, cy);
  };
  visit(0, 0, cells, cells, cells, 0);
  visit(cells, cells, 0, 0, 0, cells);
  return worst;
}

function countOf(errors: Float32Array, cells: number, bound: number): number {
  let count = 0;
  walk(
    errors,
    cells,
    bound,
    () => 0,
    () => count++,
  );
  return count;
}

type Look = (ax: number, ay: number, bx: number, by: number, cx: number, cy: number) => number;

/** For the middle of every triangle's long side the largest error of what is halved there: of the triangles on either side and all they hold. */
function measure(look: Look, cells: number, parts: number, signal?: AbortSignal): Float32Array {
  const side = cells + 1;
  const errors = new Float32Array(side * side);
  const block = cells / parts;
  let seen = 0;
  const visit = (ax: number, ay: number, bx: number, by: number, cx: number, cy: number) => {
    if ((++seen & 0xffff) === 0) throwIfStopped(signal);
    const mx = (ax + bx) >> 1;
    const my = (ay + by) >> 1;
    const m = my * side + mx;
    const long = Math.max(Math.abs(ax - bx), Math.abs(ay - by));
    const own = long > block ? Infinity : look(ax, ay, bx, by, cx, cy);
    if (own > errors[m]) errors[m] = own;
    // The smallest lie between three neighbours, and cannot be halved.
    if (!smallest(cx, cy, ax, ay, mx, my)) visit(cx, cy, ax, ay, mx, my);
    if (!smallest(bx, by, cx, cy, mx, my)) visit(bx, by, cx, cy, mx, my);
  };
  visit(0, 0, cells, cells, cells, 0);
  visit(cells, cells, 0, 0, 0, cells);
  // From fine to coarse: what is halved at a place leans on what is halved around it.
  for (let step = 1; step < cells; step *= 2) {
    const half = step / 2;
    for (let y = 0; y <= cells; y += step) {
      for (let x = (y / step) % 2 ? 0 : step; x <= cells; x += 2 * step) {
        if (step === 1) continue;
        let most = errors[y * side + x];
        for (const dy of [-half, half]) {
          if (y + dy < 0 || y + dy > cells) continue;
          for (const dx of [-half, half]) if (x + dx >= 0 && x + dx <= cells) most = Math.max(most, errors[(y + dy) * side + x + dx]);
        }
        errors[y * side + x] = most;
      }
    }
    for (let y = step; y < cells; y += 2 * step) {
      for (let x = step; x < cells; x += 2 * step) {
        const m = y * side + x;
        errors[m] = Math.max(errors[m], errors[m - step], errors[m + step], errors[m - step * side], errors[m + step * side]);
      }
    }
  }
  return errors;
}

/** Whether a triangle has short sides of one cell. */
const smallest = (ax: number, ay: number, bx: number, by: number, cx: number, cy: number) =>
  Math.abs(ax - cx) + Math.abs(ay - cy) === 1 && Math.abs(bx - cx) + Math.abs(by - cy) === 1;

/** Looks up the largest error of a triangle at the ground's own samples. */
function underTriangle(field: Field, corner: Float32Array, cells: number): Look {
  const { across, down } = field.ground;
  const side = cells + 1;
  // Cells of the square from sample to sample.
  const [dx, dy] = [cells / Math.max(1, across - 1), cells / Math.max(1, down - 1)];
  return (ax, ay, bx, by, cx, cy) => {
    const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    const ha = corner[ay * side + ax];
    const hb = corner[by * side + bx] - ha;
    const hc = corner[cy * side + cx] - ha;
    const first = Math.max(0, Math.ceil(Math.min(ay, by, cy) / dy - 1e-9));
    const end = Math.min(down - 1, Math.floor(Math.max(ay, by, cy) / dy + 1e-9));
    const left = Math.max(0, Math.ceil(Math.min(ax, bx, cx) / dx - 1e-9));
    const right = Math.min(across - 1, Math.floor(Math.max(ax, bx, cx) / dx + 1e-9));
    let worst = 0;
    for (let row = first; row <= end; row++) {
      const y = row * dy - ay;
      for (let column = left; column <= right; column++) {
        const x = column * dx - ax;
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
      const turn =
        ((b % side) - (a % side)) * (Math.floor(c / side) - Math.floor(a / side)) - (Math.floor(b / side) - Math.floor(a / side)) * ((c % side) - (a % side));
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
