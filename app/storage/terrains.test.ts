import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { storedInMemory } from '../../tests/helpers/stored-assets';

storedInMemory();
const { makeCourse, makeGround, sha256, stepUse } = await import('@upland-cast/core');
const { db } = await import('./db');
const { keepAsset, loadAsset } = await import('./assets');
const store = await import('./terrains');

const ground = makeGround({ width: 1000, depth: 800, across: 101, down: 81 });
const course = (name: string, ...steps: ReturnType<typeof stepUse>[]) => makeCourse(name, ground, [stepUse('flat', {}, { id: 'f' }), ...steps]);
const reading = (asset: string) => stepUse('raster', { asset }, { id: 'r' });
const bytesOf = (text: string) => new TextEncoder().encode(text) as Uint8Array<ArrayBuffer>;
const names = async () => (await store.listTerrains()).rows.map((row) => row.course.name);
const assets = async () => (await db.assets.toCollection().primaryKeys()).sort();

beforeEach(async () => {
  if (!db.isOpen()) await db.open();
  vi.stubGlobal('navigator', {});
});
afterEach(async () => {
  await Promise.all(db.tables.map((table) => table.clear()));
  vi.unstubAllGlobals();
});

describe('the terrains of this browser', () => {
  it('are listed with the one that was changed last first', async () => {
    const [one] = [await store.addTerrain(course('One')), await store.addTerrain(course('Two'))];
    await db.terrains.update(one, { changed: Date.now() + 1_000 });
    expect(await names()).toEqual(['One', 'Two']);
  });

  it('stand each for itself: a spoiled one is named beside the others, with all that is stored of it', async () => {
    await store.addTerrain(course('Whole'));
    await db.terrains.put({ id: 'spoiled', course: { name: 'Spoiled', stem: 7 } as never, made: 1, changed: 2 });
    await db.terrains.put({ id: 'nameless', course: null as never, made: 1, changed: 2 });
    const { rows, bad } = await store.listTerrains();
    expect(rows.map((row) => row.course.name)).toEqual(['Whole']);
    expect(bad.map(({ id, name }) => [id, name]).sort()).toEqual([
      ['nameless', 'A terrain'],
      ['spoiled', 'Spoiled'],
    ]);
    for (const { fault, raw } of bad) {
      expect(fault).not.toBe('');
      expect(raw).toMatchObject({ made: 1, changed: 2 });
    }
  });

  it('are read with what of a row is sound: times, range, tags and picture that are not such are left out', async () => {
    const odd = { id: 'odd', course: course('Odd'), made: 'long ago', changed: NaN, range: [1, 'two'], tags: ['wet', 4, null], picture: 'no picture' };
    await db.terrains.put(odd as never);
    const [row] = (await store.listTerrains()).rows;
    expect(row).toMatchObject({ made: 0, changed: 0, tags: ['wet'] });
    expect([row.range, row.picture]).toEqual([undefined, undefined]);
  });

  it('have tags that are cleaned, each once, twenty at most', async () => {
    const id = await store.addTerrain(course('Tagged'));
    await store.tagTerrain(id, [' coast', 'coast', '', '   ', 'x'.repeat(90), ...Array.from({ length: 40 }, (_, k) => `n${k}`)]);
    const { tags } = (await db.terrains.get(id))!;
    expect(tags).toHaveLength(20);
    expect(tags!.slice(0, 2)).toEqual(['coast', 'x'.repeat(40)]);
  });
});

describe('saving', () => {
  it('keeps the course, what can be undone, and a past save; the journal is part of it then', async () => {
    const id = await store.addTerrain(course('Before'));
    await db.journal.add({ terrain: id, base: 0, at: 1, entries: [{ kind: 'undo' }] });
    await db.journal.add({ terrain: 'another', base: 0, at: 1, entries: [{ kind: 'undo' }] });
    const change = { forward: [], back: [], label: 'Raise' };
    expect(await store.saveTerrain(id, course('After'), 5_000, { past: [change], future: [] })).toBe(true);
    expect(await db.terrains.get(id)).toMatchObject({ course: { name: 'After' }, changed: 5_000 });
    expect(await db.histories.get(id)).toMatchObject({ changed: 5_000, past: [{ label: 'Raise' }], future: [] });
    expect((await db.journal.toArray()).map(({ terrain }) => terrain)).toEqual(['another']);
    expect((await store.pastSaves(id)).map((save) => save.course.name)).toEqual(['After']);
  });

  it('of a terrain that is gone says so, and brings nothing back', async () => {
    expect(await store.saveTerrain('gone', course('Gone'), 1, { past: [], future: [] })).toBe(false);
    expect(await Promise.all(db.tables.map((table) => table.count()))).toEqual(db.tables.map(() => 0));
  });

  it('again within five seconds leaves the newer of the two; over weeks one a day, and none after a month', async () => {
    const id = await store.addTerrain(course('Often'));
    const DAY = 86_400_000;
    const start = 20_000 * DAY;
    for (const at of [start, start + 1_000, start + 2_000]) await store.saveTerrain(id, course(`At ${at - start}`), at);
    expect((await store.pastSaves(id)).map((save) => save.course.name)).toEqual(['At 2000']);
    for (let day = 1; day <= 40; day++) for (const hour of [0, 5]) await store.saveTerrain(id, course('Later'), start + day * DAY + hour * 3_600_000);
    const saves = await store.pastSaves(id);
    expect(saves.length).toBeGreaterThan(25);
    expect(saves.length).toBeLessThan(35);
    expect(saves[0].at - saves.at(-1)!.at).toBeLessThanOrEqual(31 * DAY);
    // The newest first, and none of another terrain.
    expect(saves.map(({ at }) => at)).toEqual(saves.map(({ at }) => at).sort((a, b) => b - a));
    expect(await store.pastSaves('another')).toEqual([]);
  });

  it('can be gone back to: the last that can be read, without the history and the journal of what was spoiled', async () => {
    const id = await store.addTerrain(course('Now'));
    await store.saveTerrain(id, course('Good'), 10_000, { past: [], future: [] });
    await db.saves.add({ terrain: id, at: 90_000, course: { name: 'Broken' } as never });
    await db.journal.add({ terrain: id, base: 0, at: 1, entries: [{ kind: 'undo' }] });
    const save = (await store.lastGoodSave(id))!;
    expect(save).toMatchObject({ at: 10_000, course: { name: 'Good' } });
    expect((await store.pastSaves(id)).map((one) => one.course.name)).toEqual(['Good']);
    await store.restoreFrom(id, save);
    expect(await db.terrains.get(id)).toMatchObject({ course: { name: 'Good' }, changed: 10_000 });
    expect([await db.histories.count(), await db.journal.count()]).toEqual([0, 0]);
    expect(await store.lastGoodSave('another')).toBeNull();
  });
});

describe('the files that terrains need', () => {
  it('are kept once under their SHA-256, and a damaged or missing one is said by its code', async () => {
    const sha = await keepAsset(bytesOf('heights'));
    expect(await keepAsset(bytesOf('heights'))).toBe(sha);
    expect(sha).toBe(await sha256(bytesOf('heights')));
    expect(await assets()).toEqual([sha]);
    expect(new TextDecoder().decode(await loadAsset(sha))).toBe('heights');
    await db.assets.put({ sha, bytes: new Blob([bytesOf('other')]) });
    await expect(loadAsset(sha)).rejects.toMatchObject({ code: 'damaged-asset' });
    await db.assets.delete(sha);
    await expect(loadAsset(sha)).rejects.toMatchObject({ code: 'missing-asset' });
  });

  it('go when nothing needs them any more: no terrain, save, mark, change that can be undone, or journal', async () => {
    const kept: string[] = [];
    for (const text of ['course', 'save', 'mark', 'history', 'journal', 'nobody']) kept.push(await keepAsset(bytesOf(text)));
    const id = await store.addTerrain(course('Needs', reading(kept[0])));
    await db.saves.add({ terrain: id, at: 1, course: course('Save', reading(kept[1])) });
    await db.marks.add({ terrain: id, at: 1, name: 'm', byItself: false, course: course('Mark', reading(kept[2])) });
    const removed = { op: 'replace' as const, path: ['stem', 1, 'params', 'asset'], value: kept[3] };
    await db.histories.put({ id, changed: 1, past: [{ forward: [], back: [removed], label: 'Other file' }], future: [] });
    await db.journal.add({ terrain: id, base: 0, at: 1, entries: [{ kind: 'amend', forward: [{ ...removed, value: kept[4] }] }] });
    await store.sweepAssets(new Set([kept[0]]));
    expect(await assets()).toEqual([...kept].sort());
    await store.sweepAssets();
    expect(await assets()).toEqual(kept.slice(0, 5).sort());
    await store.removeTerrain(id);
    expect(await Promise.all([db.terrains, db.saves, db.marks, db.histories, db.journal, db.assets].map((table) => table.count()))).toEqual([0, 0, 0, 0, 0, 0]);
  });

  it('of a terrain that is open in some tab stay when it is removed', async () => {
    const sha = await keepAsset(bytesOf('needed still'));
    const id = await store.addTerrain(course('Open', reading(sha)));
    vi.stubGlobal('navigator', { locks: { query: async () => ({ held: [{ name: `upland-cast:${id}` }] }) } });
    await store.removeTerrain(id);
    expect(await db.terrains.count()).toBe(0);
    expect(await assets()).toEqual([sha]);
    // What is left of it is not swept either, as long as it is open.
    await db.saves.add({ terrain: id, at: 1, course: course('Open', reading(sha)) });
    await store.sweepOrphans();
    expect([await db.saves.count(), await db.assets.count()]).toEqual([1, 1]);
    vi.stubGlobal('navigator', { locks: { query: async () => ({ held: [] }) } });
    await store.sweepOrphans();
    expect([await db.saves.count(), await db.assets.count()]).toEqual([0, 0]);
  });
});

describe('project files', () => {
  it('carry a terrain with its files, its picture and the marks that were kept by name, and come back as another', async () => {
    const [sha, old, unneeded] = [await keepAsset(bytesOf('now')), await keepAsset(bytesOf('then')), await keepAsset(bytesOf('unneeded'))];
    const own = course('Given', reading(sha));
    const id = await store.addTerrain(own);
    await db.marks.bulkAdd([
      { terrain: id, at: 20, name: 'Second', byItself: false, course: course('Second', reading(old)) },
      { terrain: id, at: 10, name: 'First', byItself: false, course: course('First') },
      { terrain: id, at: 30, name: 'By itself', byItself: true, course: course('Third') },
      { terrain: id, at: 40, name: 'Broken', byItself: false, course: { name: 'Broken' } as never },
    ]);
    const file = await store.giveOut(id, own, new Blob([bytesOf('picture')]));
    await Promise.all(db.tables.map((table) => table.clear()));
    const back = await store.bringIn(new Blob([file]));
    expect(back).not.toBe(id);
    const row = (await db.terrains.get(back))!;
    expect(row.course).toMatchObject({ name: 'Given', stem: own.stem });
    expect(await row.picture!.text()).toBe('picture');
    expect((await db.marks.where('terrain').equals(back).sortBy('at')).map(({ name, byItself }) => [name, byItself])).toEqual([
      ['First', false],
      ['Second', false],
    ]);
    expect(await assets()).toEqual([sha, old].sort());
    expect(await assets()).not.toContain(unneeded);
  });

  it('are not written where a file that a step needs is not there', async () => {
    const own = course('Lacks', reading('ab'.repeat(32)));
    await expect(store.giveOut(await store.addTerrain(own), own)).rejects.toMatchObject({ code: 'missing-asset' });
  });

  it('that are none are refused, and leave nothing behind', async () => {
    await expect(store.bringIn(new Blob([bytesOf('no project')]))).rejects.toThrow();
    expect([await db.terrains.count(), await db.assets.count(), await db.marks.count()]).toEqual([0, 0, 0]);
  });
});

describe('the demo', () => {
  const answers = async (status: number) => {
    const file = await store.giveOut('none', course('Demo'));
    const asked: string[] = [];
    vi.stubGlobal('fetch', async (url: string) => {
      asked.push(url);
      return new Response(status === 200 ? file : 'no', { status });
    });
    return asked;
  };

  it('comes in once: what was removed does not come back, and what came later comes to older visits', async () => {
    const asked = await answers(200);
    await store.ensureDemo();
    expect(asked).toEqual(['/demo/dunmorrow.uplandcast', '/demo/old-sheet.uplandcast']);
    expect((await store.listTerrains()).rows[0].id).toBe(store.DEMO_ID);
    await store.removeTerrain(store.DEMO_ID);
    await store.ensureDemo();
    expect(asked).toHaveLength(2);
    expect(await db.terrains.get(store.DEMO_ID)).toBeUndefined();
    await db.terrains.clear();
    await db.settings.put({ key: 'demo', value: true });
    await store.ensureDemo();
    expect((await db.terrains.toArray()).map(({ id }) => id)).toEqual(['demo-old-sheet']);
  });

  it('says what the server answered where it cannot be had', async () => {
    await answers(503);
    await expect(store.ensureDemo()).rejects.toThrow(/503/);
    expect(await db.terrains.count()).toBe(0);
  });
});
