import { statfs } from 'node:fs/promises';
import { join } from 'node:path';
import {
  beginWorld,
  finishWorld,
  openWorld,
  planOfOrder,
  readProject,
  safeName,
  UplandError,
  worldCost,
  worldOrderSchema,
  type Kernels,
  type World,
  type WorldStore,
} from '@upland-cast/core';
import { readOrder } from '../run/read-order';
import { folderStore } from '../../cli/world/folder';
import { runByQueue, runHere, type Telling } from '../../cli/world/runners';

/** What a thread is given to do: to begin a world, or to go on with one that is there. */
export type WorldTask =
  | { kind: 'begin'; root: string; project: Uint8Array<ArrayBuffer>; order: string; queue: string | null }
  | { kind: 'resume'; root: string; id: string; queue: string | null };

/** What it says of it. */
export type WorldSaid =
  | { kind: 'begun'; id: string }
  | { kind: 'progress'; what: 'base' | 'tiles' | 'finish'; done: number; all: number; share: number }
  | { kind: 'end' }
  | { kind: 'fault'; code: string; sentence: string };

/** Begins a world or goes on with it, until it is finished, or stopped: what is done stays done. */
export async function workOnWorld(task: WorldTask, kernels: Kernels, signal: AbortSignal, send: (said: WorldSaid) => void): Promise<void> {
  const { id, folder, store, world } = task.kind === 'begin' ? await begin(task) : await resume(task.root, task.id);
  send({ kind: 'begun', id });
  const tell: Telling = (what, done, all, share = done / all) => send({ kind: 'progress', what, done, all, share });
  try {
    const finished = task.queue ? await runByQueue(task.queue, folder, store, world, signal, tell) : await runHere(store, world, kernels, signal, tell);
    if (!finished) await finishWorld(store, world, (share) => tell('finish', share, 1));
  } catch (error) {
    if (!signal.aborted) throw error;
  }
  send({ kind: 'end' });
}

interface Opened {
  id: string;
  folder: string;
  store: WorldStore;
  world: World;
}

async function begin({ root, project, order: text }: Extract<WorldTask, { kind: 'begin' }>): Promise<Opened> {
  const { course, assets } = await readProject(project);
  const order = readOrder(worldOrderSchema, text);
  const { bytes, whileMade } = worldCost(course, order);
  await refuseWithoutRoom(root, bytes + whileMade);
  // One that is asked for once more is the one that is there.
  const { key } = (await planOfOrder(course, order)).plan;
  const id = `${safeName(course.name)}-${order.samples}-${key.slice(0, 8)}`;
  const folder = join(root, id);
  const store = folderStore(folder);
  const world = await beginWorld(store, { course, assets }, order, true);
  return { id, folder, store, world };
}

async function resume(root: string, id: string): Promise<Opened> {
  const folder = join(root, id);
  const store = folderStore(folder);
  return { id, folder, store, world: await openWorld(store) };
}

/** Bytes that are free in a folder, or in the nearest one above it that is there. */
export async function roomIn(folder: string): Promise<number> {
  for (let at = folder; ; at = join(at, '..')) {
    try {
      const { bavail, bsize } = await statfs(at);
      return bavail * bsize;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT' || at === join(at, '..')) throw error;
    }
  }
}

async function refuseWithoutRoom(root: string, bytes: number): Promise<void> {
  const room = await roomIn(root);
  if (bytes <= room) return;
  const gib = (n: number) => `${(n / 2 ** 30).toFixed(n < 10 * 2 ** 30 ? 1 : 0)} GiB`;
  throw new UplandError('world-room', `This world takes some ${gib(bytes)}, and ${gib(room)} are free on the server. Take fewer samples, maps or meshes.`);
}
