import {
  discardNote,
  finishedIn,
  isBased,
  isNoted,
  noteOf,
  projectOf,
  squaresOf,
  throwIfStopped,
  TileWorker,
  UplandError,
  workWorldBase,
  type FinishedWorld,
  type Kernels,
  type World,
  type WorldStore,
  type WorldTile,
} from '@upland-cast/core';
import { patience, PATIENCE, putIn, wait, WorldJobs, type Standing } from './queue';

/** How far a world is: so many of all are done. `share`: of the work, where some of it is not counted in those. */
export type Telling = (what: 'base' | 'tiles' | 'finish', done: number, all: number, share?: number) => void;

/** Tiles that are not done yet. */
export async function missingTiles(store: WorldStore, world: World): Promise<WorldTile[]> {
  const missing: WorldTile[] = [];
  for (const tile of world.tiles) if (!(await isNoted(store, world, tile))) missing.push(tile);
  return missing;
}

/** Works a world out in this process: the whole ground first, then tile after tile. */
export async function runHere(store: WorldStore, world: World, kernels: Kernels, signal: AbortSignal, tell: Telling): Promise<void> {
  if (world.based) await workWorldBase(store, { kernels, signal, onProgress: (share) => tell('base', share, 1) });
  const all = squaresOf(world, (await projectOf(store)).course);
  let [done, squares] = [0, 0];
  // A step's weather over a square takes about as long as the tiles over it, and most of it is done before the first of these.
  const say = () => {
    const weather = all.squares > 0 ? all.steps * Math.min(1, squares / all.squares) : 0;
    tell('tiles', done, world.tiles.length, (weather + done / world.tiles.length) / (all.steps + 1));
  };
  const worker = new TileWorker(store, world, {
    kernels,
    signal,
    onSquare: () => {
      squares++;
      say();
    },
  });
  say();
  for (const tile of world.tiles) {
    // A tile whose file was altered is worked out anew: it has a note, and is not what that says.
    await worker.work(tile);
    done++;
    say();
  }
}

/** How often it is looked at what has been done, milliseconds; and how often jobs that went missing are put back. */
const LOOK = 400;
const PUT_BACK = 5_000;
/** A queue that went away is waited for so long. */
const LONGEST_SILENCE = 30 * 60_000;

/**
 * Has a world worked out by workers that take their jobs from a queue, and put together by one of them. What is done is known by the notes in
 * the folder, so that a queue that loses its jobs is filled again, and nothing that has been kept is done twice. Resolves to what came of it;
 * null where it is still to be put together.
 */
export async function runByQueue(
  url: string,
  folder: string,
  store: WorldStore,
  world: World,
  signal: AbortSignal,
  tell: Telling,
): Promise<FinishedWorld | null> {
  const jobs = new WorldJobs(folder, world);
  // A tile whose file was altered has a note, and is not what that says.
  for (const tile of world.tiles) if ((await isNoted(store, world, tile)) && !(await noteOf(store, world, tile))) await discardNote(store, tile);
  const contact = new Contact(url, jobs.own);
  if (world.based) {
    while (!(await isBased(store, world))) {
      throwIfStopped(signal);
      const standing = await contact.ask({ jobs: [jobs.base()], about: jobs.base() });
      if (standing?.progress) tell('base', standing.progress, 1);
      await wait(LOOK);
    }
  }
  const begun = await missingTiles(store, world);
  if (begun.length === 0) return null;
  for (;;) {
    throwIfStopped(signal);
    const missing = await missingTiles(store, world);
    tell('tiles', world.tiles.length - missing.length, world.tiles.length);
    const standing = await contact.ask({ jobs: missing.map(jobs.tile), then: jobs.finish(), about: jobs.finish() });
    if (missing.length === 0) {
      const finished = await finishedIn(store, world);
      if (finished) return finished;
      // Nobody puts it together: whoever asked for it does.
      if (standing?.progress === null) return null;
      if (standing?.progress) tell('finish', standing.progress, 1);
    }
    await wait(LOOK);
  }
}

/** What is asked of the queue now and then, and how long that has been silent. */
class Contact {
  private last = -Infinity;
  private heard = -Infinity;
  private first = true;

  constructor(
    private readonly url: string,
    private readonly own: string,
  ) {}

  /** Puts jobs in, every few seconds; between times, and while the queue is away, null. Where it does not answer to begin with, that is said at once. */
  async ask(asked: Omit<Parameters<typeof putIn>[2], 'forget'>): Promise<Standing | null> {
    // What is only asked after is asked after more often.
    if (Date.now() - this.last <= (asked.jobs.length > 0 ? PUT_BACK : 3 * LOOK)) return null;
    let standing: Standing | null = null;
    try {
      const put = putIn(this.url, this.own, { ...asked, forget: this.first });
      // It may fail when it is not waited for any more.
      put.catch(() => undefined);
      standing = (await Promise.race([put, patience(2 * PATIENCE)])) ?? null;
      this.heard = Date.now();
    } catch (error) {
      // A queue that went away is waited for: what is done is kept meanwhile.
      if (!(error instanceof UplandError && error.code === 'queue') || Date.now() - this.heard > LONGEST_SILENCE) throw error;
    }
    this.first = false;
    this.last = Date.now();
    return standing;
  }
}
