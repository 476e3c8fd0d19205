import { UplandError } from '../errors';
import { eastOf, southOf, type Ground } from '../field/ground';
import { glb } from '../mesh/formats/gltf/write';
import type { Mesh } from '../mesh/mesh';

/** Faces along one side of a node of meshes. */
export const FACES = 128;

/** Heights (metres) on some of a world's samples: those whose columns and rows are listed, ascending. */
export interface SampledHeights {
  columns: Int32Array;
  rows: Int32Array;
  height: Float32Array;
}

/** A piece of a level: `stride` samples from vertex to vertex, the piece that lies `row` and `column` such pieces from the north-west. */
export interface MeshNode {
  stride: number;
  row: number;
  column: number;
}

/** A mesh of a node in a file, and what is to be known of it. */
export interface NodeMesh {
  bytes: Uint8Array<ArrayBuffer>;
  /** The place of its origin: metres east and north of the ground's middle, and its height. */
  origin: [number, number, number];
  /** Metres from its middle to its sides, east and north. */
  half: [number, number];
  lowest: number;
  highest: number;
  /** How far its faces lie from the next finer level at the most, metres. */
  off: number;
}

/** Samples from vertex to vertex in the levels of a tile's meshes, the finest first; the coarsest is one mesh over the tile. Refuses tiles that cannot be halved so. */
export function stridesOfTile(tile: number, every: number): number[] {
  const strides = [every];
  while (FACES * strides.at(-1)! < tile) strides.push(2 * strides.at(-1)!);
  if (FACES * strides.at(-1)! !== tile) {
    throw new UplandError(
      'world-meshes',
      `Meshes halve their faces from level to level, so tiles have ${FACES * every} samples a side or twice as many, again and again; ${tile} are not.`,
    );
  }
  return strides;
}

/** The lines of samples that a node's vertices lie on, along one side of the ground. */
function linesOf(place: number, stride: number, count: number): Int32Array {
  const first = place * FACES * stride;
  const last = Math.min(first + FACES * stride, count - 1);
  const lines: number[] = [];
  for (let at = first; at < last; at += stride) lines.push(at);
  return Int32Array.from([...lines, last]);
}

/** Whether a node has any faces on a ground. */
export const isOnGround = ({ stride, row, column }: MeshNode, { across, down }: Ground): boolean =>
  column * FACES * stride < across - 1 && row * FACES * stride < down - 1;

/** Where an entry stands in an ascending list; where it is not in it, the one before. */
function placeIn(list: Int32Array, value: number): number {
  let [low, high] = [0, list.length - 1];
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (list[middle] <= value) low = middle;
    else high = middle - 1;
  }
  return low;
}

/**
 * The mesh of a node: a vertex on every `stride`-th sample, which nodes of one level have in common on their borders to the bit, and
 * beneath its border a skirt that hides where levels meet. As GLB around its own origin. `finer`: the stride of the level below, by which
 * it is measured how far its faces lie off; 0: it is the finest and every sample is a vertex.
 */
export async function meshOfNode(of: SampledHeights, node: MeshNode, finer: number, ground: Ground, name: string): Promise<NodeMesh> {
  const columns = linesOf(node.column, node.stride, ground.across);
  const rows = linesOf(node.row, node.stride, ground.down);
  const at = { columns: columns.map((c) => placeIn(of.columns, c)), rows: rows.map((r) => placeIn(of.rows, r)) };
  const across = of.columns.length;
  const heights = new Float32Array(columns.length * rows.length);
  let [lowest, highest] = [Infinity, -Infinity];
  for (let row = 0, i = 0; row < rows.length; row++) {
    for (let column = 0; column < columns.length; column++, i++) {
      const height = of.height[at.rows[row] * across + at.columns[column]];
      heights[i] = height;
      if (height < lowest) lowest = height;
      if (height > highest) highest = height;
    }
  }
  const east = Float64Array.from(columns, (c) => eastOf(ground, c));
  const south = Float64Array.from(rows, (r) => southOf(ground, r));
  const middle = [(east[0] + east[east.length - 1]) / 2, (south[0] + south[south.length - 1]) / 2, (lowest + highest) / 2];
  const off = finer > 0 ? distanceToFiner(of, { columns, rows, heights }, finer) : 0;
  const positions = new Float32Array(3 * heights.length);
  for (let row = 0, i = 0; row < rows.length; row++) {
    for (let column = 0; column < columns.length; column++, i++)
      positions.set([east[column] - middle[0], heights[i] - middle[2], south[row] - middle[1]], 3 * i);
  }
  const ground3: Mesh = {
    positions,
    normals: normalsOf(of, node.stride, { columns, rows }, ground),
    indices: facesOf(heights, columns.length, rows.length),
    corners: 3,
    up: 'y',
  };
  const mesh = withSkirt(ground3, columns.length, rows.length, Math.max(4 * off, node.stride * (east[1] - east[0]) * 0.5));
  const [{ bytes }] = await glb.write({ parts: [{ name, mesh, kind: 'ground' }], frame: undefined as never }, name, {}, {});
  return {
    bytes,
    origin: [middle[0] - ground.width / 2, ground.depth / 2 - middle[1], middle[2]],
    half: [(east[east.length - 1] - east[0]) / 2, (south[south.length - 1] - south[0]) / 2],
    lowest,
    highest,
    off,
  };
}

interface NodeGrid {
  columns: Int32Array;
  rows: Int32Array;
  heights: Float32Array;
}

/** Whether a cell is cut from its north-west to its south-east corner: along the diagonal whose ends differ less. */
const falls = (nw: number, ne: number, sw: number, se: number) => Math.abs(nw - se) <= Math.abs(ne - sw);

function facesOf(heights: Float32Array, across: number, down: number): Uint32Array<ArrayBuffer> {
  const out = new Uint32Array(6 * (across - 1) * (down - 1));
  for (let row = 0, o = 0; row < down - 1; row++) {
    for (let column = 0; column < across - 1; column++, o += 6) {
      const nw = row * across + column;
      const [ne, sw, se] = [nw + 1, nw + across, nw + across + 1];
      const falling = falls(heights[nw], heights[ne], heights[sw], heights[se]);
      out.set([nw, sw, falling ? se : ne, falling ? nw : sw, se, ne], o);
    }
  }
  return out;
}

/** The largest vertical distance from the faces to the samples of the level below. */
function distanceToFiner(of: SampledHeights, { columns, rows, heights }: NodeGrid, finer: number): number {
  let most = 0;
  for (let row = 0; row + 1 < rows.length; row++) {
    for (let column = 0; column + 1 < columns.length; column++) {
      const i = row * columns.length + column;
      const [nw, ne, sw, se] = [heights[i], heights[i + 1], heights[i + columns.length], heights[i + columns.length + 1]];
      const falling = falls(nw, ne, sw, se);
      const [left, right, top, bottom] = [columns[column], columns[column + 1], rows[row], rows[row + 1]];
      for (let y = top; y <= bottom; y = y < bottom ? Math.min(bottom, y + finer) : y + 1) {
        const line = placeIn(of.rows, y) * of.columns.length;
        const v = (y - top) / (bottom - top);
        for (let x = left; x <= right; x = x < right ? Math.min(right, x + finer) : x + 1) {
          const u = (x - left) / (right - left);
          const on = falling
            ? v > u
              ? nw + v * (sw - nw) + u * (se - sw)
              : nw + u * (ne - nw) + v * (se - ne)
            : u + v < 1
              ? nw + u * (ne - nw) + v * (sw - nw)
              : se + (1 - u) * (sw - se) + (1 - v) * (ne - se);
          const off = Math.abs(on - of.height[line + placeIn(of.columns, x)]);
          if (off > most) most = off;
        }
      }
    }
  }
  return most;
}

/** Normals from the neighbours a stride away, beyond the node's border too, so that light has no seam there. */
function normalsOf(of: SampledHeights, stride: number, { columns, rows }: Pick<NodeGrid, 'columns' | 'rows'>, ground: Ground): Float32Array<ArrayBuffer> {
  const beside = (list: Int32Array, line: number, by: number, count: number) => placeIn(list, Math.max(0, Math.min(count - 1, line + by)));
  const out = new Float32Array(3 * columns.length * rows.length);
  const across = of.columns.length;
  for (let row = 0, o = 0; row < rows.length; row++) {
    const [n, s] = [-stride, stride].map((by) => beside(of.rows, rows[row], by, ground.down));
    const here = placeIn(of.rows, rows[row]) * across;
    const dy = southOf(ground, of.rows[s]) - southOf(ground, of.rows[n]);
    for (let column = 0; column < columns.length; column++, o += 3) {
      const [w, e] = [-stride, stride].map((by) => beside(of.columns, columns[column], by, ground.across));
      const mid = placeIn(of.columns, columns[column]);
      const toEast = (of.height[here + e] - of.height[here + w]) / (eastOf(ground, of.columns[e]) - eastOf(ground, of.columns[w]));
      const toSouth = (of.height[s * across + mid] - of.height[n * across + mid]) / dy;
      const length = Math.sqrt(toEast * toEast + toSouth * toSouth + 1);
      out[o] = -toEast / length;
      out[o + 1] = 1 / length;
      out[o + 2] = -toSouth / length;
    }
  }
  return out;
}

/** The mesh with a wall of faces that hangs from its border, `depth` metres down. */
function withSkirt({ positions, normals, indices, ...rest }: Mesh, across: number, down: number, depth: number): Mesh {
  const rim: number[] = [];
  // Around against the clock, seen from above: south along the west, east, north, and west again.
  for (let row = 0; row < down - 1; row++) rim.push(row * across);
  for (let column = 0; column < across - 1; column++) rim.push((down - 1) * across + column);
  for (let row = down - 1; row > 0; row--) rim.push(row * across + across - 1);
  for (let column = across - 1; column > 0; column--) rim.push(column);
  const count = positions.length / 3;
  const all = new Float32Array(positions.length + 3 * rim.length);
  const own = new Float32Array(all.length);
  all.set(positions);
  own.set(normals!);
  const walls = new Uint32Array(6 * rim.length);
  rim.forEach((top, k) => {
    all.set([positions[3 * top], positions[3 * top + 1] - depth, positions[3 * top + 2]], 3 * (count + k));
    own.set(normals!.subarray(3 * top, 3 * top + 3), 3 * (count + k));
    const next = (k + 1) % rim.length;
    // Seen from outside.
    walls.set([top, count + k, rim[next], rim[next], count + k, count + next], 6 * k);
  });
  const faces = new Uint32Array(indices.length + walls.length);
  faces.set(indices);
  faces.set(walls, indices.length);
  return { ...rest, positions: all, normals: own, indices: faces };
}
