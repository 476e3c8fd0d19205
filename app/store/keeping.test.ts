import { afterAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { storedInMemory } from '../../tests/helpers/stored-assets';

storedInMemory();
// The engine is tried in the browser tests; here it gives a small picture of the ground.
const engine = { thumbnail: async () => new Blob(['png']) };
const never = new Proxy(engine, { get: (of, key) => (key === 'then' ? undefined : key in of ? of[key as 'thumbnail'] : () => new Promise(() => undefined)) });
vi.doMock('../engine/client', () => ({ onEngineEnd: () => undefined, engine: () => never, listening: (l: unknown) => l }));
vi.doMock('../storage/terrains', () => ({ saveTerrain: async () => undefined, ensureDemo: async () => undefined, brought: (r: unknown) => r }));
afterAll(() => {
  vi.doUnmock('../engine/client');
  vi.doUnmock('../storage/terrains');
  vi.resetModules();
});

const { makeCourse, makeGround, rockSchema, seedsOf, stepUse } = await import('@upland-cast/core');
const { db } = await import('../storage/db');
const { undo } = await import('./history');
const { useTerrain } = await import('./state');
const { settled } = await import('./evaluation');
const keeping = await import('./keeping');

const ground = makeGround({ width: 1000, depth: 800, across: 11, down: 9, datum: 200 });
const get = () => useTerrain.getState();
const course = () => get().course!;
const noise = (id: string, seed: number) => stepUse('noise', { seed }, { id });
const seedOf = (id: string) => course().stem.find((use) => use.id === id)!.params.seed as number;
/** The ground that is seen: as high as it is far east, over the datum. */
const picture = (by = 0) => ({ ground, height: Float32Array.from({ length: 99 }, (_, i) => (i % 11) * 10 + by), statistics: { lowest: 200, highest: 300 } });

beforeEach(async () => {
  await Promise.all(db.tables.map((table) => table.clear()));
  useTerrain.setState({
    id: 'x',
    course: { ...makeCourse('t', ground, [noise('a', 1), noise('b', 2)]), rock: rockSchema.parse({ seed: 5 }) },
    past: [],
    future: [],
    selected: 'a',
    readOnly: false,
    notice: null,
    tool: 'none',
    picture: null,
    spotsBefore: {},
  });
});

describe('rolls of a source', () => {
  it('keep the seed that was and the one that is, each once', () => {
    keeping.reRoll('a', 1);
    const second = seedOf('a');
    expect(second).not.toBe(1);
    keeping.goToRoll('a', 1);
    keeping.goToRoll('a', second);
    expect(course().rolls.a.map((roll) => roll.seed)).toEqual([1, second]);
    expect(seedOf('b')).toBe(2);
  });

  it('beyond four hundred lose the oldest that is no favourite', () => {
    keeping.goToRoll('a', 0);
    keeping.favourRoll('a', 0, true);
    for (let seed = 1; seed <= 401; seed++) keeping.goToRoll('a', seed);
    const seeds = course().rolls.a.map((roll) => roll.seed);
    expect(seeds).toHaveLength(400);
    expect(seeds[0]).toBe(0);
    expect(seeds).not.toContain(1);
    expect(seeds).toContain(401);
  });

  it('stay when the roll itself is taken back', () => {
    keeping.reRoll('a', 1);
    const rolled = seedOf('a');
    undo();
    expect(seedOf('a')).toBe(1);
    expect(course().rolls.a.map((roll) => roll.seed)).toContain(rolled);
  });
});

describe('rolls of the whole terrain', () => {
  it('draw every seed anew, the rock’s too, and can be gone back to', () => {
    const before = seedsOf(course());
    keeping.reRollWhole();
    const after = seedsOf(course());
    expect(Object.keys(after)).toEqual(Object.keys(before));
    for (const key of Object.keys(before)) expect(after[key], key).not.toBe(before[key]);
    expect(course().wholeRolls).toHaveLength(2);
    expect(keeping.wholeRollOf(course())!.number).toBe(course().wholeRolls[1].number);
    keeping.goToWholeRoll(0);
    expect(seedsOf(course())).toEqual(before);
    expect(course().rock!.seed).toBe(5);
    keeping.goToWholeRoll(123_456_789);
    expect(seedsOf(course())).toEqual(before);
  });

  it('beyond sixty lose the oldest that is no favourite', () => {
    keeping.reRollWhole();
    keeping.favourWholeRoll(0, true);
    for (let i = 0; i < 70; i++) keeping.reRollWhole();
    expect(course().wholeRolls.length).toBeLessThanOrEqual(61);
    expect(course().wholeRolls[0]).toMatchObject({ number: 0, favourite: true });
  });
});

describe('marks', () => {
  it('are kept with a picture and the range, the newest first', async () => {
    useTerrain.setState({ picture: picture() as never });
    await keeping.keepMark('First');
    await db.marks.toCollection().modify((mark) => void (mark.at -= 1000));
    await keeping.keepMark('Second');
    const marks = await keeping.marksOf('x');
    expect(marks.map((mark) => mark.name)).toEqual(['Second', 'First']);
    expect(marks[0].range).toEqual([200, 300]);
    expect(await keeping.marksOf('another')).toEqual([]);
  });

  it('that are kept by themselves are the last twenty; a person’s own stay', async () => {
    await keeping.keepMark('Mine');
    for (let i = 0; i < 23; i++) await keeping.keepMark(`By itself ${i}`, true);
    const marks = await keeping.marksOf('x');
    expect(marks.filter((mark) => mark.byItself)).toHaveLength(20);
    expect(marks.some((mark) => mark.name === 'Mine')).toBe(true);
  });

  it('are gone back to, and what was now is kept first', async () => {
    await keeping.keepMark('Before');
    keeping.goToRoll('a', 77);
    await keeping.goToMark((await keeping.marksOf('x'))[0]);
    expect(seedOf('a')).toBe(1);
    const kept = (await keeping.marksOf('x')).find((mark) => mark.name === 'Before going back to “Before”')!;
    expect(kept.course.stem[0].params.seed).toBe(77);
    undo();
    expect(seedOf('a')).toBe(77);
  });

  it('stand each for itself: a spoiled one leaves the others', async () => {
    await keeping.keepMark('Whole');
    await db.marks.add({ terrain: 'x', at: 5, name: 'Spoiled', byItself: false, course: { stem: 7 } as never });
    expect((await keeping.marksOf('x')).map((mark) => mark.name)).toEqual(['Whole']);
  });

  it('say so where there is no room for them', async () => {
    const add = vi.spyOn(db.marks, 'add').mockRejectedValueOnce(new Error('no room is left'));
    await keeping.keepMark('Too much');
    expect(get().notice).toContain('The mark could not be kept');
    add.mockRestore();
  });
});

describe('spots and views', () => {
  it('have names and ids of their own, however quickly they come', () => {
    for (let i = 0; i < 5; i++) keeping.addSpot(100.04 * i, 50);
    expect(new Set(course().spots.map((spot) => spot.id)).size).toBe(5);
    expect(course().spots.map((spot) => spot.name)).toEqual(['Spot 1', 'Spot 2', 'Spot 3', 'Spot 4', 'Spot 5']);
    expect(course().spots[3].east).toBe(300.1);
    const [, second] = course().spots;
    keeping.removeSpot(second.id);
    keeping.addSpot(1, 1);
    expect(course().spots.filter((spot) => spot.name === 'Spot 5')).toHaveLength(1);
    keeping.setSpot(course().spots[0].id, (spot) => void (spot.name = 'Cairn'));
    expect(course().spots.map((spot) => spot.name)).toContain('Cairn');
  });

  it('of views too, with names of eighty letters at the most', () => {
    const place = { kind: 'orbit' } as never;
    keeping.keepView(place);
    keeping.keepView(place);
    const [one, two] = course().cameras;
    expect(one.id).not.toBe(two.id);
    keeping.nameView(two.id, 'x'.repeat(200));
    expect(course().cameras[1].name).toHaveLength(80);
    keeping.removeView(one.id);
    expect(course().cameras.map((view) => view.id)).toEqual([two.id]);
  });

  it('are as high as the ground there, and know how high they were before the last change', () => {
    expect(keeping.elevationAt(500, 400)).toBeNull();
    useTerrain.setState({ picture: picture() as never });
    expect(keeping.elevationAt(500, 400)).toBeCloseTo(250, 3);
    keeping.addSpot(500, 400);
    const { id } = course().spots[0];
    const settle = () => settled.forEach((heard) => heard(course(), get().picture!));
    settle();
    useTerrain.setState({ picture: picture(12) as never });
    settle();
    expect(get().spotsBefore[id]).toBeCloseTo(250, 3);
    expect(keeping.elevationAt(500, 400)).toBeCloseTo(262, 3);
  });
});

describe('the section', () => {
  it('lies across the middle until it is drawn, and over another ground as it lies over the terrain', () => {
    expect(keeping.sectionOf(course())).toEqual({ from: { east: 80, south: 400 }, to: { east: 920, south: 400 } });
    keeping.setSection({ east: 100, south: 200 }, { east: 900, south: 600 });
    const over = keeping.sectionOver(course(), { ...ground, width: 500, depth: 1600 });
    expect(over.from).toEqual({ east: 50, south: 400 });
    expect(over.to).toEqual({ east: 450, south: 1200 });
    expect(over.back(over.to)).toEqual({ east: 900, south: 600 });
  });

  it('and what was chosen in other rooms stay with the terrain, beside undo', () => {
    keeping.keepChosen({ mesh: 'light' } as never);
    keeping.keepChosen({ receiver: 'blocks' } as never);
    expect(course().chosen).toEqual({ mesh: 'light', receiver: 'blocks' });
    expect(get().past).toHaveLength(0);
  });
});
