import { UplandError } from '@upland-cast/core';

/** A file that was dropped, chosen or pasted, with the way back to it where the browser gives one. */
export interface Brought {
  name: string;
  file: Blob;
  handle?: FileSystemFileHandle;
}

type Handled = DataTransferItem & { getAsFileSystemHandle?: () => Promise<FileSystemHandle | null> };
type Picker = { showOpenFilePicker?: (options: { multiple: boolean }) => Promise<FileSystemFileHandle[]> };

/** What was dropped or pasted. Handles have to be asked for before anything is awaited. */
export async function broughtBy(data: DataTransfer): Promise<Brought[]> {
  const items = [...data.items].filter((item) => item.kind === 'file');
  const found = items.map((item) => ({ file: item.getAsFile(), handle: (item as Handled).getAsFileSystemHandle?.().catch(() => null) }));
  const out: Brought[] = [];
  for (const { file, handle } of found) {
    if (!file) continue;
    const got = await handle;
    out.push({ name: file.name || 'pasted.png', file, ...(got?.kind === 'file' ? { handle: got as FileSystemFileHandle } : {}) });
  }
  return out;
}

/** Asks for files: by the browser's own means where it can come back to them, else null, and a plain chooser has to do. */
export async function chooseFiles(): Promise<Brought[] | null> {
  const picker = (globalThis as unknown as Picker).showOpenFilePicker;
  if (!picker) return null;
  try {
    const handles = await picker({ multiple: true });
    return await Promise.all(handles.map(async (handle) => ({ name: handle.name, file: await handle.getFile(), handle })));
  } catch (error) {
    // The person closed it.
    if (error instanceof DOMException && error.name === 'AbortError') return [];
    return null;
  }
}

/** The address of an extract of the survey archive that was pasted as text, fetched; null for any other text. */
export async function broughtFromAddress(text: string): Promise<Brought[] | null> {
  let address: URL;
  try {
    address = new URL(text.trim(), location.origin);
  } catch {
    return null;
  }
  if (address.origin !== location.origin || address.pathname !== '/api/survey/extract') return null;
  const answer = await fetch(address);
  if (!answer.ok) throw new UplandError('survey', ((await answer.json()) as { sentence: string }).sentence);
  const name = /filename="([^"]+)"/.exec(answer.headers.get('Content-Disposition') ?? '')?.[1] ?? 'extract';
  return [{ name, file: await answer.blob() }];
}

export const isProject = (name: string): boolean => name.toLowerCase().endsWith('.uplandcast');

/** The event by which a part of the page hands files to the one that has the sheet. */
export const BRING_IN = 'upland:bring-in';
