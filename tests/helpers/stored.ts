import type { Page } from 'playwright-core';

/** A store with its rows; bytes in them are text. */
interface KeptStore {
  name: string;
  keyPath: string | string[] | null;
  autoIncrement: boolean;
  indexes: { name: string; keyPath: string | string[]; unique: boolean; multiEntry: boolean }[];
  rows: [key: unknown, row: unknown][];
}
interface KeptDatabase {
  name: string;
  version: number;
  stores: KeptStore[];
}

/** All databases of the page’s origin, as JSON. What Playwright itself takes along of them leaves bare buffers out. */
export function storedIn(page: Page): Promise<KeptDatabase[]> {
  return page.evaluate(async () => {
    const answered = <T>(request: IDBRequest<T>) =>
      new Promise<T>((resolve, reject) => ((request.onsuccess = () => resolve(request.result)), (request.onerror = () => reject(request.error!))));
    const asText = (bytes: Uint8Array) => {
      let text = '';
      for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
      return btoa(text);
    };
    const plain = async (value: unknown): Promise<unknown> => {
      if (value instanceof Blob) return { $: 'Blob', bytes: asText(new Uint8Array(await value.arrayBuffer())) };
      if (value instanceof ArrayBuffer) return { $: 'ArrayBuffer', bytes: asText(new Uint8Array(value)) };
      if (ArrayBuffer.isView(value)) return { $: value.constructor.name, bytes: asText(new Uint8Array(value.buffer, value.byteOffset, value.byteLength)) };
      if (value instanceof Date) return { $: 'Date', at: value.getTime() };
      if (Array.isArray(value)) return Promise.all(value.map(plain));
      if (!value || typeof value !== 'object') return value;
      return Object.fromEntries(await Promise.all(Object.entries(value).map(async ([k, v]) => [k, await plain(v)] as const)));
    };
    const databases = [];
    for (const { name, version } of await indexedDB.databases()) {
      const db = await answered(indexedDB.open(name!));
      const stores = [];
      for (const of of db.objectStoreNames) {
        const store = db.transaction(of).objectStore(of);
        const indexes = [...store.indexNames].map((index) => {
          const { keyPath, unique, multiEntry } = store.index(index);
          return { name: index, keyPath, unique, multiEntry };
        });
        const [keys, rows] = await Promise.all([answered(store.getAllKeys()), answered(store.getAll())]);
        stores.push({
          name: of,
          keyPath: store.keyPath,
          autoIncrement: store.autoIncrement,
          indexes,
          rows: await Promise.all(keys.map(async (key, i) => [key, await plain(rows[i])] as [unknown, unknown])),
        });
      }
      db.close();
      databases.push({ name: name!, version: version!, stores });
    }
    return databases;
  });
}

/** Puts databases where there are none yet: the page is one of the origin that has not opened them. They come as their JSON, which is the quickest way into a page. */
export function storeIn(page: Page, databases: string): Promise<void> {
  return page.evaluate(async (json) => {
    const all = JSON.parse(json) as KeptDatabase[];
    const bytesOf = (text: string) => {
      const binary = atob(text);
      const bytes = new Uint8Array(binary.length);
      for (let i = 0; i < binary.length; i++) bytes[i] = binary.charCodeAt(i);
      return bytes.buffer;
    };
    const whole = (value: unknown): unknown => {
      if (Array.isArray(value)) return value.map(whole);
      if (!value || typeof value !== 'object') return value;
      const { $: kind, bytes = '', at } = value as { $?: string; bytes?: string; at?: number };
      if (kind === 'Date') return new Date(at!);
      if (kind === 'Blob') return new Blob([bytesOf(bytes)]);
      if (kind === 'ArrayBuffer') return bytesOf(bytes);
      if (kind) return new (globalThis as unknown as Record<string, new (buffer: ArrayBuffer) => ArrayBufferView>)[kind](bytesOf(bytes));
      return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, whole(v)]));
    };
    for (const { name, version, stores } of all) {
      await new Promise<void>((resolve, reject) => {
        const opening = indexedDB.open(name, version);
        opening.onupgradeneeded = () => {
          for (const { name: of, keyPath, autoIncrement, indexes, rows } of stores) {
            const store = opening.result.createObjectStore(of, { keyPath, autoIncrement });
            for (const index of indexes) store.createIndex(index.name, index.keyPath, { unique: index.unique, multiEntry: index.multiEntry });
            for (const [key, row] of rows) store.put(whole(row), keyPath === null ? (key as IDBValidKey) : undefined);
          }
        };
        opening.onsuccess = () => (opening.result.close(), resolve());
        opening.onerror = () => reject(opening.error!);
      });
    }
  }, databases);
}

/** Puts rows into a table of the application's own database, as another version or a damaged disk would have left them. */
export const putRows = (page: Page, table: string, rows: unknown[]) =>
  page.evaluate(
    ([into, all]) =>
      new Promise<void>((resolve, reject) => {
        const asked = indexedDB.open('upland-cast');
        asked.onerror = () => reject(asked.error);
        asked.onsuccess = () => {
          const transaction = asked.result.transaction(into as string, 'readwrite');
          for (const row of all as object[]) transaction.objectStore(into as string).put(row);
          transaction.oncomplete = () => {
            asked.result.close();
            resolve();
          };
        };
      }),
    [table, rows] as const,
  );

/** Removes a database whole, as a browser does that needs the room; the page is one of the origin that has not opened it. */
export const forget = (page: Page, database: string) =>
  page.evaluate(
    (name) =>
      new Promise<void>((resolve, reject) => {
        const asked = indexedDB.deleteDatabase(name);
        asked.onsuccess = () => resolve();
        asked.onerror = () => reject(asked.error!);
      }),
    database,
  );
