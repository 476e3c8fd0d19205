import { applyPatches } from 'immer';
import type { Course } from '@upland-cast/core';
import { db, type Change, type JournalEntry, type JournalRow } from './db';

/** What can be undone and redone, and the course that it belongs to. */
export interface Working {
  course: Course;
  past: Change[];
  future: Change[];
}

/** A working state after one more entry. */
export function after({ course, past, future }: Working, entry: JournalEntry): Working {
  switch (entry.kind) {
    case 'amend':
      return { course: applyPatches(course, entry.forward), past, future };
    case 'undo': {
      const last = past[past.length - 1];
      if (!last) return { course, past, future };
      return { course: applyPatches(course, last.back), past: past.slice(0, -1), future: [...future, { ...last, gesture: undefined }] };
    }
    case 'redo': {
      const next = future[future.length - 1];
      if (!next) return { course, past, future };
      return { course: applyPatches(course, next.forward), past: [...past, next], future: future.slice(0, -1) };
    }
    case 'change': {
      const { change, joined } = entry;
      const last = past[past.length - 1];
      const whole = joined && last ? { ...last, forward: [...last.forward, ...change.forward], back: [...change.back, ...last.back] } : change;
      return { course: applyPatches(course, change.forward), past: [...(joined && last ? past.slice(0, -1) : past), whole], future: [] };
    }
  }
}

/** Adds entries to what was saved last (at `base`); resolves when they are stored. False where the terrain is not in this browser any more. */
export function append(terrain: string, base: number, entries: JournalEntry[]): Promise<boolean> {
  return db.transaction('rw', db.terrains, db.journal, async () => {
    if ((await db.terrains.where('id').equals(terrain).count()) === 0) return false;
    await db.journal.add({ terrain, base, at: Date.now(), entries });
    return true;
  });
}

/**
 * What was done since the terrain was saved whole, played again: entries in their order, as far as
 * they go together with what was saved. `lost`: how many did not.
 */
export function replayed(saved: Working, changed: number, rows: JournalRow[]): Working & { played: number; lost: number } {
  let working = saved;
  let [played, lost] = [0, 0];
  for (const { base, entries } of rows) {
    // Older ones are part of what was saved.
    if (base !== changed) continue;
    for (const entry of entries) {
      if (lost > 0) {
        lost++;
        continue;
      }
      try {
        working = after(working, entry);
        played++;
      } catch {
        lost++;
      }
    }
  }
  return { ...working, played, lost };
}

export const journalOf = (terrain: string): Promise<JournalRow[]> => db.journal.where('terrain').equals(terrain).sortBy('id');
