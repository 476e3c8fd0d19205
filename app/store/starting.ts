import { KERNEL_VERSION, sha256OfText, startingCourse } from '@upland-cast/core';
import { engine } from '../engine/client';
import { db } from '../storage/db';

let turn: Promise<unknown> = Promise.resolve();

/** The picture of a starting course: kept in this browser, worked out when it is not there or the kernels have changed. */
export function startingPicture(id: string): Promise<Blob | null> {
  const mine = turn.then(async () => {
    const key = `starting:day:${id}:${KERNEL_VERSION}:${await versionOf(id)}`;
    const kept = await db.settings.get(key).catch(() => undefined);
    if (kept?.value instanceof Blob) return kept.value;
    const blob = await engine().startingPicture(id);
    if (blob) await db.settings.put({ key, value: blob }).catch(() => undefined);
    return blob;
  });
  turn = mine.catch(() => undefined);
  return mine;
}

/** What a starting course is made of: where that changes, its picture does. */
async function versionOf(id: string): Promise<string> {
  const course = startingCourse(id)?.make();
  const made =
    course &&
    [course.ground, course.stem, ...course.tributaries.map((t) => t.steps)].map((part) =>
      Array.isArray(part) ? part.map((use) => [use.step, use.params, use.join]) : part,
    );
  return (await sha256OfText(JSON.stringify(made))).slice(0, 12);
}
