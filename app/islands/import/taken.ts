import { makeCourse, makeTributary, stepUse, type Course, type Ground, type StepUse } from '@upland-cast/core';
import { db } from '../../storage/db';

/** What the sheet hands over: the ground, the steps that make it, and the files they read. */
export interface Taken {
  name: string;
  ground: Ground;
  assets: Course['assets'];
  steps: StepUse[];
  handles: Record<string, FileSystemFileHandle>;
}

/** A new terrain of what was taken in. */
export function courseOf({ name, ground, assets, steps }: Taken): Course {
  return { ...makeCourse(name, ground, steps), assets };
}

/** Puts what was taken in beside a course: a tributary of its own, joined at the stem's end in place of what is there. */
export function joinInto(course: Course, { name, assets, steps }: Taken): string {
  Object.assign(course.assets, assets);
  const line = makeTributary(name.slice(0, 80), steps);
  course.tributaries.push(line);
  const join = stepUse('join', { tributary: line.id }, { join: 'replace', name: name.slice(0, 80) });
  course.stem.push(join);
  return join.id;
}

/** Remembers the way back to the files, where the browser gave one. */
export async function keepHandles(handles: Taken['handles']): Promise<void> {
  for (const [sha, handle] of Object.entries(handles)) await db.handles.put({ sha, handle }).catch(() => undefined);
}
