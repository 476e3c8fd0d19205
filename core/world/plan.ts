import { groundKey } from '../course/ground-key';
import type { Course } from '../course/schema';
import { UplandError } from '../errors';
import { MAX_SIDE, spacingOf, withSamples, type Ground } from '../field/ground';
import { sha256OfText } from '../field/hash';
import { wholeOf, type Window } from '../field/window';

/** The most samples along one side of a world. */
export const MOST_WORLD_SIDE = 131_073;
const LEAST_TILE = 64;
const MOST_TILE = 8_192;

/** A tile of a world: which samples it holds. Tiles share none. */
export interface WorldTile {
  row: number;
  column: number;
  window: Window;
}

/** What a world is made of: the ground at its samples, its tiles, and the ground at which what knows the whole is worked out first. */
export interface WorldPlan {
  /** Changes with whatever changes a sample of the world. */
  key: string;
  ground: Ground;
  base: Ground;
  tile: number;
  tiles: WorldTile[];
}

/** The land of a course at `samples` along its longer side, also where that is more than a ground in one piece can have. */
export function worldGround(ground: Ground, samples: number, registration = ground.registration): Ground {
  if (!Number.isInteger(samples) || samples < 16 || samples > MOST_WORLD_SIDE) {
    throw new UplandError('world-samples', `A world has 16 to ${MOST_WORLD_SIDE} samples along its longer side, and not ${samples}.`);
  }
  const extra = registration === 'point' ? 1 : 0;
  const own = ground.registration === 'point' ? 1 : 0;
  const scale = (samples - extra) / Math.max(1, Math.max(ground.across, ground.down) - own);
  const scaled = (count: number) => Math.max(1, Math.round((count - own) * scale)) + extra;
  return { ...withSamples(ground, scaled(ground.across), scaled(ground.down)), registration };
}

/**
 * Where the tiles along one side begin and how many samples each has: `tile` of them, and one more that its neighbour has too where they
 * are shared. The last takes what is left over.
 */
function sides(samples: number, tile: number, extra: number, shared: boolean): { at: number; count: number }[] {
  const n = Math.max(1, Math.round((samples - extra) / tile));
  return Array.from({ length: n }, (_, k) => ({ at: k * tile, count: k === n - 1 ? samples - k * tile : tile + (shared ? 1 : 0) }));
}

export const rowsOf = (tiles: readonly WorldTile[]): number => (tiles.at(-1)?.row ?? 0) + 1;

/** The tiles of a ground, row by row from the north-west; `shared`: neighbours have the samples between them both. */
export function worldTiles(ground: Ground, tile: number, shared = false): WorldTile[] {
  if (!Number.isInteger(tile) || tile < LEAST_TILE || tile > MOST_TILE) {
    throw new UplandError('world-tile', `A tile has ${LEAST_TILE} to ${MOST_TILE} samples a side, and not ${tile}.`);
  }
  const extra = ground.registration === 'point' ? 1 : 0;
  const columns = sides(ground.across, tile, extra, shared);
  return sides(ground.down, tile, extra, shared).flatMap((y, row) =>
    columns.map((x, column) => ({ row, column, window: { left: x.at, top: y.at, across: x.count, down: y.count } })),
  );
}

/** Grids that weather has left to work on between a world's base and its samples: each has twice the cells of the one before, but for the last. */
export function finerGridsOf(base: Ground, ground: Ground): number {
  const [coarse, fine] = [spacingOf(base), spacingOf(ground)];
  const closest = Math.SQRT2 * Math.max(fine.x, fine.y) * (1 - 1e-9);
  let grids = 0;
  for (let spacing = Math.max(coarse.x, coarse.y); spacing >= closest; spacing /= 2) grids++;
  return grids;
}

export interface WorldSize {
  /** Along the longer side. */
  samples: number;
  /** A side of a tile. */
  tile: number;
  /** Along the longer side of the whole ground that is worked out first, where a step knows the whole; left out: the terrain's own. */
  base?: number;
  /** Left out: the terrain's own. */
  registration?: Ground['registration'];
}

/** How a course is worked out at so many samples in tiles. `encoding`, `aside`: how its tiles are written and what beside them, which is part of what they are. */
export async function planWorld(
  course: Course,
  { samples, tile, base, registration, encoding, aside }: WorldSize & { encoding: unknown; aside: { shared: boolean } },
): Promise<WorldPlan> {
  const ground = worldGround(course.ground, samples, registration);
  const own = base === undefined ? course.ground : worldGround(course.ground, base);
  if (Math.max(own.across, own.down) > MAX_SIDE) {
    throw new UplandError('world-samples', `The whole ground is worked out at ${MAX_SIDE} samples a side at the most, and not at ${base}.`);
  }
  // At no more samples than the world has.
  const whole = ground.across * ground.down < own.across * own.down ? ground : own;
  const tiles = worldTiles(ground, tile, aside.shared);
  // Maps are drawn of more than heights, and files say where they lie and what they are of.
  const ofMaps = [course.cover, course.water, course.ground.sea, course.ground.georeference, course.name];
  const key = await sha256OfText(
    JSON.stringify(['world 2', await groundKey(course), wholeOf(ground), ground.registration, wholeOf(whole), tile, encoding, aside, ofMaps]),
  );
  return { key, ground, base: whole, tile, tiles };
}
