import { db } from './db';

interface Handed {
  name: string;
  file: Blob;
}

const key = (terrain: string) => `meshes:${terrain}`;

/** Leaves mesh files for the Mesh room of a terrain that another page will open. */
export const handMeshes = async (terrain: string, files: Handed[]): Promise<void> =>
  void (await db.settings.put({ key: key(terrain), value: files.map(({ name, file }) => ({ name, file })) }));

/** Takes what was left for a terrain's Mesh room, once; null where there is nothing. */
export async function takeMeshes(terrain: string): Promise<{ name: string; bytes: Uint8Array<ArrayBuffer> }[] | null> {
  const row = await db.settings.get(key(terrain));
  if (!row) return null;
  await db.settings.delete(row.key);
  return Promise.all((row.value as Handed[]).map(async ({ name, file }) => ({ name, bytes: new Uint8Array(await file.arrayBuffer()) })));
}
