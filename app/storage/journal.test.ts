import { enablePatches, produceWithPatches } from 'immer';
import { describe, expect, it, vi } from 'vitest';
import { makeCourse, makeGround, stepUse, type Course } from '@upland-cast/core';
import type { Change, JournalRow } from './db';

vi.mock('./db', () => ({ db: {} }));
const { after, replayed } = await import('./journal');
enablePatches();

const course = makeCourse('Fell', makeGround({ width: 64, depth: 64, across: 9, down: 9 }), [stepUse('noise', {}, { id: 'n' })]);
const changed = (from: Course, recipe: (c: Course) => void, gesture?: string): [Course, Change] => {
  const [next, forward, back] = produceWithPatches(from, recipe);
  return [next, { forward, back, label: 'x', gesture }];
};
const rename = (name: string) => (c: Course) => void (c.name = name);
const begun = { course, past: [], future: [] };
const row = (base: number, ...entries: JournalRow['entries']): JournalRow => ({ terrain: 'a', base, at: 1, entries });

describe('the journal beside a course', () => {
  it('brings back what was done, with what can be undone and redone', () => {
    const [one, first] = changed(course, rename('One'));
    const [, second] = changed(one, rename('Two'));
    const working = replayed(begun, 5, [
      row(5, { kind: 'change', change: first, joined: false }, { kind: 'change', change: second, joined: false }),
      row(5, { kind: 'undo' }, { kind: 'undo' }, { kind: 'redo' }),
    ]);
    expect(working).toMatchObject({ played: 5, lost: 0, course: { name: 'One' } });
    expect([working.past.length, working.future.length]).toEqual([1, 1]);
    expect(after(working, { kind: 'redo' }).course.name).toBe('Two');
  });

  it('changes of one gesture are undone together', () => {
    const [one, first] = changed(course, rename('O'), 'typing');
    const [, second] = changed(one, rename('One'), 'typing');
    const working = replayed(begun, 5, [row(5, { kind: 'change', change: first, joined: false }, { kind: 'change', change: second, joined: true })]);
    expect(working.past.length).toBe(1);
    expect(after(working, { kind: 'undo' }).course.name).toBe('Fell');
  });

  it('passes over what is part of a later save, and stops where it does not go together, counting what is lost', () => {
    const [, first] = changed(course, rename('One'));
    const torn: Change = { forward: [{ op: 'replace', path: ['stem', 7, 'params', 'x'], value: 1 }], back: [], label: 'x' };
    const rows = [
      row(4, { kind: 'change', change: first, joined: false }),
      row(5, { kind: 'change', change: torn, joined: false }, { kind: 'change', change: first, joined: false }),
    ];
    expect(replayed(begun, 5, rows)).toMatchObject({ played: 0, lost: 2, course: { name: 'Fell' } });
    expect(replayed(begun, 6, rows)).toMatchObject({ played: 0, lost: 0 });
  });
});
