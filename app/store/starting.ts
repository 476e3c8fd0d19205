import { KERNEL_VERSION } from '@upland-cast/core';
import { engine } from '../engine/client';
import { db } from '../storage/db';

let turn: Promise<unknown> = Promise.resolve();

/** The picture of a starting course: kept in this browser, worked out when it is not there or the kernels have changed. */
export function startingPicture(id: string): Promise<Blob | null> {
  const mine = turn.then(async () => {
    const key = `starting:${id}:${KERNEL_VERSION}`;
    const kept = await db.settings.get(key).catch(() => undefined);
    if (kept?.value instanceof Blob) return kept.value;
    const blob = await engine().startingPicture(id);
    if (blob) await db.settings.put({ key, value: blob }).catch(() => undefined);
    return blob;
  });
  turn = mine.catch(() => undefined);
  return mine;
}
