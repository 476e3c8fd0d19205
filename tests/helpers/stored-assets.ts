import Dexie from 'dexie';
import { IDBFactory, IDBKeyRange } from 'fake-indexeddb';
import { afterAll, vi } from 'vitest';

/** The browser's store by a stand-in that keeps to its standard, in memory, for the modules that are imported after this. */
export function storedInMemory(): void {
  const given = { ...Dexie.dependencies };
  Object.assign(Dexie.dependencies, { indexedDB: new IDBFactory(), IDBKeyRange });
  afterAll(() => {
    Object.assign(Dexie.dependencies, given);
    // Files that come after this one have no use for modules that stored something here.
    vi.resetModules();
  });
  vi.resetModules();
}
