import { throwIfStopped, UplandError } from '../../errors';
import { makeField, type Field } from '../../field/field';
import { makeGround, type Ground } from '../../field/ground';
import type { Kernels } from '../../kernels/pool';
import { boundsOfPlaces } from '../../kernels/scan';
import { AREA_PARTS, pressProgram, type Facing, type PressArgs, type Surfaces } from '../../kernels/programs/press';
import { inBlocks } from '../../blocks';
import { triangleIndices, type Mesh } from '../mesh';
import { SmoothSurface } from './smooth';

export interface RasterizeOptions {
  /** Samples across and down; left out: as many as the mesh's triangles can support, at most 1025 a side. */
  size?: { across: number; down: number };
  /** The land to look at, in the mesh's own plan coordinates (east, south); left out: its bounds. */
  extent?: { west: number; north: number; east: number; south: number };
  up?: 'y' | 'z';
  registration?: Ground['registration'];
  /** All lengths of the mesh times this first: metres to one of its units. */
  scale?: number;
  /** Between its corners the surface is smooth instead of flat: the facets go, the corners stay. */
  smooth?: boolean;
  signal?: AbortSignal;
  progress?(share: number): void;
}

export interface Rasterized {
  field: Field;
  /** Samples under which there is no surface. */
  holes: number;
  /** Samples under which there is more than one surface, beyond the edge tolerance in height. */
  overhangs: number;
  /** Triangles that stand upright or have no area, seen from above. */
  upright: number;
  /** Triangles that face up, and that face down. Winding is not asked: the topmost surface counts. */
  facing: { up: number; down: number };
  /** The side of a square cell that the triangles average, metres: what samples closer than this only draw over again. */
  spacing: number;
  /** How far the lowest surface lies under the topmost one at every sample, metres; 0 where there is one. */
  gap: Float32Array<ArrayBuffer>;
  /** The plan that the mesh covers: width and depth, metres. */
  size: { width: number; depth: number };
}

/** Share of the spacing within which a vertex gives a sample its own height. */
const EDGE_TOLERANCE = 1e-4;

/** The least weight that a vertex on a sample has there. */
const NEARLY = 0.5;

/**
 * A mesh looked at from straight above: for every sample the height of the topmost surface, by
 * barycentric interpolation in double precision. A vertex within a ten-thousandth of the
 * spacing of a sample gives that sample its own height (float32 positions on odd spacings are
 * off by micrometres, which on a cliff is more than a millionth of the range). Samples that no
 * surface lies over have no data.
 */
export function rasterizeMesh(mesh: Mesh, options: RasterizeOptions = {}): Rasterized {
  const laid = layDown(mesh, options);
  refuseStray(laid.indices, laid.args.vertices);
  return rasterized(laid, drawFaces(laid, options));
}

/** The same on the kernels' threads, number by number, which is several times as fast; a smooth surface is drawn in place. */
export async function rasterizeMeshOnKernels(kernels: Kernels, mesh: Mesh, options: RasterizeOptions = {}): Promise<Rasterized> {
  if (options.smooth) return rasterizeMesh(mesh, options);
  const laid = layDown(mesh, options);
  const pressed = await kernels.run(pressProgram, laid.args, laid, { signal: options.signal, progress: options.progress });
  if (pressed.stray) refuseStray(laid.indices, laid.args.vertices);
  return rasterized(laid, pressed);
}

/** A mesh over the samples that it is pressed to. */
interface Laid {
  positions: Float32Array;
  indices: Uint32Array;
  ground: Ground;
  args: PressArgs;
}

/** Refuses a face that names a vertex which is not there. */
function refuseStray(indices: Uint32Array, vertices: number): void {
  let largest = 0;
  for (let i = 0; i < indices.length; i++) if (indices[i] > largest) largest = indices[i];
  if (largest < vertices) return;
  const i = indices.findIndex((v) => v >= vertices);
  throw new UplandError('mesh-index', `Face ${Math.floor(i / 3) + 1} names vertex ${indices[i]}, and there are ${vertices}.`);
}

function layDown(mesh: Mesh, options: RasterizeOptions): Laid {
  const { scale = 1 } = options;
  if (!(scale > 0 && scale < 1e9)) throw new UplandError('mesh-scale', `A mesh is scaled by a number above 0; ${scale} was given.`);
  const positions = scale === 1 ? mesh.positions : mesh.positions.map((v) => v * scale);
  if (positions.length === 0 || mesh.indices.length === 0)
    throw new UplandError('no-faces', 'This mesh has no faces, so there is nothing to look at from above.');
  const up = options.up ?? mesh.up;
  const bounds = boundsOfPlaces(positions);
  if (!bounds.finite) {
    const i = positions.findIndex((v) => v - v !== 0);
    throw new UplandError('mesh-numbers', `Vertex ${Math.floor(i / 3) + 1} of this mesh is not a number (NaN or infinite). Mend it where it was made.`);
  }
  const north = up === 'y' ? bounds.min[2] : -bounds.max[1];
  const south = up === 'y' ? bounds.max[2] : -bounds.min[1];
  // An extent is in the file's own numbers; its places may count from another origin.
  const origin = (mesh.origin ?? [0, 0, 0]).map((v) => v * scale);
  const [aside, along] = [origin[0], up === 'y' ? origin[2] : -origin[1]];
  const given = options.extent && {
    west: options.extent.west - aside,
    east: options.extent.east - aside,
    north: options.extent.north - along,
    south: options.extent.south - along,
  };
  const extent = given ?? { west: bounds.min[0], east: bounds.max[0], north, south };
  const width = extent.east - extent.west;
  const depth = extent.south - extent.north;
  if (!(width > 0 && depth > 0)) {
    throw new UplandError('mesh-flat', `Seen from above this mesh is ${width} × ${depth} in size, so there is no ground in it. Is the other axis up?`);
  }
  const indices = triangleIndices(mesh);
  const count = positions.length / 3;
  if (!options.size) refuseStray(indices, count);
  const { across, down } = options.size ?? supportedSize(spacingOfTriangles(positions, indices, up), width, depth);
  const registration = options.registration ?? 'point';
  const heightAxis = up === 'y' ? 1 : 2;
  const lowest = bounds.min[heightAxis];
  const highest = bounds.max[heightAxis];
  const far = Math.max(Math.abs(lowest), Math.abs(highest));
  const datum = far > 64 && far > 4 * (highest - lowest) && far < 100_000 ? Math.floor(lowest) : 0;
  const lifted = origin[heightAxis];
  const ground = makeGround({ width, depth, across, down, registration, datum: Math.abs(datum + lifted) <= 100_000 ? datum + lifted : 0 });

  const pad = registration === 'area' ? 0.5 : 0;
  const stepX = registration === 'area' ? width / across : across > 1 ? width / (across - 1) : width;
  const stepY = registration === 'area' ? depth / down : down > 1 ? depth / (down - 1) : depth;
  // What two faces make of their common edge is not an overhang; curved ones differ there by a little more.
  const apart = Math.max((options.smooth ? 2e-4 : 1e-5) * (highest - lowest), 1e-9);
  const plan = { across, down, vertices: count, faces: indices.length / 3, up, west: extent.west, north: extent.north, stepX, stepY, pad };
  return { positions, indices, ground, args: { ...plan, lifted, datum: ground.datum, apart } };
}

function drawFaces(laid: Laid, options: RasterizeOptions): Surfaces & Facing {
  const { positions, indices, args } = laid;
  const samples = args.across * args.down;
  const top = new Float64Array(samples).fill(-Infinity);
  const bottom = new Float64Array(samples).fill(Infinity);
  const vertices = verticesInPlan(laid);
  const draw = faceDrawer(args, vertices, top, bottom, options.smooth ? smoothOver(positions, indices, args.up) : undefined);
  const { columns, rows } = vertices;
  let [upright, upwards, downwards, cells] = [0, 0, 0, 0];
  for (let t = 0; t < indices.length; t += 3) {
    if ((t & 0xfffff) < 3) {
      throwIfStopped(options.signal);
      options.progress?.(t / indices.length);
    }
    const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]];
    const area = (columns[b] - columns[a]) * (rows[c] - rows[a]) - (columns[c] - columns[a]) * (rows[b] - rows[a]);
    const size = area < 0 ? -area : area;
    if (size < 1e-12) {
      upright++;
      continue;
    }
    cells += Math.floor(size * AREA_PARTS);
    // Rows run south: counter-clockwise from above turns the other way here.
    if (area < 0) upwards++;
    else downwards++;
    draw(a, b, c, area);
  }
  return { ...surfaces(top, bottom, args), upright, upwards, downwards, cells };
}

/** Where the vertices stand: column and row in samples, and height. */
interface PlanVertices {
  columns: Float64Array;
  rows: Float64Array;
  heights: Float32Array;
}

function verticesInPlan({ positions, args: { vertices, up, west, north, stepX, stepY, pad } }: Laid): PlanVertices {
  const columns = new Float64Array(vertices);
  const rows = new Float64Array(vertices);
  const heights = new Float32Array(vertices);
  const [planAxis, heightAxis, southwards] = up === 'y' ? [2, 1, 1] : [1, 2, -1];
  for (let i = 0; i < vertices; i++) {
    columns[i] = (positions[3 * i] - west) / stepX - pad;
    rows[i] = (southwards * positions[3 * i + planAxis] - north) / stepY - pad;
    heights[i] = positions[3 * i + heightAxis];
  }
  return { columns, rows, heights };
}

/** Draws one face over the samples under it; `area`: doubled, with its sign. */
function faceDrawer(
  { across, down }: PressArgs,
  { columns, rows, heights }: PlanVertices,
  top: Float64Array,
  bottom: Float64Array,
  smooth: SmoothSurface | undefined,
): (a: number, b: number, c: number, area: number) => void {
  return (a, b, c, area) => {
    const [ax, bx, cx] = [columns[a], columns[b], columns[c]];
    const [ay, by, cy] = [rows[a], rows[b], rows[c]];
    const [west, east, north, south] = [Math.min(ax, bx, cx), Math.max(ax, bx, cx), Math.min(ay, by, cy), Math.max(ay, by, cy)];
    const left = west > EDGE_TOLERANCE ? Math.ceil(west - EDGE_TOLERANCE) : 0;
    const right = east < across - 1 ? Math.floor(east + EDGE_TOLERANCE) : across - 1;
    const first = north > EDGE_TOLERANCE ? Math.ceil(north - EDGE_TOLERANCE) : 0;
    const last = south < down - 1 ? Math.floor(south + EDGE_TOLERANCE) : down - 1;
    if (first > last || left > right) return;
    const [ha, hb, hc] = [heights[a], heights[b], heights[c]];
    const [least, most] = [Math.min(ha, hb, hc), Math.max(ha, hb, hc)];
    const share = 1 / area;
    // Weights may fall this far under 0, so that samples on an edge belong to both faces: no side is longer than the bounds' two together.
    const slack = (-EDGE_TOLERANCE * (east - west + (south - north))) / Math.abs(area);
    const over = smooth?.over(a, b, c);
    const heightAt = (column: number, row: number, wa: number, wb: number, wc: number): number => {
      // A vertex stands on a sample only where it has nearly all the weight.
      if (wa > NEARLY && near(ax, column) && near(ay, row)) return ha;
      if (wb > NEARLY && near(bx, column) && near(by, row)) return hb;
      if (wc > NEARLY && near(cx, column) && near(cy, row)) return hc;
      // On the edge tolerance a steep face must not be carried beyond its own corners.
      if (!over) return Math.min(most, Math.max(least, wa * ha + wb * hb + wc * hc));
      // Beside the edge by less than the tolerance: on it.
      const [pa, pb, pc] = [Math.max(0, wa), Math.max(0, wb), Math.max(0, wc)];
      const sum = pa + pb + pc;
      return over(pa / sum, pb / sum, pc / sum);
    };
    for (let row = first; row <= last; row++) {
      const [ra, rb, rc] = [(ay - row) * share, (by - row) * share, (cy - row) * share];
      for (let column = left; column <= right; column++) {
        const wa = (bx - column) * rc - (cx - column) * rb;
        const wb = (cx - column) * ra - (ax - column) * rc;
        const wc = 1 - wa - wb;
        if (wa < slack || wb < slack || wc < slack) continue;
        const height = heightAt(column, row, wa, wb, wc);
        const i = row * across + column;
        if (height > top[i]) top[i] = height;
        if (height < bottom[i]) bottom[i] = height;
      }
    }
  };
}

/** The topmost surface over every sample, and what lies under it. */
function surfaces(top: Float64Array, bottom: Float64Array, { lifted, datum, apart }: PressArgs): Surfaces {
  const height = new Float32Array(top.length);
  const gap = new Float32Array(top.length);
  const valid = new Uint8Array(top.length);
  let holes = 0;
  let overhangs = 0;
  inBlocks(top.length, (from, to) => {
    for (let i = from; i < to; i++) {
      if (top[i] === -Infinity) {
        holes++;
        continue;
      }
      valid[i] = 1;
      height[i] = top[i] + lifted - datum;
      if (top[i] - bottom[i] <= apart) continue;
      overhangs++;
      gap[i] = top[i] - bottom[i];
    }
  });
  return { height, gap, valid: holes ? valid : undefined, holes, overhangs };
}

function rasterized(
  { ground, args: { stepX, stepY } }: Laid,
  { height, gap, valid, holes, overhangs, upright, upwards, downwards, cells }: Surfaces & Facing,
): Rasterized {
  if (holes === height.length) throw new UplandError('mesh-missed', 'No sample lies over this mesh. The extent does not meet it.');
  const spacing = upwards + downwards ? Math.sqrt(((cells / AREA_PARTS) * stepX * stepY) / (upwards + downwards)) : 0;
  const size = { width: ground.width, depth: ground.depth };
  return { field: makeField(ground, height, valid), holes, overhangs, upright, facing: { up: upwards, down: downwards }, spacing, gap, size };
}

function near(a: number, b: number): boolean {
  const by = a - b;
  return by < EDGE_TOLERANCE && by > -EDGE_TOLERANCE;
}

/** The side of a square cell of two average triangles: the root of twice the mean area in plan. */
function spacingOfTriangles(positions: Float32Array, indices: Uint32Array, up: 'y' | 'z'): number {
  const plan = up === 'y' ? 2 : 1;
  let [area, count] = [0, 0];
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [3 * indices[t], 3 * indices[t + 1], 3 * indices[t + 2]];
    const own = Math.abs(
      (positions[b] - positions[a]) * (positions[c + plan] - positions[a + plan]) - (positions[c] - positions[a]) * (positions[b + plan] - positions[a + plan]),
    );
    if (own === 0) continue;
    area += own / 2;
    count++;
  }
  return count ? Math.sqrt((2 * area) / count) : 0;
}

/** About as many samples as the triangles can support, in square cells: more would only draw them. */
function supportedSize(spacing: number, width: number, depth: number): { across: number; down: number } {
  const side = (length: number) => Math.min(1025, Math.max(2, Math.round(length / Math.max(spacing, length / 1e6)) + 1));
  return { across: side(width), down: side(depth) };
}

function smoothOver(positions: Float32Array, indices: Uint32Array, up: 'y' | 'z'): SmoothSurface {
  const count = positions.length / 3;
  const [x, y, z] = [new Float64Array(count), new Float64Array(count), new Float64Array(count)];
  for (let v = 0; v < count; v++) {
    x[v] = positions[3 * v];
    y[v] = up === 'y' ? positions[3 * v + 2] : -positions[3 * v + 1];
    z[v] = positions[3 * v + (up === 'y' ? 1 : 2)];
  }
  return new SmoothSurface(x, y, z, indices);
}
