import { assetsOf, type Course } from '@upland-cast/core';
import { db, type Change } from './db';

/** Changes that can be undone at the most. */
const MOST_CHANGES = 400;
/** Tiles of hand work that are kept for undo alone, 256 KiB each: 256 MiB. */
export const MOST_UNDO_TILES = 1024;

const NAMES = /\b[0-9a-f]{64}\b/g;
const named = new WeakMap<Change, Set<string>>();

/** The assets that a change refers to, before it and after it. */
export function assetsOfChange(change: Change): Set<string> {
  let found = named.get(change);
  if (!found) named.set(change, (found = new Set(JSON.stringify([change.forward, change.back]).match(NAMES) ?? [])));
  return found;
}

/** What can still be undone: the newest changes, as far as their number and the tiles that they alone keep allow. */
export function kept(past: readonly Change[], course: Course): Change[] {
  const own = new Set(assetsOf(course));
  const apart = new Set<string>();
  let first = past.length;
  while (first > 0 && past.length - first < MOST_CHANGES) {
    for (const sha of assetsOfChange(past[first - 1])) if (!own.has(sha)) apart.add(sha);
    if (apart.size > MOST_UNDO_TILES) break;
    first--;
  }
  return past.slice(first);
}

/** What can be undone and redone of a terrain whose course was saved at `changed`; nothing where it belongs to another state. */
export async function historyOf(id: string, changed: number): Promise<{ past: Change[]; future: Change[] }> {
  // Undo that cannot be read is no reason not to open the terrain.
  const row = await db.histories.get(id).catch(() => undefined);
  const whole = row && row.changed === changed && Array.isArray(row.past) && Array.isArray(row.future);
  return whole ? { past: row.past, future: row.future } : { past: [], future: [] };
}
