import { UplandError } from '@upland-cast/core';

/** A file on disk that deliveries go into. */
export interface Place {
  handle: FileSystemFileHandle;
  /** The folder it lies in, where the browser gave it: dated copies go there. */
  folder?: FileSystemDirectoryHandle;
}

interface Pickers {
  showSaveFilePicker?(options: { suggestedName?: string }): Promise<FileSystemFileHandle>;
  showDirectoryPicker?(options: { mode: 'readwrite' }): Promise<FileSystemDirectoryHandle>;
}

type Asking = FileSystemFileHandle & { requestPermission?(options: { mode: 'readwrite' }): Promise<PermissionState> };

/** Where to write: asked for, or the same place again once the person has agreed. A file that is there is kept as a dated copy first. Null: the person turned back. */
export async function placeFor(again: Place | null, suggestedName?: string): Promise<Place | null> {
  const pickers = window as unknown as Pickers;
  if (!again) {
    try {
      return { handle: await pickers.showSaveFilePicker!({ suggestedName }) };
    } catch (error) {
      if (error instanceof DOMException && error.name === 'AbortError') return null;
      throw error;
    }
  }
  if (!window.confirm(`Write again to ${again.handle.name}? The file that is there is kept as a dated copy.`)) return null;
  if ((await (again.handle as Asking).requestPermission?.({ mode: 'readwrite' })) === 'denied') {
    throw new UplandError('refused', `The browser did not allow writing to ${again.handle.name} again. Choose the file anew.`);
  }
  const folder = again.folder ?? (await pickers.showDirectoryPicker!({ mode: 'readwrite' }).catch(() => undefined));
  if (!folder) throw new UplandError('refused', 'Without a folder the file that is there cannot be kept. Nothing was written.');
  await keepCopy(again.handle, folder);
  return { ...again, folder };
}

/** A copy of a file beside it, with the date in its name. */
export async function keepCopy(handle: FileSystemFileHandle, folder: FileSystemDirectoryHandle, at = new Date()): Promise<string | null> {
  const old = await handle.getFile();
  if (old.size === 0) return null;
  const dot = handle.name.lastIndexOf('.');
  const [stem, ending] = dot > 0 ? [handle.name.slice(0, dot), handle.name.slice(dot)] : [handle.name, ''];
  const name = `${stem}-${at.toISOString().slice(0, 19).replace('T', '-').replaceAll(':', '')}${ending}`;
  const copy = await (await folder.getFileHandle(name, { create: true })).createWritable();
  await old.stream().pipeTo(copy);
  return name;
}
