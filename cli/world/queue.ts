import { createHash } from 'node:crypto';
import { resolve } from 'node:path';
import { sentenceOf, UplandError, type World, type WorldTile } from '@upland-cast/core';
import type { JobsOptions } from 'bullmq';
import type { Redis } from 'ioredis';

export const QUEUE = 'upland-cast-world';
/** The longest wait for an answer, milliseconds. */
export const PATIENCE = 8_000;

export const wait = (milliseconds: number) => new Promise<void>((done) => setTimeout(done, milliseconds));
/** The same, for what is not worth a process going on. */
export const patience = (milliseconds: number) => new Promise<void>((done) => setTimeout(done, milliseconds).unref());

/** What a worker is asked for: the whole ground first, a tile, or that the world is put together. */
export type WorldWork = { folder: string; key: string } & ({ kind: 'base' } | { kind: 'tile'; tile: WorldTile } | { kind: 'finish' });

/** A job as it lies in the queue. */
export interface WorldJob {
  name: WorldWork['kind'];
  data: WorldWork;
  opts: JobsOptions & { jobId: string };
}

/** The jobs of a world in a folder. The same piece of the same world is one job, whoever asks for it. */
export class WorldJobs {
  /** What the ids of its jobs begin with. */
  readonly own: string;
  private readonly place: { folder: string; key: string };

  constructor(folder: string, { key }: Pick<World, 'key'>) {
    this.place = { folder: resolve(folder), key };
    this.own = createHash('sha256')
      .update(`${key} ${resolve(folder)}`)
      .digest('hex')
      .slice(0, 24);
  }

  readonly base = (): WorldJob => this.job({ ...this.place, kind: 'base' }, 'base');
  readonly tile = (tile: WorldTile): WorldJob => this.job({ ...this.place, kind: 'tile', tile }, `${tile.row}-${tile.column}`);
  readonly finish = (): WorldJob => this.job({ ...this.place, kind: 'finish' }, 'finish');

  private job(data: WorldWork, id: string): WorldJob {
    return {
      name: data.kind,
      data,
      opts: { attempts: 4, backoff: { type: 'exponential', delay: 500 }, removeOnComplete: true, removeOnFail: 50, jobId: `${this.own}-${id}` },
    };
  }
}

/** A connection to Redis; refuses within seconds where nothing answers. */
export async function connect(url: string): Promise<Redis> {
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

/** How jobs that were put in stand. */
export interface Standing {
  /** How far the job that was asked for is, 0 to 1; null where it is not in the queue. */
  progress: number | null;
}

interface Asked {
  /** Jobs that are missing. */
  jobs: readonly WorldJob[];
  /** The job that waits for all of them, where there is one. */
  then?: WorldJob;
  /** The job whose progress is told. */
  about: WorldJob;
  /** What failed before is forgotten, rather than said. */
  forget: boolean;
}

/**
 * Puts jobs into the queue, each once, and the one that waits for them as their parent (a flow); refuses with what went wrong where one of this
 * world has failed for good.
 */
export async function putIn(url: string, own: string, { jobs, then, about, forget }: Asked): Promise<Standing> {
  const { FlowProducer, Queue } = await import('bullmq');
  const connection = await connect(url);
  const queue = new Queue<WorldWork>(QUEUE, { connection });
  const flows = new FlowProducer({ connection });
  queue.on('error', () => undefined);
  flows.on('error', () => undefined);
  try {
    const failed = (await queue.getFailed()).filter(({ id }) => id?.startsWith(own));
    for (const job of failed) await job.remove();
    if (failed.length > 0 && !forget) throw new UplandError('world-job', failed[0].failedReason);
    // What waits for tiles stands already: only those that went missing are put back.
    if (then && jobs.length > 0 && !(await queue.getJob(then.opts.jobId)))
      await flows.add({ ...then, queueName: QUEUE, children: jobs.map((job) => ({ ...job, queueName: QUEUE })) });
    else await queue.addBulk([...jobs]);
    const job = await queue.getJob(about.opts.jobId);
    return { progress: job ? Number(job.progress) || 0 : null };
  } finally {
    await Promise.race([Promise.all([queue.close(), flows.close()]).catch(() => undefined), patience(1000)]);
    connection.disconnect();
  }
}
