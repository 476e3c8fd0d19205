import { describe, expect, it } from 'vitest';
import { keepCopy } from './places';

/** A folder in memory that behaves as the browser's does. */
function folder(files: Map<string, Uint8Array>) {
  const handleOf = (name: string) => ({
    name,
    getFile: async () => new Blob([(files.get(name) ?? new Uint8Array(0)) as Uint8Array<ArrayBuffer>]),
    createWritable: async () => {
      const parts: Uint8Array[] = [];
      return new WritableStream<Uint8Array>({ write: (part) => void parts.push(part), close: () => void files.set(name, Buffer.concat(parts)) });
    },
  });
  return {
    file: (name: string) => handleOf(name) as unknown as FileSystemFileHandle,
    handle: { getFileHandle: async (name: string) => handleOf(name) } as unknown as FileSystemDirectoryHandle,
  };
}

describe('writing again to the same place', () => {
  it('keeps the file that was there as a dated copy', async () => {
    const files = new Map([['moor.png', Uint8Array.of(1, 2, 3)]]);
    const place = folder(files);
    const name = await keepCopy(place.file('moor.png'), place.handle, new Date('2026-11-25T13:14:15Z'));
    expect(name).toBe('moor-2026-11-25-131415.png');
    expect([...files.get(name!)!]).toEqual([1, 2, 3]);
  });

  it('keeps no copy of a file that is empty or was never there', async () => {
    const files = new Map<string, Uint8Array>();
    const place = folder(files);
    expect(await keepCopy(place.file('new.zip'), place.handle)).toBeNull();
    expect(files.size).toBe(0);
  });
});
