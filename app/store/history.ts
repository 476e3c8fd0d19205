import { allUses, findUse, type Course } from '@upland-cast/core';
import { applyPatches, enablePatches, produceWithPatches } from 'immer';
import type { Reached } from '../engine/api';
import type { Change } from '../storage/db';
import { kept } from '../storage/histories';
import { workOut, reachedEarly } from './evaluation';
import { forget, saving } from './persistence';
import { useTerrain } from './state';

const { getState: get, setState: set } = useTerrain;

enablePatches();

/**
 * Changes the course. Changes of one gesture (a drag, a word being typed) are undone together.
 */
export function change(label: string, recipe: (course: Course) => void, gesture?: string, { work = workOut, atOnce = false } = {}): void {
  const { course, readOnly, past } = get();
  if (!course || readOnly) return;
  const [next, forward, back] = produceWithPatches(course, recipe);
  if (forward.length === 0) return;
  const last = past[past.length - 1];
  const joined = gesture && last?.gesture === gesture;
  const own: Change = { forward, back, label, gesture };
  const entry: Change = joined ? { ...last, forward: [...last.forward, ...forward], back: [...back, ...last.back] } : own;
  const all = [...(joined ? past.slice(0, -1) : past), entry];
  const remembered = kept(all, next);
  forget(all.slice(0, all.length - remembered.length), get().future);
  set({ course: next, past: remembered, future: [] });
  keepSelection();
  work();
  saving.note({ kind: 'change', change: own, joined: Boolean(joined) }, atOnce);
}

/** Ends a gesture: the next change of the same kind is undone by itself. */
export function endGesture(): void {
  const { past } = get();
  const last = past[past.length - 1];
  if (last?.gesture) set({ past: [...past.slice(0, -1), { ...last, gesture: undefined }] });
}

export function undo(): void {
  const { course, past, future, readOnly } = get();
  const last = past[past.length - 1];
  if (!course || !last || readOnly) return;
  set({ course: applyPatches(course, last.back), past: past.slice(0, -1), future: [...future, { ...last, gesture: undefined }] });
  keepSelection();
  workOut();
  saving.note({ kind: 'undo' });
}

export function redo(): void {
  const { course, past, future, readOnly } = get();
  const next = future[future.length - 1];
  if (!course || !next || readOnly) return;
  set({ course: applyPatches(course, next.forward), past: [...past, next], future: future.slice(0, -1) });
  keepSelection();
  workOut();
  saving.note({ kind: 'redo' });
}

function keepSelection(): void {
  const { course, selected, standing } = get();
  if (!course) return;
  const known = (id: string) => allUses(course).some((use) => use.id === id) || course.tributaries.some((t) => t.id === id);
  if (selected && !known(selected)) set({ selected: course.stem[course.stem.length - 1]?.id ?? null });
  if (standing && !known(standing)) set({ standing: null });
}

/** A whole other course: a past save, a mark, or one brought in. Undone like any change; rolls that there are stay. */
export function replaceCourse(next: Course, label: string): void {
  change(label, (course) => {
    const rolls = { ...next.rolls, ...course.rolls };
    const wholeRolls = [...course.wholeRolls, ...next.wholeRolls.filter(({ number }) => !course.wholeRolls.some((roll) => roll.number === number))];
    for (const key of Object.keys(course) as (keyof Course)[]) delete (course as Record<string, unknown>)[key];
    Object.assign(course, next, { rolls, wholeRolls: wholeRolls.slice(0, 200) });
  });
}

/** Changes the course without a place in undo: for what is kept beside the work, such as rolls. */
export function amend(recipe: (course: Course) => void): void {
  const { course, readOnly } = get();
  if (!course || readOnly) return;
  const [next, forward] = produceWithPatches(course, recipe);
  if (forward.length === 0) return;
  set({ course: next });
  saving.note({ kind: 'amend', forward });
}

/** A step that was ended early keeps where it ended among its settings. */
function keepReached(reached: Reached[]): void {
  change('Stop and keep', (course) => {
    for (const { use, params } of reached) Object.assign(findUse(course, use)?.use.params ?? {}, params);
  });
}

reachedEarly.add(keepReached);
