import { readFile, writeFile } from 'node:fs/promises';
import { nameBeside, readHeightmap, UplandError, type Band, type Beside, type Reading } from '@upland-cast/core';

export async function load(path: string): Promise<Uint8Array<ArrayBuffer>> {
  try {
    const buffer = await readFile(path);
    return new Uint8Array(buffer.buffer as ArrayBuffer, buffer.byteOffset, buffer.byteLength);
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    if (code === 'ENOENT') throw new UplandError('no-file', `There is no file ${path}.`);
    if (code === 'EISDIR') throw new UplandError('no-file', `${path} is a folder, not a file.`);
    throw new UplandError('file', `${path} cannot be read: ${(error as Error).message}.`);
  }
}

export async function save(path: string, bytes: Uint8Array): Promise<void> {
  try {
    await writeFile(path, bytes);
  } catch (error) {
    throw new UplandError('file', `${path} cannot be written: ${(error as Error).message}.`);
  }
}

/** A heightmap of any format, with the header or the map that lies beside it under the same name; its bytes where they have been loaded. */
export async function loadHeightmap(path: string, as?: string, band?: Band, loaded?: Uint8Array<ArrayBuffer>): Promise<Reading> {
  const bytes = loaded ?? (await load(path));
  const beside: Record<string, Uint8Array> = {};
  for (const ending of ['.hdr', '.prj', '.crs.txt']) {
    for (const written of [ending, ending.toUpperCase()]) {
      const there = await readFile(nameBeside(path, written)).catch(() => null);
      if (there) beside[ending] = there;
    }
  }
  return readHeightmap(bytes, as, { beside, ...(band === undefined ? {} : { band }) });
}

/** Writes a file and those that belong beside it. */
export async function saveAll(path: string, bytes: Uint8Array, beside: readonly Beside[]): Promise<void> {
  await save(path, bytes);
  for (const file of beside) await save(nameBeside(path, file.ending), file.bytes);
}
