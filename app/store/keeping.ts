import { courseWithSeeds, parseCourse, rollCourse, seedsOf, sentenceOf, type Course, type Ground } from '@upland-cast/core';
import { engine } from '../engine/client';
import { db, type MarkRow } from '../storage/db';
import { setParam } from './course';
import { amend, change, replaceCourse } from './history';
import { saveNow } from './persistence';
import { say, useTerrain } from './state';
import { settled } from './evaluation';
import type { CameraPlace } from '../view/ground/cameras';
import { heightAt } from '../view/ground/pick';

const { getState: get, setState: set } = useTerrain;

// Rolls: every seed a source has had stays, beside undo.

const MOST_ROLLS = 400;

/** Keeps the seed that a source has now among its rolls. */
function keepRoll(id: string, seed: number): void {
  amend((course) => {
    const rolls = (course.rolls[id] ??= []);
    if (!rolls.some((r) => r.seed === seed)) rolls.push({ seed, favourite: false });
    while (rolls.length > MOST_ROLLS) {
      const plain = rolls.findIndex((r) => !r.favourite && r.seed !== seed);
      if (plain < 0) break;
      rolls.splice(plain, 1);
    }
  });
}

/** Another seed for a source; the one it has, and the new one, stay among its rolls. */
export function reRoll(id: string, now: number): void {
  keepRoll(id, now);
  const seed = crypto.getRandomValues(new Uint32Array(1))[0] % 1_000_000;
  goToRoll(id, seed);
}

export function goToRoll(id: string, seed: number): void {
  setParam(id, 'seed', seed);
  keepRoll(id, seed);
}

export function favourRoll(id: string, seed: number, favourite: boolean): void {
  amend((course) => {
    const roll = course.rolls[id]?.find((r) => r.seed === seed);
    if (roll) roll.favourite = favourite;
  });
}

// Rolls of the whole terrain: all its seeds at once.

const MOST_WHOLE_ROLLS = 60;

type WholeRoll = Course['wholeRolls'][number];

/** Whether seeds that were kept are those of now; what has come since they were kept has no say. */
const sameSeeds = (kept: WholeRoll['seeds'], now: WholeRoll['seeds']) => Object.keys(now).every((key) => !(key in kept) || kept[key] === now[key]);

/** The roll that the terrain's seeds are now, where it is one of those that are kept. */
export const wholeRollOf = (course: Course): WholeRoll | undefined => {
  const now = seedsOf(course);
  return course.wholeRolls.find(({ seeds }) => sameSeeds(seeds, now));
};

function keepWholeRoll(number: number): void {
  amend((course) => {
    if (wholeRollOf(course)) return;
    course.wholeRolls.push({ number, favourite: false, seeds: seedsOf(course) });
    const plain = course.wholeRolls.findIndex((roll) => !roll.favourite);
    if (course.wholeRolls.length > MOST_WHOLE_ROLLS && plain >= 0) course.wholeRolls.splice(plain, 1);
  });
}

/** Takes the steps and the rock of another roll, and leaves what is kept beside them. */
const take = (course: Course, { stem, tributaries, rock }: Course) => Object.assign(course, { stem, tributaries, ...(rock && { rock }) });

/** Another ground of the same kind: every seed of the terrain drawn anew. The one that it was stays among its rolls. */
export function reRollWhole(): void {
  const { course } = get();
  if (!course) return;
  const taken = new Set(course.wholeRolls.map(({ number }) => number));
  const draw = () => 1 + (crypto.getRandomValues(new Uint32Array(1))[0] % 999_999);
  keepWholeRoll(taken.has(0) ? draw() : 0);
  let number = draw();
  while (taken.has(number)) number = draw();
  change('Another one like this', (next) => void take(next, rollCourse(course, number)));
  keepWholeRoll(number);
}

export function goToWholeRoll(number: number): void {
  const { course } = get();
  const roll = course?.wholeRolls.find((one) => one.number === number);
  if (course && roll) change(`Go to roll ${number}`, (next) => void take(next, courseWithSeeds(course, roll.seeds)));
}

export function favourWholeRoll(number: number, favourite: boolean): void {
  amend((course) => {
    const roll = course.wholeRolls.find((one) => one.number === number);
    if (roll) roll.favourite = favourite;
  });
}

// Marks: a state of the terrain that is kept until it is taken away.

/** The marks of a terrain that can be read, the newest first; one that is spoiled leaves the others. */
export async function marksOf(terrain: string): Promise<MarkRow[]> {
  const out: MarkRow[] = [];
  for (const key of await db.marks.where('terrain').equals(terrain).primaryKeys()) {
    try {
      const mark = await db.marks.get(key);
      if (mark) out.push({ ...mark, course: parseCourse(mark.course) });
    } catch {
      // It stands for itself.
    }
  }
  return out.sort((a, b) => b.at - a.at);
}

/** Keeps the terrain as it is now. Those that are kept by themselves are the last twenty. */
export async function keepMark(name: string, byItself = false): Promise<void> {
  const { id, course, picture } = get();
  if (!id || !course) return;
  try {
    const blob = await engine().thumbnail();
    await db.marks.add({
      terrain: id,
      at: Date.now(),
      name,
      byItself,
      course,
      picture: blob ?? undefined,
      range: picture ? [picture.statistics.lowest, picture.statistics.highest] : undefined,
    });
    if (byItself) {
      const own = (await marksOf(id)).filter((m) => m.byItself);
      await db.marks.bulkDelete(own.slice(20).map((m) => m.id!));
    }
  } catch (error) {
    say(`The mark could not be kept: ${sentenceOf(error)}`);
  }
}

/** Back to a mark; what is now is kept as a mark of its own first. */
export async function goToMark(mark: MarkRow): Promise<void> {
  await keepMark(`Before going back to “${mark.name}”`, true);
  try {
    replaceCourse(parseCourse(JSON.parse(JSON.stringify(mark.course))), `Go back to ${mark.name}`);
    await saveNow();
  } catch (error) {
    say(sentenceOf(error));
  }
}

/** An id that none of them has, however quickly they come. */
function freeId(kind: string, taken: readonly { id: string }[]): string {
  let at = Date.now();
  const id = () => `${kind}-${at.toString(36)}`;
  while (taken.some((one) => one.id === id())) at++;
  return id();
}

// Spots: named places whose heights are watched.

export function addSpot(east: number, south: number): void {
  set({ tool: 'none' });
  amend((course) => {
    let n = course.spots.length + 1;
    while (course.spots.some((s) => s.name === `Spot ${n}`)) n++;
    course.spots.push({ id: freeId('spot', course.spots), name: `Spot ${n}`, east: Math.round(east * 10) / 10, south: Math.round(south * 10) / 10 });
  });
}

export function setSpot(id: string, recipe: (spot: Course['spots'][number]) => void): void {
  amend((course) => {
    const spot = course.spots.find((s) => s.id === id);
    if (spot) recipe(spot);
  });
}

export function removeSpot(id: string): void {
  amend((course) => void (course.spots = course.spots.filter((s) => s.id !== id)));
}

/** Elevation of a place on the ground that is seen, metres; null while there is none. */
export function elevationAt(east: number, south: number): number | null {
  const { picture } = get();
  return picture ? heightAt(picture, east, south) + picture.ground.datum : null;
}

let seen: Record<string, number> = {};
settled.add((course) => {
  const now: Record<string, number> = {};
  for (const spot of course.spots) now[spot.id] = elevationAt(spot.east, spot.south) ?? NaN;
  const moved = Object.keys(now).some((id) => seen[id] !== undefined && Math.abs(seen[id] - now[id]) > 1e-6);
  if (moved || Object.keys(get().spotsBefore).length === 0) set({ spotsBefore: seen });
  seen = now;
});

// The section's line.

export function setSection(from: Place, to: Place): void {
  amend((course) => void (course.section = { from, to }));
}

/** The section's line, or one across the middle while none was drawn. */
export function sectionOf(course: Course): NonNullable<Course['section']> {
  const { width, depth } = course.ground;
  return course.section ?? { from: { east: width * 0.08, south: depth * 0.5 }, to: { east: width * 0.92, south: depth * 0.5 } };
}

interface Place {
  east: number;
  south: number;
}

/** The same line over a ground of another size, so that it crosses it as it crosses the terrain's; and a place of that ground on the terrain's. */
export function sectionOver(course: Course, { width, depth }: Ground) {
  const { from, to } = sectionOf(course);
  const [x, y] = [width / course.ground.width, depth / course.ground.depth];
  const over = ({ east, south }: Place) => ({ east: east * x, south: south * y });
  return { from: over(from), to: over(to), back: ({ east, south }: Place) => ({ east: east / x, south: south / y }) };
}

/** Keeps what was chosen in a room that writes files, with the terrain. */
export function keepChosen(part: NonNullable<Course['chosen']>): void {
  amend((course) => void (course.chosen = { ...course.chosen, ...part }));
}

// Views that are kept.

export function keepView(place: CameraPlace): void {
  amend((course) => {
    let n = course.cameras.length + 1;
    while (course.cameras.some((c) => c.name === `View ${n}`)) n++;
    course.cameras.push({ id: freeId('view', course.cameras), name: `View ${n}`, ...place });
  });
}

export function nameView(id: string, name: string): void {
  amend((course) => {
    const view = course.cameras.find((c) => c.id === id);
    if (view) view.name = name.slice(0, 80);
  });
}

export const removeView = (id: string): void => amend((course) => void (course.cameras = course.cameras.filter((c) => c.id !== id)));
