import { sentenceOf } from '@upland-cast/core';
import { engine } from '../engine/client';
import { db, type JournalRow } from '../storage/db';
import { historyOf } from '../storage/histories';
import { journalOf, replayed, type Working } from '../storage/journal';
import { takeMeshes } from '../storage/meshes';
import { onRemoved, terrainLock } from '../storage/tabs';
import { brought, ensureDemo } from '../storage/terrains';
import { openGround } from './evaluation';
import { lose, saving, saveNow } from './persistence';
import { useTerrain, say } from './state';

const { setState: set, getState: get } = useTerrain;

/** Opens a terrain: takes the lock that makes it writable here, and works it out. */
export async function openTerrain(id: string): Promise<void> {
  set({ id });
  // It starts beside what is read first.
  void engine()
    .facts()
    .catch(() => undefined);
  try {
    await ensureDemo().catch(() => undefined);
    const writable = await takeLock(id);
    const found = await readTerrain(id);
    if (!found) {
      set({ missing: 'This terrain is not in this browser. It may have been removed, or belong to another one.' });
      return;
    }
    const { course } = found.working;
    const last = course.stem[course.stem.length - 1];
    set({ readOnly: !writable, selected: last?.id ?? null });
    takeUp(found);
    void db.terrains.update(id, { opened: Date.now() }).catch(() => undefined);
    const meshFiles = await takeMeshes(id).catch(() => null);
    if (meshFiles) set({ meshFiles });
  } catch (error) {
    set({ missing: `The terrain could not be opened: ${sentenceOf(error)}` });
  }
}

interface Found {
  working: Working;
  changed: number;
  /** Entries of the journal that were played again, and those that did not go together with what was saved. */
  played: number;
  lost: number;
}

/** A terrain as it was saved, with what the journal holds beside it. */
async function readTerrain(id: string): Promise<Found | null> {
  const stored = await db.terrains.get(id);
  if (!stored) return null;
  const row = brought(stored);
  // What an older version kept cannot be undone by this one.
  const same = stored.course.version === row.course.version;
  const history = same ? await historyOf(id, row.changed) : { past: [], future: [] };
  const rows = await journalOf(id).catch((): JournalRow[] => []);
  // Patches count from the course as it was stored, which may lack what has a default now.
  const { played, lost, ...working } = replayed({ course: row.course, ...history }, row.changed, same ? rows : []);
  return { working, changed: row.changed, played, lost };
}

function takeUp({ working, changed, played, lost }: Found): void {
  saving.begin(changed);
  set({ ...working, savedAt: changed, unsaved: false, gone: false });
  if (lost > 0) say(`${lost} of the last changes could not be read again from this browser’s storage. What went before them is here.`);
  if (played > 0 && !get().readOnly) void saveNow();
  void openGround();
}

/** True when this tab got the terrain's lock; it is held until the tab goes. A tab that waits gets it when the other closes. */
function takeLock(id: string): Promise<boolean> {
  return new Promise((resolve) => {
    const name = terrainLock(id);
    void navigator.locks.request(name, { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      if (lock) return new Promise(() => undefined);
      void navigator.locks.request(name, async () => {
        const found = await readTerrain(id).catch(() => null);
        if (found) {
          set({ readOnly: false });
          takeUp(found);
        }
        return new Promise(() => undefined);
      });
      return undefined;
    });
  });
}

onRemoved((id) => {
  if (id === get().id) lose();
});
