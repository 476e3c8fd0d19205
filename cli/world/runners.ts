import { resolve } from 'node:path';
import {
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
/** A worker that is not heard of for so long has ended: its job goes to another. */
const LOCK = Number(process.env.UPLAND_LOCK_SECONDS ?? 30) * 1000;

interface Job {
  folder: string;
  key: string;
  tile: WorldTile | null;
}

/** A connection to Redis; refuses within seconds where nothing answers. */
async function connect(url: string) {
  const { Redis } = await import('ioredis');
  const connection = new Redis(url, { maxRetriesPerRequest: null, lazyConnect: true, retryStrategy: (times) => Math.min(2000, 100 * times) });
  connection.on('error', () => undefined);
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new UplandError('queue', `The queue at ${url} does not answer. Is Redis running there?`)), PATIENCE);
  });
  try {
    await Promise.race([connection.connect().then(() => connection.ping()), late]);
  } catch (error) {
    connection.disconnect();
    throw error instanceof UplandError ? error : new UplandError('queue', `The queue at ${url} does not answer: ${sentenceOf(error)}`);
  } finally {
    clearTimeout(timer);
  }
  return connection;
}

/**
 * Has a world worked out by workers that take their jobs from a queue. What is done is known by the notes in the folder, so that a queue that
 * loses its jobs is filled again, and nothing that has been kept is done twice.
 */
export async function runByQueue(url: string, folder: string, store: WorldStore, world: World, signal: AbortSignal, tell: Telling): Promise<void> {
  const { Queue, QueueEvents } = await import('bullmq');
  const connection = await connect(url);
  const queue = new Queue<Job>(QUEUE, { connection });
  const events = new QueueEvents(QUEUE, { connection: await connect(url) });
  queue.on('error', () => undefined);
  events.on('error', () => undefined);
  const own = world.key.slice(0, 24);
  let fault: string | undefined;
  events.on('failed', ({ jobId, failedReason }) => {
    if (jobId.startsWith(own)) fault = failedReason;
  });
  const options = { attempts: 4, backoff: { type: 'exponential', delay: 500 }, removeOnComplete: true, removeOnFail: true } as const;
  const job = (tile: WorldTile | null) => ({
    name: tile ? 'tile' : 'base',
    data: { folder: resolve(folder), key: world.key, tile },
    // The same tile of the same world is one job, whoever asks for it.
    opts: { ...options, jobId: tile ? `${own}-${tile.row}-${tile.column}` : `${own}-base` },
  });
  /** Puts jobs in, and back in, until nothing is missing. */
  const until = async (jobs: () => Promise<ReturnType<typeof job>[]>) => {
    for (let last = -Infinity; ;) {
      throwIfStopped(signal);
      if (fault) throw new UplandError('queue', fault);
      const missing = await jobs();
      if (missing.length === 0) return;
      if (Date.now() - last > PUT_BACK) {
        last = Date.now();
        await queue.addBulk(missing);
      }
      await new Promise((done) => setTimeout(done, LOOK));
    }
  };
  try {
    if (world.based) await until(async () => ((await store.read('work/base.json')) ? [] : [job(null)]));
    await until(async () => {
      const missing = await missingTiles(store, world);
      tell('tiles', world.tiles.length - missing.length, world.tiles.length);
      return missing.map(job);
    });
  } finally {
    await Promise.allSettled([queue.close(), events.close()]);
    connection.disconnect();
  }
}

/** Takes jobs from a queue until it is told to end; the job in hand is finished first. */
export async function serveQueue(url: string, kernels: Kernels, signal: AbortSignal, say: (words: string) => void): Promise<void> {
  const { Worker } = await import('bullmq');
  const connection = await connect(url);
  const worlds = new Map<string, { store: WorldStore; tiles: TileWorker }>();
  const worker = new Worker<Job>(
    QUEUE,
    async ({ data: { folder, key, tile } }) => {
      const store = folderStore(folder);
      if (!tile) return workWorldBase(store, { kernels });
      let known = worlds.get(key);
      if (!known) {
        const world = await openWorld(store);
        if (world.key !== key) throw new UplandError('world-changed', `The world in ${folder} is another one than the job is of.`);
        worlds.clear();
        worlds.set(key, (known = { store, tiles: new TileWorker(store, world, { kernels }) }));
      }
      await known.tiles.work(tile);
      say(`${folder}: tile ${tile.row}, ${tile.column}`);
    },
    { connection, concurrency: 1, lockDuration: LOCK, stalledInterval: Math.min(LOCK, 5_000), maxStalledCount: 100 },
  );
  worker.on('error', () => undefined);
  worker.on('failed', (_, error) => say(sentenceOf(error)));
  await new Promise<void>((done) => {
    if (signal.aborted) done();
    signal.addEventListener('abort', () => done());
  });
  await worker.close();
  connection.disconnect();
}
