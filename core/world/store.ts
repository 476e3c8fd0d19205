import { UplandError } from '../errors';

/** Where a world lies: a folder of one machine or of several, or whatever else holds bytes by name. */
export interface WorldStore {
  /** The bytes of that name; null where there are none. */
  read(name: string): Promise<Uint8Array<ArrayBuffer> | null>;
  /** Whether there is anything of that name. */
  has(name: string): Promise<boolean>;
  /** Whole or not at all: under its name there is never half of it. */
  write(name: string, bytes: Uint8Array): Promise<void>;
  /** Nothing of that name is there any more. */
  remove(name: string): Promise<void>;
}

export const JSON_OF_WORLD = 'world.json';
export const PROJECT_OF_WORLD = 'work/terrain.uplandcast';
export const BASE_OF_WORLD = 'work/base.json';

const digits = (n: number) => String(n).padStart(3, '0');

/** What is noted of a tile when it is done. */
export const tileNote = ({ row, column }: { row: number; column: number }): string => `work/r${digits(row)}-c${digits(column)}.json`;

export const writeJson = (store: WorldStore, name: string, value: unknown): Promise<void> =>
  store.write(name, new TextEncoder().encode(`${JSON.stringify(value, null, 1)}\n`));

/** What JSON a file holds; null where there is none, or it is not JSON. */
export async function readJson(store: WorldStore, name: string): Promise<unknown> {
  const bytes = await store.read(name);
  if (!bytes) return null;
  try {
    return JSON.parse(new TextDecoder().decode(bytes)) as unknown;
  } catch {
    return null;
  }
}

export const notAWorld = (name: string) =>
  new UplandError('world-damaged', `What is in ${name} is not of a world, or it is damaged. Work the world out anew in another folder.`);
