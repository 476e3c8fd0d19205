import { finishWorld, openWorld, sentenceOf, TileWorker, UplandError, workWorldBase, type Kernels } from '@upland-cast/core';
import { folderStore } from './folder';
import { connect, patience, QUEUE, wait, type WorldWork } from './queue';

/** A worker that is not heard of for so long has ended: its job goes to another. */
const LOCK = Number(process.env.UPLAND_LOCK_SECONDS ?? 30) * 1000;
/** How often a queue that went away is looked for, milliseconds; and how often it is told how far work is. */
const LOOK = 400;
const TELL = 1_000;

type Process = (work: WorldWork, tell: (share: number) => void) => Promise<void>;

/** Takes jobs from a queue until it is told to end; the job in hand is finished first. */
export async function serveQueue(url: string, kernels: Kernels, signal: AbortSignal, say: (words: string) => void): Promise<void> {
  const worlds = new Map<string, TileWorker>();
  const process: Process = async (work, tell) => {
    const { folder, key } = work;
    const store = folderStore(folder);
    if (work.kind === 'base') return workWorldBase(store, { kernels, onProgress: tell });
    const world = async () => {
      const found = await openWorld(store);
      if (found.key !== key) throw new UplandError('world-changed', `The world in ${folder} is another one than the job is of.`);
      return found;
    };
    if (work.kind === 'finish') {
      await finishWorld(store, await world(), tell);
      return say(`${folder}: put together`);
    }
    // One terrain may be worked out in two folders.
    const place = `${key} ${folder}`;
    let tiles = worlds.get(place);
    if (!tiles) {
      const found = await world();
      // One world is held at a time.
      worlds.clear();
      worlds.set(place, (tiles = new TileWorker(store, found, { kernels })));
    }
    await tiles.work(work.tile);
    say(`${folder}: tile ${work.tile.row}, ${work.tile.column}`);
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
async function serveOnce(url: string, process: Process, signal: AbortSignal, say: (words: string) => void): Promise<void> {
  const { Worker } = await import('bullmq');
  const connection = await connect(url);
  const worker = new Worker<WorldWork>(
    QUEUE,
    (job) => {
      let told = 0;
      return process(job.data, (share) => {
        if (Date.now() - told < TELL) return;
        told = Date.now();
        void job.updateProgress(share).catch(() => undefined);
      });
    },
    { connection, concurrency: 1, lockDuration: LOCK, stalledInterval: Math.min(LOCK, 5_000), maxStalledCount: 100 },
  );
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
