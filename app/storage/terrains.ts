import Dexie from 'dexie';
import {
  assetsOfProject,
  groundKey,
  validOf,
  parseCourse,
  optionalAssetsOfProject,
  readProject,
  UplandError,
  writeProject,
  type Course,
  type Project,
} from '@upland-cast/core';
import { openTerrains, tellRemoved } from './tabs';
import { keepAsset, loadAsset } from './assets';
import { db, type Change, type SaveRow, type TerrainRow } from './db';
import { assetsOfChange } from './histories';
import { keptGround, storeGround } from './kept';
import { storageSentence } from './room';

/** A row that cannot be read: what is wrong with it, and the row as it is stored, where it could be had at all. */
export interface BadRow {
  id: string;
  name: string;
  fault: string;
  raw: unknown;
}

/** All terrains, the one changed last first; each stands for itself, so that one that is spoiled does not hide the others. */
export async function listTerrains(): Promise<{ rows: TerrainRow[]; bad: BadRow[] }> {
  const rows: TerrainRow[] = [];
  const bad: BadRow[] = [];
  for (const id of await db.terrains.toCollection().primaryKeys()) {
    let raw: unknown;
    try {
      raw = await db.terrains.get(id);
      if (raw) rows.push(readRow(raw));
    } catch (error) {
      const { course } = (raw ?? {}) as { course?: { name?: unknown } };
      bad.push({ id, name: typeof course?.name === 'string' ? course.name.slice(0, 120) : 'A terrain', fault: storageSentence(error), raw });
    }
  }
  rows.sort((a, b) => b.changed - a.changed);
  return { rows, bad };
}

/** A stored row checked: its course whole, its times numbers, its picture a picture. */
function readRow(raw: unknown): TerrainRow {
  if (typeof raw !== 'object' || raw === null) throw new UplandError('bad-row', 'What is stored of this terrain is not a terrain.');
  const row = raw as TerrainRow;
  // A course that was stored is checked once it is not what this version writes, and always in part.
  const course = parseCourse(row.course);
  const time = (value: unknown) => (typeof value === 'number' && Number.isFinite(value) ? value : 0);
  const range = Array.isArray(row.range) && row.range.length === 2 && row.range.every(Number.isFinite) ? row.range : undefined;
  const tags = Array.isArray(row.tags) ? row.tags.filter((tag) => typeof tag === 'string') : [];
  return { ...row, course, tags, changed: time(row.changed), made: time(row.made), range, picture: row.picture instanceof Blob ? row.picture : undefined };
}

/** Puts a terrain in order by words of one's own: cleaned, each once, at most twenty. */
export async function tagTerrain(id: string, tags: readonly string[]): Promise<void> {
  const clean = [...new Set(tags.map((tag) => tag.trim().slice(0, 40)).filter(Boolean))].slice(0, 20);
  await db.terrains.update(id, { tags: clean });
}

/** A row as this version reads it: what an older one stored is brought up, and what is damaged says so. */
export function brought<T extends { course: Course }>(row: T): T {
  return { ...row, course: parseCourse(row.course) };
}

/** The newest of a terrain's past saves that can be read; null where none can. */
export async function lastGoodSave(terrain: string): Promise<SaveRow | null> {
  for (const id of (await db.saves.where('terrain').equals(terrain).primaryKeys()).reverse()) {
    try {
      const save = await db.saves.get(id);
      if (save) return brought(save);
    } catch {
      // The one before it, then.
    }
  }
  return null;
}

/** Puts a terrain that cannot be read back to a past save of it. */
export async function restoreFrom(terrain: string, save: SaveRow): Promise<void> {
  await db.transaction('rw', db.terrains, db.histories, db.journal, async () => {
    await db.terrains.put({ id: terrain, course: save.course, made: save.at, changed: save.at });
    await db.histories.delete(terrain);
    await db.journal.where('terrain').equals(terrain).delete();
  });
}

export async function addTerrain(course: Course, picture?: Blob): Promise<string> {
  const id = crypto.randomUUID();
  const now = Date.now();
  await db.terrains.add({ id, course, made: now, changed: now, picture });
  return id;
}

/** Keeps the assets of a project file and adds its terrain. */
export async function addProject(project: Project): Promise<string> {
  for (const bytes of project.assets.values()) await keepAsset(bytes);
  await keepWorked(project);
  const id = await addTerrain(project.course, project.thumbnail && new Blob([project.thumbnail], { type: 'image/png' }));
  if (project.marks) await db.marks.bulkAdd(project.marks.map((mark) => ({ ...mark, terrain: id, byItself: false })));
  return id;
}

/** A ground that came along is seen at once when the terrain is opened. */
async function keepWorked({ worked }: Project): Promise<void> {
  if (worked) await storeGround(worked);
}

export async function bringIn(file: Blob): Promise<string> {
  return addProject(await readProject(new Uint8Array(await file.arrayBuffer())));
}

/** The terrain's project file, with the marks that were kept by name. */
export async function giveOut(id: string, course: Course, picture?: Blob): Promise<Uint8Array<ArrayBuffer>> {
  const kept = (await db.marks.where('terrain').equals(id).sortBy('at')).filter((m) => !m.byItself);
  const marks = kept.flatMap((m) => {
    try {
      return [{ name: m.name, at: m.at, course: brought(m).course }];
    } catch {
      return [];
    }
  });
  const assets = new Map<string, Uint8Array<ArrayBuffer>>();
  for (const sha of assetsOfProject({ course, marks })) assets.set(sha, await loadAsset(sha));
  // What unknown steps may read goes along where it is there.
  for (const sha of optionalAssetsOfProject({ course, marks })) {
    const bytes = await loadAsset(sha).catch(() => null);
    if (bytes) assets.set(sha, bytes);
  }
  const ground = await keptGround(course);
  const worked = ground && !validOf(ground.layers ?? {}) ? { key: await groundKey(course), height: ground.height } : undefined;
  return writeProject({ course, marks, assets, thumbnail: picture && new Uint8Array(await picture.arrayBuffer()), worked });
}

export async function removeTerrain(id: string): Promise<void> {
  await db.transaction('rw', db.terrains, db.saves, db.marks, db.histories, db.journal, async () => {
    await db.terrains.delete(id);
    await dropPartsOf(id);
  });
  tellRemoved(id);
  // Where it is open its files are still needed, to keep it as a new one; they are swept later.
  if (!(await openTerrains()).has(id)) await sweepAssets();
}

async function dropPartsOf(id: string): Promise<void> {
  await db.histories.delete(id);
  await db.journal.where('terrain').equals(id).delete();
  await db.saves.where('terrain').equals(id).delete();
  await db.marks.where('terrain').equals(id).delete();
}

/** Drops what belongs to terrains that are not there any more: saves, marks, histories, journals, files. Not while one of them is open somewhere. */
export async function sweepOrphans(): Promise<void> {
  const open = await openTerrains();
  const there = new Set(await db.terrains.toCollection().primaryKeys());
  const gone = new Set<string>();
  for (const table of [db.saves, db.marks, db.journal] as const) {
    for (const id of await (table as typeof db.saves).orderBy('terrain').uniqueKeys()) if (!there.has(String(id))) gone.add(String(id));
  }
  for (const id of await db.histories.toCollection().primaryKeys()) if (!there.has(id)) gone.add(id);
  const swept = [...gone].filter((id) => !open.has(id));
  for (const id of swept) await dropPartsOf(id);
  if ([...open].every((id) => there.has(id)) && swept.length > 0) await sweepAssets();
}

/** Drops assets that no terrain, past save, mark or change that can be undone refers to: all of them, or of some. */
export async function sweepAssets(some?: ReadonlySet<string>): Promise<void> {
  const used = new Set<string>();
  /** By their names wherever they stand: what cannot be read, and what later versions wrote, keep their files too. */
  const count = (row: unknown) => (JSON.stringify(row).match(ASSET_NAMES) ?? []).forEach((sha) => used.add(sha));
  await db.transaction('rw', [db.terrains, db.saves, db.marks, db.histories, db.journal, db.assets], async () => {
    for (const table of [db.terrains, db.saves, db.marks] as const) {
      for (const key of await table.toCollection().primaryKeys())
        count(((await (table as typeof db.saves).get(key as number)) as { course?: unknown } | undefined)?.course ?? null);
    }
    await db.histories.each(({ past, future }) => [...past, ...future].forEach((change) => assetsOfChange(change).forEach((sha) => used.add(sha))));
    await db.journal.each(({ entries }) => count(entries));
    const unused = [...(some ?? (await db.assets.toCollection().primaryKeys()))].filter((sha) => !used.has(sha));
    await db.assets.bulkDelete(unused);
  });
}

const ASSET_NAMES = /\b[0-9a-f]{64}\b/g;

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

/**
 * Saves the terrain whole as it is now, and keeps the state as a past save; what the journal held
 * is part of it then. False where the terrain is not in this browser any more. Past saves thin out
 * with age: every one of the last ten minutes, then one a ten minutes for a day, one a day for a month.
 */
export function saveTerrain(id: string, course: Course, at = Date.now(), history?: { past: Change[]; future: Change[] }): Promise<boolean> {
  return db.transaction('rw', db.terrains, db.saves, db.histories, db.journal, async () => {
    if ((await db.terrains.update(id, { course, changed: at })) === 0 && (await db.terrains.where('id').equals(id).count()) === 0) return false;
    if (history) await db.histories.put({ id, changed: at, ...history });
    await db.journal.where('terrain').equals(id).delete();
    await db.saves.add({ terrain: id, at, course });
    const saves = (await db.saves.where('[terrain+at]').between([id, Dexie.minKey], [id, Dexie.maxKey]).keys()) as unknown as [string, number][];
    const keys = await db.saves.where('[terrain+at]').between([id, Dexie.minKey], [id, Dexie.maxKey]).primaryKeys();
    await db.saves.bulkDelete(
      thinned(
        keys.map((key, i) => ({ key, at: saves[i][1] })),
        at,
      ).map((s) => s.key),
    );
    return true;
  });
}

/** Which of the saves are to be dropped at the time `now`: in every span of their age only the newest stays. */
export function thinned<T extends Pick<SaveRow, 'at'>>(saves: T[], now: number): T[] {
  const seen = new Set<string>();
  const dropped: T[] = [];
  for (const save of [...saves].sort((a, b) => b.at - a.at)) {
    const age = now - save.at;
    const span = age < 10 * MINUTE ? 5_000 : age < DAY ? 10 * MINUTE : DAY;
    const key = `${span}:${Math.floor(save.at / span)}`;
    if (age > 30 * DAY || seen.has(key)) dropped.push(save);
    else seen.add(key);
  }
  return dropped;
}

/** The past saves of a terrain that can be read, the newest first. */
export async function pastSaves(terrain: string): Promise<SaveRow[]> {
  const out: SaveRow[] = [];
  for (const key of await db.saves.where('terrain').equals(terrain).primaryKeys()) {
    try {
      const save = await db.saves.get(key);
      if (save) out.push(brought(save));
    } catch {
      // One that is spoiled stands for itself.
    }
  }
  return out.sort((a, b) => b.at - a.at);
}

const DEMO = ['dunmorrow', 'old-sheet'];

/** The terrain that a first visit sees. */
export const DEMO_ID = 'demo-dunmorrow';

/** Puts the demo terrains in, each once: one that was removed does not come back. */
export async function ensureDemo(): Promise<void> {
  const kept = (await db.settings.get('demo'))?.value;
  // The first version noted only that its one terrain was there.
  const had = kept === true ? ['dunmorrow'] : Array.isArray(kept) ? (kept as string[]) : [];
  const began = Date.now();
  for (const name of DEMO.filter((n) => !had.includes(n))) {
    const response = await fetch(`/demo/${name}.uplandcast`);
    if (!response.ok) throw new Error(`The demo terrain could not be loaded: the server answered ${response.status}.`);
    const project = await readProject(new Uint8Array(await response.arrayBuffer()));
    const { course, assets, thumbnail } = project;
    for (const bytes of assets.values()) await keepAsset(bytes);
    await keepWorked(project);
    // The first of the list stands first among the cards, however long the next takes to come.
    const now = began - DEMO.indexOf(name);
    // Another tab may be doing the same: what is there stays.
    await db.transaction('rw', db.terrains, db.settings, async () => {
      const id = `demo-${name}`;
      const there = await db.terrains.where('id').equals(id).count();
      if (!there) await db.terrains.put({ id, course, made: now, changed: now, picture: thumbnail && new Blob([thumbnail], { type: 'image/png' }) });
      had.push(name);
      await db.settings.put({ key: 'demo', value: [...had] });
    });
  }
}
