import { readFile, writeFile } from 'node:fs/promises';
import { UplandError } from '@upland-cast/core';

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
