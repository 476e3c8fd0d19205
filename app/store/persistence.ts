import { unstoredCount } from '../storage/assets';
import type { Change } from '../storage/db';
import { assetsOfChange } from '../storage/histories';
import { append } from '../storage/journal';
import { withRoom } from '../storage/kept';
import { storageSentence } from '../storage/room';
import { addTerrain, saveTerrain, sweepAssets } from '../storage/terrains';
import { Saving } from './saving';
import { useTerrain, say } from './state';

const { getState: get, setState: set } = useTerrain;

/** Assets that only changes referred to which cannot be undone or redone any more. */
const forgotten = new Set<string>();

export function forget(...lists: Change[][]): void {
  for (const change of lists.flat()) for (const sha of assetsOfChange(change)) forgotten.add(sha);
}

/** The terrain was removed in another tab: here it goes on in memory, until it is kept as a new one. */
export function lose(): void {
  set({
    gone: true,
    savedAt: null,
    saveFault: 'This terrain was removed in another tab. What you see is in memory only: keep it as a new terrain, or save the project file.',
  });
}

/** Keeps a terrain that was removed elsewhere as a new one, and goes on with that. */
export async function keepAsNew(): Promise<void> {
  const { course } = get();
  if (!course) return;
  try {
    const id = await addTerrain(course);
    location.href = `/terrain?id=${id}${location.hash}`;
  } catch (error) {
    say(storageSentence(error));
  }
}

/** Saving as one works. */
export const saving = new Saving({
  now: () => {
    const { id, course, readOnly, past, future, gone } = get();
    return id && course && !readOnly && !gone ? { id, course, past, future } : null;
  },
  whole: async ({ id, course, past, future }, at) => {
    const there = await withRoom(() => saveTerrain(id, course, at, { past, future }));
    if (there && forgotten.size) {
      const some = new Set(forgotten);
      forgotten.clear();
      await sweepAssets(some).catch(() => undefined);
    }
    return there;
  },
  append: (terrain, base, entries) => withRoom(() => append(terrain, base, entries)),
  onNoted: () => void (get().unsaved || set({ unsaved: true })),
  onSaved: (at, all) => {
    set({ savedAt: at, saveFault: null, unsaved: !all });
    void unstoredCount().then((count) => {
      if (count) set({ saveFault: 'Some hand work is in memory only: this browser has no room left. Save the project file.' });
    });
  },
  onFault: (saveFault) => set({ saveFault }),
  onGone: lose,
});

/** Saves the terrain whole, now. */
export const saveNow = (): Promise<void> => saving.whole();

/** Stores what has not been stored yet, in the shortest way: the page may go. */
export const saveShortly = (): Promise<void> => saving.flush();

/** Whether something is still to be saved. */
export const isSaving = () => saving.pending;
