import { isMesh, UplandError } from '@upland-cast/core';
import { useTerrain } from '../../store/state';

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

/** Bytes of a file's beginning that tell a mesh. */
const TELLING = 65_536;

/**
 * Meshes apart from what may be heights, by what their bytes are; buffers and materials that come
 * along with a mesh belong to it.
 */
export async function partMeshes(files: Brought[]): Promise<{ meshes: Brought[]; heights: Brought[] }> {
  const [meshes, heights]: Brought[][] = [[], []];
  for (const one of files) {
    const head = new Uint8Array(await one.file.slice(0, TELLING).arrayBuffer());
    (isMesh(head, one.file.size) ? meshes : heights).push(one);
  }
  const belongs = ({ name }: Brought) => meshes.length > 0 && /\.(bin|mtl)$/i.test(name);
  return { meshes: [...meshes, ...heights.filter(belongs)], heights: heights.filter((f) => !belongs(f)) };
}

/** Takes meshes to the Mesh room of the terrain that is open. */
export function toMeshRoom(meshes: Brought[]): void {
  void Promise.all(meshes.map(async ({ name, file }) => ({ name, bytes: new Uint8Array(await file.arrayBuffer()) }))).then((meshFiles) => {
    useTerrain.setState({ meshFiles });
    location.hash = 'mesh';
  });
}

export const isProject = (name: string): boolean => name.toLowerCase().endsWith('.uplandcast');

/** The event by which a part of the page hands files to the one that has the sheet. */
export const BRING_IN = 'upland:bring-in';

/** Lets the person choose files of heights, and brings them in. */
export async function bringIn(): Promise<void> {
  const chosen = (await chooseFiles()) ?? (await chosenByInput());
  if (chosen.length) window.dispatchEvent(new CustomEvent(BRING_IN, { detail: chosen }));
}

/** Where the browser has no picker of its own that leads back to the files. */
function chosenByInput(): Promise<Brought[]> {
  const input = Object.assign(document.createElement('input'), { type: 'file', multiple: true });
  return new Promise((resolve) => {
    input.onchange = () => resolve([...(input.files ?? [])].map((file) => ({ name: file.name, file })));
    input.oncancel = () => resolve([]);
    input.click();
  });
}
