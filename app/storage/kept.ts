import Dexie, { type EntityTable } from 'dexie';
import { endStage, groundKey, type CachedStage, type Course, type Evaluation, type KeptStages, type WorkedGround } from '@upland-cast/core';
import { isFull } from './room';

/** Bytes that may be kept, as long as the browser has far more room than that. */
const LIMIT = 384 * 2 ** 20;
/** The share of the room that the browser gives: work that cannot be made again goes first. */
const SHARE = 0.2;

interface NoteRow {
  key: string;
  bytes: number;
  used: number;
}

/**
 * What was worked out and can be worked out again, kept so that it need not be: apart from the artist's own work, so that all of it
 * can go at any time, and no fault in it touches anything else.
 */
const store = new Dexie('upland-cast-kept') as Dexie & {
  stages: EntityTable<{ key: string; stage: CachedStage }, 'key'>;
  /** What there is, without its samples. */
  notes: EntityTable<NoteRow, 'key'>;
  edition: EntityTable<{ id: 0; of: string }, 'id'>;
};
store.version(1).stores({ stages: 'key', notes: 'key, used', edition: 'id' });

/** Another build of the application may work out other bytes: what an earlier one kept is not taken. */
const EDITION = import.meta.env.CORE_EDITION as string;

let ready: Promise<unknown> | undefined;
const opened = () =>
  (ready ??= store.transaction('rw', store.stages, store.notes, store.edition, async () => {
    if ((await store.edition.get(0))?.of === EDITION) return;
    await store.stages.clear();
    await store.notes.clear();
    await store.edition.put({ id: 0, of: EDITION });
  }));

/** A stage by its key; undefined where there is none, or it cannot be read. */
export async function keptStage(key: string): Promise<CachedStage | undefined> {
  try {
    await opened();
    const row = await store.stages.get(key);
    if (!row || !(row.stage.height instanceof Float32Array)) return undefined;
    void store.notes.update(key, { used: Date.now() }).catch(() => undefined);
    return row.stage;
  } catch {
    return undefined;
  }
}

/** Keeps a stage, and lets those go that were not used for longest, where there are too many. */
export async function keepStage(key: string, stage: CachedStage): Promise<void> {
  try {
    await opened();
    if ((await store.notes.where('key').equals(key).count()) > 0) return;
    const bytes = bytesOf(stage);
    const { quota = Infinity } = (await navigator.storage?.estimate?.()) ?? {};
    const limit = Math.min(LIMIT, SHARE * quota);
    if (bytes > limit) return;
    await store.transaction('rw', store.stages, store.notes, async () => {
      const gone = overfull(await store.notes.orderBy('used').toArray(), limit - bytes);
      await store.stages.bulkDelete(gone);
      await store.notes.bulkDelete(gone);
      await store.stages.put({ key, stage });
      await store.notes.put({ key, bytes, used: Date.now() });
    });
  } catch {
    // It is worked out again, then.
  }
}

/** Lets everything go: room for what cannot be made again. True where there was anything. */
async function dropKept(): Promise<boolean> {
  try {
    await opened();
    const some = (await store.notes.count()) > 0;
    await Promise.all([store.stages.clear(), store.notes.clear()]);
    return some;
  } catch {
    return false;
  }
}

/** Does what needs room: where there is none, what is kept for speed gives way, and it is tried once more. */
export async function withRoom<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!isFull(error) || !(await dropKept())) throw error;
    return work();
  }
}

/** What has to go so that the rest comes to `limit` bytes at the most; the rows in the order of their last use. */
export function overfull(rows: readonly Pick<NoteRow, 'key' | 'bytes'>[], limit: number): string[] {
  let held = rows.reduce((sum, { bytes }) => sum + bytes, 0);
  const gone: string[] = [];
  for (const { key, bytes } of rows) {
    if (held <= limit) break;
    gone.push(key);
    held -= bytes;
  }
  return gone;
}

function bytesOf({ height, layers = {} }: CachedStage): number {
  return Object.values(layers).reduce((sum, layer) => sum + layer.byteLength, height.byteLength);
}

/** Stages are written one after another, when the work that they come from has been shown; while work goes on they wait longer, since writing takes of its time. */
const waiting = new Map<string, CachedStage>();
let writing: ReturnType<typeof setTimeout> | undefined;
const REST = 1500;
const REST_WHILE_WORKING = 10_000;
let working = 0;

function writeLater(): void {
  clearTimeout(writing);
  writing = setTimeout(() => void writeNext(), working > 0 ? REST_WHILE_WORKING : REST);
}

/** Does what a person waits for: what is to be kept is written after it. */
export async function beforeKeeping<T>(work: () => Promise<T>): Promise<T> {
  working++;
  try {
    return await work();
  } finally {
    working--;
    if (waiting.size > 0) writeLater();
  }
}

async function writeNext(): Promise<void> {
  for (const [key, stage] of waiting) {
    waiting.delete(key);
    await keepStage(key, stage);
  }
  writing = undefined;
}

export const keptStages: KeptStages = {
  get: (key) => Promise.resolve(waiting.get(key) ?? keptStage(key)),
  set: (key, stage) => {
    waiting.set(key, stage);
    // The first of several, while work goes on, does not wait anew with each that comes.
    if (working === 0 || waiting.size === 1) writeLater();
  },
};

const groundName = (key: string) => `ground ${key}`;

/** Keeps the end of a course under its key, when what is under way is over. */
export const keepGround = (key: string, end: Pick<Evaluation, 'height' | 'layers'>): void => keptStages.set(groundName(key), endStage(end));

/** Keeps a ground that came along with its course, at once. */
export const storeGround = ({ key, height }: WorkedGround): Promise<void> => keepStage(groundName(key), endStage({ height, layers: {} }));

/** The kept end of a course at its own samples; undefined where there is none. */
export async function keptGround(course: Course): Promise<CachedStage | undefined> {
  const { across, down } = course.ground;
  const stage = await keptStages.get(groundName(await groundKey(course)));
  return stage?.height.length === across * down ? stage : undefined;
}
