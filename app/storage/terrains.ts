import { assetsOf, assetsOfProject, COURSE_VERSION, parseCourse, readProject, writeProject, type Course, type Project } from '@upland-cast/core';
import { keepAsset, loadAsset } from './assets';
import { db, type Change, type SaveRow, type TerrainRow } from './db';
import { assetsOfChange } from './histories';

export async function listTerrains(): Promise<TerrainRow[]> {
  return (await db.terrains.orderBy('changed').reverse().toArray()).map(brought);
}

/** A row as this version reads it: what an older one stored is brought up. */
export function brought<T extends { course: Course }>(row: T): T {
  return row.course.version === COURSE_VERSION ? row : { ...row, course: parseCourse(row.course) };
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
  const id = await addTerrain(project.course, project.thumbnail && new Blob([project.thumbnail], { type: 'image/png' }));
  if (project.marks) await db.marks.bulkAdd(project.marks.map((mark) => ({ ...mark, terrain: id, byItself: false })));
  return id;
}

export async function bringIn(file: Blob): Promise<string> {
  return addProject(await readProject(new Uint8Array(await file.arrayBuffer())));
}

/** The terrain's project file, with the marks that were kept by name. */
export async function giveOut(id: string, course: Course, picture?: Blob): Promise<Uint8Array<ArrayBuffer>> {
  const kept = (await db.marks.where('terrain').equals(id).sortBy('at')).filter((m) => !m.byItself);
  const marks = kept.map((m) => ({ name: m.name, at: m.at, course: brought(m).course }));
  const assets = new Map<string, Uint8Array<ArrayBuffer>>();
  for (const sha of assetsOfProject({ course, marks })) assets.set(sha, await loadAsset(sha));
  return writeProject({ course, marks, assets, thumbnail: picture && new Uint8Array(await picture.arrayBuffer()) });
}

export async function removeTerrain(id: string): Promise<void> {
  await db.transaction('rw', db.terrains, db.saves, db.marks, db.histories, async () => {
    await db.terrains.delete(id);
    await db.histories.delete(id);
    await db.saves.where('terrain').equals(id).delete();
    await db.marks.where('terrain').equals(id).delete();
  });
  await sweepAssets();
}

/** Drops assets that no terrain, past save, mark or change that can be undone refers to: all of them, or of some. */
export async function sweepAssets(some?: ReadonlySet<string>): Promise<void> {
  const used = new Set<string>();
  const count = (row: { course: Course }) => assetsOf(brought(row).course).forEach((sha) => used.add(sha));
  await db.terrains.each(count);
  await db.saves.each(count);
  await db.marks.each(count);
  await db.histories.each(({ past, future }) => [...past, ...future].forEach((change) => assetsOfChange(change).forEach((sha) => used.add(sha))));
  const unused = [...(some ?? (await db.assets.toCollection().primaryKeys()))].filter((sha) => !used.has(sha));
  await db.assets.bulkDelete(unused);
}

const MINUTE = 60_000;
const HOUR = 60 * MINUTE;
const DAY = 24 * HOUR;

/**
 * Saves the terrain as it is now, and keeps the state as a past save. Past saves thin out with
 * age: every one of the last ten minutes, then one a ten minutes for a day, one a day for a month.
 */
export async function saveTerrain(id: string, course: Course, at = Date.now(), history?: { past: Change[]; future: Change[] }): Promise<void> {
  await db.transaction('rw', db.terrains, db.saves, db.histories, async () => {
    if (history) await db.histories.put({ id, changed: at, ...history });
    await db.terrains.update(id, { course, changed: at });
    await db.saves.add({ terrain: id, at, course });
    const saves = await db.saves.where('terrain').equals(id).toArray();
    await db.saves.bulkDelete(thinned(saves, at).map((s) => s.id!));
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

export async function pastSaves(terrain: string): Promise<SaveRow[]> {
  return (await db.saves.where('terrain').equals(terrain).sortBy('at')).reverse().map(brought);
}

const DEMO = ['dunmorrow', 'old-sheet'];

/** Puts the demo terrains in, each once: one that was removed does not come back. */
export async function ensureDemo(): Promise<void> {
  const kept = (await db.settings.get('demo'))?.value;
  // The first version noted only that its one terrain was there.
  const had = kept === true ? ['dunmorrow'] : Array.isArray(kept) ? (kept as string[]) : [];
  for (const name of DEMO.filter((n) => !had.includes(n))) {
    const response = await fetch(`/demo/${name}.uplandcast`);
    if (!response.ok) throw new Error(`The demo terrain could not be loaded: the server answered ${response.status}.`);
    const { course, assets, thumbnail } = await readProject(new Uint8Array(await response.arrayBuffer()));
    for (const bytes of assets.values()) await keepAsset(bytes);
    // The first of the list stands first among the cards.
    const now = Date.now() - DEMO.indexOf(name);
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
