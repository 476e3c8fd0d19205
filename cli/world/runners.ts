import { createHash } from 'node:crypto';
import { resolve } from 'node:path';
import {
  isBased,
  isNoted,
  openWorld,
  sentenceOf,
  throwIfStopped,
  TileWorker,
  UplandError,
  workWorldBase,
  type Kernels,
  type World,
  type WorldStore,
  type WorldTile,
} from '@upland-cast/core';
import type { Redis } from 'ioredis';
import { folderStore } from './folder';

/** How far a world is. */
export type Telling = (what: 'base' | 'tiles', done: number, all: number) => void;

/** Tiles that are not done yet. */
export async function missingTiles(store: WorldStore, world: World): Promise<WorldTile[]> {
  const missing: WorldTile[] = [];
  for (const tile of world.tiles) if (!(await isNoted(store, world, tile))) missing.push(tile);
  return missing;
}

/** Works a world out in this process: the whole ground first, then tile after tile. */
export async function runHere(store: WorldStore, world: World, kernels: Kernels, signal: AbortSignal, tell: Telling): Promise<void> {
  if (world.based) await workWorldBase(store, { kernels, signal, onProgress: (share) => tell('base', share, 1) });
  const worker = new TileWorker(store, world, { kernels, signal });
  let done = 0;
  for (const tile of world.tiles) {
    // A tile whose file was altered is worked out anew: it has a note, and is not what that says.
    await worker.work(tile);
    tell('tiles', ++done, world.tiles.length);
  }
}

const QUEUE = 'upland-cast-world';
/** How often it is looked at what has been done, milliseconds; and how often jobs that went missing are put back. */
const LOOK = 400;
const PUT_BACK = 5_000;
const PATIENCE = 8_000;
/** A queue that went away is waited for so long. */
const LONGEST_SILENCE = 30 * 60_000;
/** A worker that is not heard of for so long has ended: its job goes to another. */
const LOCK = Number(process.env.UPLAND_LOCK_SECONDS ?? 30) * 1000;

const wait = (milliseconds: number) => new Promise<void>((done) => setTimeout(done, milliseconds));
/** The same, for what is not worth a process going on. */
const patience = (milliseconds: number) => new Promise<void>((done) => setTimeout(done, milliseconds).unref());

interface Job {
  folder: string;
  key: string;
  tile: WorldTile | null;
}

/** A connection to Redis; refuses within seconds where nothing answers. */
async function connect(url: string): Promise<Redis> {
  const { Redis } = await import('ioredis');
  // Where it goes away it is begun anew: commands that were on their way may never be answered.
  const connection = new Redis(url, { maxRetriesPerRequest: null, lazyConnect: true, connectTimeout: PATIENCE, retryStrategy: () => null });
  connection.on('error', () => undefined);
  const late = patience(PATIENCE).then(() => Promise.reject(new Error('nothing was heard of it.')));
  late.catch(() => undefined);
  try {
    await Promise.race([connection.connect().then(() => connection.ping()), late]);
    return connection;
  } catch (error) {
    connection.disconnect();
    throw new UplandError('queue', `The queue at ${url} does not answer: ${sentenceOf(error)} Is Redis running there?`);
  }
}

/** Puts jobs into the queue, each once; refuses with what went wrong where one of this world has failed for good. */
async function putIn(url: string, own: string, jobs: readonly { name: string; data: Job; opts: { jobId: string } }[]): Promise<void> {
  const { Queue } = await import('bullmq');
  const connection = await connect(url);
  const queue = new Queue<Job>(QUEUE, { connection });
  queue.on('error', () => undefined);
  try {
    const failed = (await queue.getFailed()).filter(({ id }) => id?.startsWith(own));
    for (const job of failed) await job.remove();
    if (failed.length > 0) throw new UplandError('world-job', failed[0].failedReason);
    await queue.addBulk([...jobs]);
  } finally {
    await Promise.race([queue.close().catch(() => undefined), patience(1000)]);
    connection.disconnect();
  }
}

/**
 * Has a world worked out by workers that take their jobs from a queue. What is done is known by the notes in the folder, so that a queue that
 * loses its jobs is filled again, and nothing that has been kept is done twice.
 */
export async function runByQueue(url: string, folder: string, store: WorldStore, world: World, signal: AbortSignal, tell: Telling): Promise<void> {
  const own = createHash('sha256')
    .update(`${world.key} ${resolve(folder)}`)
    .digest('hex')
    .slice(0, 24);
  const options = { attempts: 4, backoff: { type: 'exponential', delay: 500 }, removeOnComplete: true, removeOnFail: 50 } as const;
  const job = (tile: WorldTile | null) => ({
    name: tile ? 'tile' : 'base',
    data: { folder: resolve(folder), key: world.key, tile },
    // The same tile of the same world is one job, whoever asks for it.
    opts: { ...options, jobId: tile ? `${own}-${tile.row}-${tile.column}` : `${own}-base` },
  });
  // Where it does not answer to begin with, that is said at once.
  let began = false;
  /** Puts jobs in, and back in, until nothing is missing. */
  const until = async (jobs: () => Promise<ReturnType<typeof job>[]>) => {
    let last = -Infinity;
    let heard = began ? Date.now() : -Infinity;
    for (;;) {
      throwIfStopped(signal);
      const missing = await jobs();
      if (missing.length === 0) return;
      if (Date.now() - last > PUT_BACK) {
        try {
          const put = putIn(url, own, missing);
          // It may fail when it is not waited for any more.
          put.catch(() => undefined);
          await Promise.race([put, patience(2 * PATIENCE)]);
          heard = Date.now();
        } catch (error) {
          // A queue that went away is waited for: what is done is kept meanwhile.
          if (!(error instanceof UplandError && error.code === 'queue') || Date.now() - heard > LONGEST_SILENCE) throw error;
        }
        began = true;
        last = Date.now();
      }
      await wait(LOOK);
    }
  };
  if (world.based) await until(async () => ((await isBased(store, world)) ? [] : [job(null)]));
  await until(async () => {
    const missing = await missingTiles(store, world);
    tell('tiles', world.tiles.length - missing.length, world.tiles.length);
    return missing.map(job);
  });
}

/** Takes jobs from a queue until it is told to end; the job in hand is finished first. */
export async function serveQueue(url: string, kernels: Kernels, signal: AbortSignal, say: (words: string) => void): Promise<void> {
  const worlds = new Map<string, TileWorker>();
  const process = async ({ folder, key, tile }: Job): Promise<void> => {
    const store = folderStore(folder);
    if (!tile) return workWorldBase(store, { kernels });
    // One terrain may be worked out in two folders.
    const place = `${key} ${folder}`;
    let tiles = worlds.get(place);
    if (!tiles) {
      const world = await openWorld(store);
      if (world.key !== key) throw new UplandError('world-changed', `The world in ${folder} is another one than the job is of.`);
      // One world is held at a time.
      worlds.clear();
      worlds.set(place, (tiles = new TileWorker(store, world, { kernels })));
    }
    await tiles.work(tile);
    say(`${folder}: tile ${tile.row}, ${tile.column}`);
  };
  let heard = false;
  while (!signal.aborted) {
    try {
      await serveOnce(url, process, signal, say);
      heard = true;
    } catch (error) {
      if (!heard) throw error;
    }
    if (!signal.aborted) await wait(LOOK);
  }
}

/** Takes jobs for as long as the queue is there. */
async function serveOnce(url: string, process: (job: Job) => Promise<void>, signal: AbortSignal, say: (words: string) => void): Promise<void> {
  const { Worker } = await import('bullmq');
  const connection = await connect(url);
  const worker = new Worker<Job>(QUEUE, ({ data }) => process(data), {
    connection,
    concurrency: 1,
    lockDuration: LOCK,
    stalledInterval: Math.min(LOCK, 5_000),
    maxStalledCount: 100,
  });
  worker.on('error', () => undefined);
  worker.on('failed', (_, error) => say(sentenceOf(error)));
  const gone = await new Promise<boolean>((done) => {
    connection.once('close', () => done(true));
    if (signal.aborted) done(false);
    signal.addEventListener('abort', () => done(false), { once: true });
  });
  if (gone) say('The queue went away. It is waited for.');
  // What is in hand is finished where its end can be told.
  await (gone ? Promise.race([worker.close(true).catch(() => undefined), patience(1000)]) : worker.close());
  connection.disconnect();
}
