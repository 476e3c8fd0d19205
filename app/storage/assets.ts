import { sha256, UplandError } from '@upland-cast/core';
import { db } from './db';
import { withRoom } from './kept';
import { storageSentence } from './room';

/** Assets that could not be stored because the quota is full; kept for as long as the page lives. */
const unstored = new Map<string, Uint8Array<ArrayBuffer>>();

/** Keeps bytes once under their SHA-256. In memory only where the browser has no room left. */
export async function keepAsset(bytes: Uint8Array<ArrayBuffer>): Promise<string> {
  const sha = await sha256(bytes);
  try {
    if (!(await db.assets.where('sha').equals(sha).count())) await withRoom(() => db.assets.put({ sha, bytes: new Blob([bytes]) }));
  } catch {
    unstored.set(sha, bytes);
  }
  return sha;
}

/** The bytes of an asset, checked against their name: storage may be spoiled, and a step must not work with what is not its file. */
export async function loadAsset(sha: string): Promise<Uint8Array<ArrayBuffer>> {
  const held = unstored.get(sha) ?? (await elsewhere?.unstored(sha));
  if (held) return held;
  let bytes: Uint8Array<ArrayBuffer> | undefined;
  try {
    const row = await db.assets.get(sha);
    bytes = row && new Uint8Array(await row.bytes.arrayBuffer());
  } catch (error) {
    throw new UplandError(
      'unreadable-asset',
      `A file that this step needs (${sha.slice(0, 12)}…) cannot be read from this browser’s storage: ${storageSentence(error)}`,
    );
  }
  if (!bytes) {
    throw new UplandError(
      'missing-asset',
      `A file that this step needs (${sha.slice(0, 12)}…) is not in this browser any more. Bring the terrain in again from its project file.`,
    );
  }
  if ((await sha256(bytes)) !== sha) {
    throw new UplandError(
      'damaged-asset',
      `A file that this step needs (${sha.slice(0, 12)}…) is damaged in this browser’s storage: it is not what it was. Bring it in again, or the terrain from its project file.`,
      { sha },
    );
  }
  return bytes;
}

/** Assets that live in the memory of another thread only: what the engine could not store. */
interface Elsewhere {
  unstored(sha: string): Promise<Uint8Array<ArrayBuffer> | null>;
  unstoredCount(): Promise<number>;
}
let elsewhere: Elsewhere | undefined;
export const lookElsewhere = (holder: Elsewhere): void => void (elsewhere = holder);

/** How many assets live in memory only, here and in the engine. */
export const unstoredCount = async (): Promise<number> => unstored.size + ((await elsewhere?.unstoredCount().catch(() => 0)) ?? 0);

/** An asset that lives in this thread's memory only. */
export const unstoredHere = (sha: string): Uint8Array<ArrayBuffer> | null => unstored.get(sha) ?? null;

/** The file on disk that an asset came from, as it is now; null where there is no way back to it, or it was refused. */
export async function fileAgain(sha: string): Promise<File | null> {
  type Asking = FileSystemFileHandle & { requestPermission?: (o: { mode: 'read' }) => Promise<PermissionState> };
  try {
    const handle = (await db.handles.get(sha))?.handle as Asking | undefined;
    if (!handle || (await handle.requestPermission?.({ mode: 'read' })) === 'denied') return null;
    return await handle.getFile();
  } catch {
    return null;
  }
}
