/**
 * 3D Tiles 1.1 (OGC 22-025r4): a tree of meshes from coarse to fine. Coordinates are z up; what a GLB has y up is turned by whoever reads it, as the
 * standard says.
 */

import { DEGREE, exactMath } from '../kernels/math';

/** A tile of the tree, around its own origin; places are metres east and north of the ground's middle, and heights. */
export interface TreeTile {
  origin: [number, number, number];
  half: [number, number];
  lowest: number;
  highest: number;
  /** How far what is seen lies from the ground at the most, metres. */
  error: number;
  /** A GLB, or another tree. */
  uri?: string;
  children: TreeTile[];
}

export interface TilesetTile {
  transform?: number[];
  boundingVolume: { box: number[] };
  geometricError: number;
  refine: 'REPLACE';
  content?: { uri: string };
  children?: TilesetTile[];
}

export interface Tileset {
  asset: { version: '1.1'; generator: string };
  geometricError: number;
  root: TilesetTile;
}

const moved = (by: readonly number[]) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, ...by, 1];

/** A tree as the tiles of a tileset; `from`: the origin of what it stands in. */
export function tilesetTile(tile: TreeTile, from: readonly number[]): TilesetTile {
  const { origin, half, lowest, highest, error, uri, children } = tile;
  const by = origin.map((v, k) => v - from[k]);
  return {
    ...(by.some((v) => v !== 0) ? { transform: moved(by) } : {}),
    boundingVolume: { box: [0, 0, (lowest + highest) / 2 - origin[2], half[0], 0, 0, 0, half[1], 0, 0, 0, Math.max(0.5, (highest - lowest) / 2)] },
    geometricError: error,
    refine: 'REPLACE',
    ...(uri ? { content: { uri } } : {}),
    ...(children.length > 0 ? { children: children.map((child) => tilesetTile(child, origin)) } : {}),
  };
}

/** A tileset by itself. `frame`: where the ground's middle lies (column by column, 4 × 4); left out: its root's origin is that of what refers to it. */
export function tilesetOf(root: TreeTile, frame?: readonly number[]): Tileset {
  const own = tilesetTile(root, frame ? [0, 0, 0] : root.origin);
  return {
    asset: { version: '1.1', generator: 'Upland Cast' },
    // Not to be seen at all is as wrong as the ground is high.
    geometricError: Math.max(2 * root.error, root.highest - root.lowest),
    root: frame ? { ...own, transform: times(frame, own.transform ?? moved([0, 0, 0])) } : own,
  };
}

/** One 4 × 4 matrix after another, column by column. */
function times(a: readonly number[], b: readonly number[]): number[] {
  return Array.from({ length: 16 }, (_, i) => [0, 1, 2, 3].reduce((sum, k) => sum + a[4 * k + (i & 3)] * b[4 * (i >> 2) + k], 0));
}

/** The WGS 84 ellipsoid (EPSG 7030): half its longer axis, metres, and its flattening. */
const [AXIS, FLATTENING] = [6_378_137, 1 / 298.257223563];

/** From metres east, north and up at a place on the Earth to its centre (EPSG 9837 with 9602), column by column; degrees. */
export function eastNorthUpAt({ longitude, latitude }: { longitude: number; latitude: number }): number[] {
  const { sin, cos } = exactMath();
  const [lambda, phi] = [longitude * DEGREE, latitude * DEGREE];
  const [sl, cl, sp, cp] = [sin(lambda), cos(lambda), sin(phi), cos(phi)];
  const squared = FLATTENING * (2 - FLATTENING);
  const normal = AXIS / Math.sqrt(1 - squared * sp * sp);
  return [-sl, cl, 0, 0, -sp * cl, -sp * sl, cp, 0, cp * cl, cp * sl, sp, 0, normal * cp * cl, normal * cp * sl, normal * (1 - squared) * sp, 1];
}
