import { courseWithSeeds, type Compared, type Comparison, type Course } from '@upland-cast/core';
import type { SideSource } from '../engine/api';
import { db } from '../storage/db';
import { marksOf } from './keeping';
import { amend } from './history';
import { useTerrain } from './state';

const { getState: get } = useTerrain;

/** What is compared where nothing was chosen yet: the ground now with what the last step found. */
export function comparisonOf(course: Course): Comparison {
  if (course.comparison) return course.comparison;
  const before = course.stem.filter((use) => use.on).at(-2);
  return { name: '', a: before ? { kind: 'step', id: before.id } : { kind: 'now' }, b: { kind: 'now' }, laid: 'usual' };
}

/** Files that were chosen as a side in this tab, by name. */
const files = new Map<string, Uint8Array<ArrayBuffer>>();

export function setComparison(part: Partial<Comparison>): void {
  amend((course) => {
    course.comparison = { ...comparisonOf(course), ...part };
  });
}

export const exchangeSides = (): void => {
  const { course } = get();
  if (!course) return;
  const { a, b } = comparisonOf(course);
  setComparison({ a: b, b: a });
};

/** Goes to the Compare room with two sides. */
export function compareWith(a: Compared, b: Compared = { kind: 'now' }): void {
  setComparison({ a, b, laid: 'usual' });
  location.hash = '#compare';
}

/** Compares a step with what it found. */
export function compareStep(id: string): void {
  const { course } = get();
  if (!course) return;
  const line = [course.stem, ...course.tributaries.map(({ steps }) => steps)].find((steps) => steps.some((use) => use.id === id));
  const at = line?.findIndex((use) => use.id === id) ?? -1;
  const before = line
    ?.slice(0, at)
    .filter((use) => use.on)
    .at(-1);
  compareWith(before ? { kind: 'step', id: before.id } : { kind: 'step', id }, { kind: 'step', id });
}

export async function takeSideFile(side: 'a' | 'b', file: File): Promise<void> {
  files.set(file.name, new Uint8Array(await file.arrayBuffer()));
  setComparison({ [side]: { kind: 'file', name: file.name } });
}

/** Goes to the Compare room with a file beside the ground now. */
export async function compareFile(file: File): Promise<void> {
  await takeSideFile('b', file);
  setComparison({ a: { kind: 'now' } });
  location.hash = '#compare';
}

export function keepComparison(name: string): void {
  amend((course) => {
    course.comparisons = [...course.comparisons.filter((one) => one.name !== name), { ...comparisonOf(course), name }].slice(-100);
  });
}

export const removeComparison = (name: string): void => amend((course) => void (course.comparisons = course.comparisons.filter((one) => one.name !== name)));

/** Where a side's ground comes from; a sentence where it is not there any more. */
export async function sourceOf(side: Compared, course: Course, terrain: string): Promise<SideSource | string> {
  switch (side.kind) {
    case 'now':
      return { kind: 'course', course };
    case 'step':
      return { kind: 'step', course, id: side.id };
    case 'tributary': {
      const last = course.tributaries
        .find(({ id }) => id === side.id)
        ?.steps.filter((use) => use.on)
        .at(-1);
      return last ? { kind: 'step', course, id: last.id } : 'That tributary is not there any more, or has no step.';
    }
    case 'roll': {
      const roll = course.wholeRolls.find(({ number }) => number === side.number);
      return roll ? { kind: 'course', course: courseWithSeeds(course, roll.seeds) } : 'That roll is not kept any more.';
    }
    case 'mark': {
      const mark = (await marksOf(terrain)).find(({ id }) => id === side.id);
      return mark ? { kind: 'course', course: mark.course } : 'That mark is not there any more.';
    }
    case 'save': {
      const save = await db.saves
        .where('terrain')
        .equals(terrain)
        .filter(({ at }) => at === side.at)
        .first();
      return save ? { kind: 'course', course: save.course } : 'That save is not kept any more.';
    }
    case 'terrain': {
      const row = await db.terrains.get(side.id);
      return row ? { kind: 'course', course: row.course } : 'That terrain is not in this browser any more.';
    }
    case 'file': {
      const bytes = files.get(side.name);
      return bytes
        ? { kind: 'file', name: side.name, bytes, scale: side.scale ?? 1, lift: side.lift ?? 0 }
        : `The file ${side.name} was chosen in another visit: choose it again.`;
    }
  }
}
