import { grouped } from '../../grouped';
import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { resample } from '../../field/resample';
import { statistics } from '../../field/statistics';
import type { Mesh } from '../mesh';

export interface GridOptions {
  /** Faces along the width and the depth; one vertex more than that. Left out: one vertex a sample. */
  segments?: { x: number; y: number };
  /** Metres along the width and the depth; left out: the ground's own. */
  extent?: { width: number; depth: number };
  /** y = base + strength × (height − zero). */
  strength?: number;
  /** The elevation that becomes the base, metres; left out: the ground's datum. */
  zero?: number;
  base?: number;
  up?: 'y' | 'z';
  faces?: 'triangles' | 'quads';
  normals?: boolean;
  uvs?: boolean;
}

/** The most vertices that one mesh may have here. */
export const MAX_VERTICES = 40_000_000;

/**
 * A regular grid displaced by the field, centred on the origin. (nx × ny) faces have
 * (nx + 1) × (ny + 1) vertices. Vertices span the ground from edge to edge; with area
 * registration those on the edge lie half a sample outside of the outermost sample, where its
 * value carries on. Cells are cut along the diagonal whose ends differ less in height.
 */
export function gridMesh(field: Field, options: GridOptions = {}): Mesh {
  const { ground } = field;
  const { strength = 1, base = 0, up = 'y', faces = 'triangles' } = options;
  const nx = options.segments?.x ?? ground.across - 1;
  const ny = options.segments?.y ?? ground.down - 1;
  if (!(Number.isInteger(nx) && Number.isInteger(ny) && nx >= 1 && ny >= 1)) {
    throw new UplandError('segments', `A mesh needs at least one face each way; ${nx} × ${ny} were asked for.`);
  }
  const columns = nx + 1;
  const rows = ny + 1;
  if (columns * rows > MAX_VERTICES) {
    throw new UplandError('mesh-size', `${nx} × ${ny} faces have ${grouped(columns * rows)} vertices; ${grouped(MAX_VERTICES)} are the most. Use fewer faces.`);
  }
  const width = options.extent?.width ?? ground.width;
  const depth = options.extent?.depth ?? ground.depth;
  const heights = vertexHeights(field, columns, rows);
  const move = ground.datum - (options.zero ?? ground.datum);

  const positions = new Float32Array(columns * rows * 3);
  for (let row = 0, i = 0; row < rows; row++) {
    const south = (row / ny - 0.5) * depth;
    for (let column = 0; column < columns; column++, i++) {
      const east = (column / nx - 0.5) * width;
      const height = base + strength * (heights[i] + move);
      positions[3 * i] = east;
      positions[3 * i + 1] = up === 'y' ? height : -south;
      positions[3 * i + 2] = up === 'y' ? south : height;
    }
  }
  const indices = new Uint32Array(nx * ny * (faces === 'quads' ? 4 : 6));
  faceIndices(heights, columns, faces, { left: 0, right: nx, top: 0, bottom: ny }, indices, 0);
  const mesh: Mesh = { positions, indices, corners: faces === 'quads' ? 4 : 3, up };
  if (options.normals ?? true) mesh.normals = gridNormals(heights, columns, rows, width / nx, depth / ny, strength, up);
  if (options.uvs ?? true) {
    const uvs = new Float32Array(columns * rows * 2);
    for (let row = 0, i = 0; row < rows; row++) {
      for (let column = 0; column < columns; column++) {
        uvs[i++] = column / nx;
        uvs[i++] = row / ny;
      }
    }
    mesh.uvs = uvs;
  }
  return mesh;
}

/** Ratio of relief to width, the strength that a plane of width 1 needs for heights of 0 to 1. */
export function displacementRatio(field: Field): number {
  const { lowest, highest } = statistics(field);
  return (highest - lowest) / field.ground.width;
}

/** A mesh has no holes: samples without a height are refused. */
export function refuseHoles(field: Field): void {
  if (!field.valid) return;
  const holes = field.valid.reduce((sum, v) => sum + (v ? 0 : 1), 0);
  if (holes) throw new UplandError('holes', `${grouped(holes)} samples of this ground have no height. Fill them before making a mesh.`);
}

/** Heights at vertices that lie on the edge of the ground. Bit for bit the samples where they fall on them. */
export function vertexHeights(field: Field, columns: number, rows: number): Float32Array {
  const { ground } = field;
  refuseHoles(field);
  if (ground.registration === 'point' && ground.across === columns && ground.down === rows) return field.height;
  // A vertex takes the surface through the samples where it stands: cubic, never an average of what lies around.
  return resample(field, { ...ground, across: columns, down: rows, registration: 'point' }, 'cubic').height;
}

/** The corners of a block of cells into `out` from `at` on; returns where they end. */
export function faceIndices(
  heights: Float32Array,
  columns: number,
  faces: 'triangles' | 'quads',
  { left, right, top, bottom }: { left: number; right: number; top: number; bottom: number },
  out: Uint32Array,
  at: number,
): number {
  const row = faces === 'quads' ? quadsOf : trianglesOf;
  let to = at;
  // Row by row in a function of its own: a loop in one that is called again and again is compiled for what it sees.
  for (let y = top; y < bottom; y++) to = row(heights, columns, y * columns + left, y * columns + right, out, to);
  return to;
}

/** The quads south-east of the samples `from` … `to` − 1 of a row. */
function quadsOf(_heights: Float32Array, columns: number, from: number, to: number, out: Uint32Array, at: number): number {
  let o = at;
  for (let nw = from; nw < to; nw++, o += 4) {
    out[o] = nw;
    out[o + 1] = nw + columns;
    out[o + 2] = nw + columns + 1;
    out[o + 3] = nw + 1;
  }
  return o;
}

/** The same as two triangles each, cut along the diagonal whose ends differ less in height. */
function trianglesOf(heights: Float32Array, columns: number, from: number, to: number, out: Uint32Array, at: number): number {
  let o = at;
  for (let nw = from; nw < to; nw++, o += 6) {
    const ne = nw + 1;
    const sw = nw + columns;
    const se = sw + 1;
    // A row further where it falls to the south-east; a number and no branch, since it cannot be foreseen.
    const further = Number(Math.abs(heights[nw] - heights[se]) <= Math.abs(heights[ne] - heights[sw])) * columns;
    out[o] = nw;
    out[o + 1] = sw;
    out[o + 2] = ne + further;
    out[o + 3] = sw - further;
    out[o + 4] = se;
    out[o + 5] = ne;
  }
  return o;
}

/** Normals from central differences of the displaced heights; at the rim from one side. */
function gridNormals(heights: Float32Array, columns: number, rows: number, dx: number, dy: number, strength: number, up: 'y' | 'z') {
  const out = new Float32Array(heights.length * 3);
  for (let row = 0, i = 0; row < rows; row++) {
    const n = row > 0 ? row - 1 : 0;
    const s = row < rows - 1 ? row + 1 : row;
    for (let column = 0; column < columns; column++, i++) {
      const w = column > 0 ? column - 1 : 0;
      const e = column < columns - 1 ? column + 1 : column;
      const east = (strength * (heights[row * columns + e] - heights[row * columns + w])) / ((e - w) * dx);
      const south = (strength * (heights[s * columns + column] - heights[n * columns + column])) / ((s - n) * dy);
      const length = Math.sqrt(east * east + south * south + 1);
      out[3 * i] = -east / length;
      out[3 * i + 1] = up === 'y' ? 1 / length : south / length;
      out[3 * i + 2] = up === 'y' ? -south / length : 1 / length;
    }
  }
  return out;
}
