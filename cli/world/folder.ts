import { randomBytes } from 'node:crypto';
import { access, mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { UplandError, type WorldStore } from '@upland-cast/core';

/** A world in a folder, of this machine or one that machines share. A file is there whole or not at all: it is renamed when it is. */
export function folderStore(folder: string): WorldStore {
  return {
    async read(name) {
      try {
        const buffer = await readFile(join(folder, name));
        return new Uint8Array(buffer.buffer as ArrayBuffer, buffer.byteOffset, buffer.byteLength);
      } catch (error) {
        const { code, message } = error as NodeJS.ErrnoException;
        if (code === 'ENOENT' || code === 'ENOTDIR') return null;
        throw new UplandError('file', `${join(folder, name)} cannot be read: ${message}.`);
      }
    },
    has: (name) =>
      access(join(folder, name)).then(
        () => true,
        () => false,
      ),
    async write(name, bytes) {
      const path = join(folder, name);
      const part = `${path}.${process.pid}-${randomBytes(4).toString('hex')}.part`;
      try {
        await mkdir(dirname(path), { recursive: true });
        await writeFile(part, bytes, { flush: true });
        await rename(part, path);
      } catch (error) {
        await rm(part, { force: true }).catch(() => undefined);
        const { code, message } = error as NodeJS.ErrnoException;
        const full = code === 'ENOSPC' || code === 'EDQUOT' ? ' There is no room left there: make some, and go on by --resume.' : '';
        throw new UplandError('file', `${path} cannot be written: ${message}.${full}`);
      }
    },
    remove: (name) => rm(join(folder, name), { force: true }),
  };
}
