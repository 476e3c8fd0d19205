import { createReadStream } from 'node:fs';
import { readdir, rm, stat } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { Readable } from 'node:stream';
import { Worker } from 'node:worker_threads';
import { inlineKernels, manifestIn, rangeOfBase, sentenceOf, spacingOf, tileNote, UplandError, worldTiles, type WorldManifest } from '@upland-cast/core';
import { folderStore } from '../../cli/world/folder';
import { Desk } from '../server/desk';
import { lookAtWorld, type LookTask } from './look';
import type { WorldStatus, WorldsThere } from './status';
import { roomIn, workOnWorld, type WorldSaid, type WorldTask } from './work';

/** The folder that worlds lie in, each in one of its own. */
export const worldsFolder = (): string => process.env.UPLAND_WORLDS ?? join(process.cwd(), 'worlds');
const queueOf = (): string | null => process.env.UPLAND_QUEUE ?? null;

interface Running {
  id: string | null;
  what: WorldStatus['what'];
  /** How much of it is done, 0 to 1. */
  share: number;
  /** When the tiles were begun, and how much was done then. */
  since: number;
  before: number;
  queued: boolean;
  stop(): void;
  ended: Promise<void>;
}

/** One world is worked on at a time. */
let running: Running | null = null;
/** What went wrong with worlds, until they are gone on with. */
const faults = new Map<string, string>();

const ID = /^[a-z0-9][a-z0-9._-]{0,100}$/;

/** The folder of a world. Refuses a name that is none. */
export function folderOf(id: string): string {
  if (!ID.test(id) || id.includes('..')) throw new UplandError('no-world', 'There is no world of that name.');
  return join(worldsFolder(), id);
}

/** Begins a world; resolves to its name as soon as that is settled. */
export const begin = async (project: Uint8Array<ArrayBuffer>, order: string, byQueue: boolean): Promise<string> =>
  start({ kind: 'begin', root: worldsFolder(), project, order, queue: queueFor(byQueue) });

/** Goes on with a world that was stopped. */
export async function resume(id: string, byQueue: boolean): Promise<void> {
  await manifestIn(folderStore(folderOf(id)));
  await start({ kind: 'resume', root: worldsFolder(), id, queue: queueFor(byQueue) });
}

function queueFor(byQueue: boolean): string | null {
  if (!byQueue) return null;
  const queue = queueOf();
  if (!queue) throw new UplandError('queue', 'This server knows no queue. Start it with UPLAND_QUEUE, or work the world out here.');
  return queue;
}

async function start(task: WorldTask): Promise<string> {
  if (running) throw new UplandError('world-busy', `Another world is being worked out here${running.id ? ` (${running.id})` : ''}. Stop it, or wait for it.`);
  return new Promise((resolve, reject) => {
    let end: () => void = () => undefined;
    const own: Running = {
      id: null,
      what: null,
      share: 0,
      since: Date.now(),
      before: 0,
      queued: task.queue !== null,
      stop: () => undefined,
      ended: new Promise((done) => (end = done)),
    };
    running = own;
    const over = () => {
      if (running === own) running = null;
      end();
    };
    const hear = (said: WorldSaid) => {
      if (said.kind === 'begun') {
        own.id = said.id;
        faults.delete(said.id);
        settled.delete(said.id);
        resolve(said.id);
      } else if (said.kind === 'progress') {
        if (said.what === 'tiles' && own.what !== 'tiles') [own.since, own.before] = [Date.now(), said.share];
        [own.what, own.share] = [said.what, said.share];
      } else {
        if (said.kind === 'fault') {
          if (own.id) faults.set(own.id, said.sentence);
          reject(new UplandError(said.code as 'order', said.sentence));
        }
        over();
      }
    };
    own.stop = process.env.UPLAND_WORK ? apart(task, hear, over) : here(task, hear);
  });
}

/** In a thread of its own. Returns what stops it. */
function apart(task: WorldTask, hear: (said: WorldSaid) => void, over: () => void): () => void {
  const worker = new Worker(new URL(process.env.UPLAND_WORK!), { workerData: 'world' });
  let heard = false;
  worker.on('message', (said: WorldSaid) => {
    hear(said);
    heard = said.kind === 'end' || said.kind === 'fault';
    if (heard) void worker.terminate();
  });
  const ended = () => {
    if (!heard)
      hear({
        kind: 'fault',
        code: 'worker',
        sentence: 'The thread that worked the world out ended: it may have needed more memory than there is. Go on with it.',
      });
    heard = true;
    over();
  };
  worker.on('error', (error) => {
    console.error(error);
    ended();
  });
  worker.on('exit', ended);
  worker.postMessage(task, task.kind === 'begin' ? [task.project.buffer] : []);
  return () => worker.postMessage({ kind: 'stop' });
}

/** On this thread, for tests and where there is no script of the worker. */
function here(task: WorldTask, hear: (said: WorldSaid) => void): () => void {
  const stop = new AbortController();
  workOnWorld(task, inlineKernels(), stop.signal, hear).catch((error: unknown) =>
    hear({ kind: 'fault', code: error instanceof UplandError ? error.code : 'unexpected', sentence: sentenceOf(error) }),
  );
  return () => stop.abort();
}

/** Stops a world, and waits until it has stopped. */
export async function stop(id: string): Promise<void> {
  folderOf(id);
  if (running?.id !== id) return;
  running.stop();
  await running.ended;
}

/** Stops a world and takes it away, with all that was written of it. */
export async function remove(id: string): Promise<void> {
  const folder = folderOf(id);
  await manifestIn(folderStore(folder));
  await stop(id);
  await rm(folder, { recursive: true, force: true });
  faults.delete(id);
  settled.delete(id);
}

/** The worlds that lie here, the newest first. */
export async function all(): Promise<WorldsThere> {
  const root = worldsFolder();
  const names = await readdir(root).catch(() => []);
  const worlds: WorldStatus[] = [];
  for (const id of names.filter((name) => ID.test(name))) {
    // What is no world, or not yet, is passed over.
    const own = await statusOf(id).catch(() => null);
    if (own) worlds.push(own);
  }
  return { worlds: worlds.sort((a, b) => b.begun - a.begun), queue: queueOf() !== null, room: await roomIn(root) };
}

/** Worlds that are finished, as they stand, and when that was: they are not read again while nothing is done to them. */
const settled = new Map<string, { at: number; status: WorldStatus }>();

/** How a world stands. */
export async function statusOf(id: string): Promise<WorldStatus> {
  const folder = folderOf(id);
  const at = (await stat(join(folder, 'docket.json')).catch(() => null))?.mtimeMs ?? null;
  const known = settled.get(id);
  if (known && known.at === at && running?.id !== id) return known.status;
  const status = await readStatus(id, folder);
  if (status.state === 'finished' && at !== null) settled.set(id, { at, status });
  return status;
}

async function readStatus(id: string, folder: string): Promise<WorldStatus> {
  const store = folderStore(folder);
  const world = await manifestIn(store);
  const tiles = worldTiles(world.ground, world.tile, world.shared);
  const notes = new Set(await readdir(join(folder, 'work')).catch(() => []));
  const done = tiles.map((tile) => (notes.has(basename(tileNote(tile))) ? '1' : '0')).join('');
  const docket = await docketOf(folder);
  const own = running?.id === id ? running : null;
  const sentence = faults.get(id) ?? null;
  const { across, down, width, depth, sea } = world.ground;
  const edges = (of: number[], end: number) => [...new Set(of), end];
  const range = docket ? { low: docket.lowest, high: docket.highest } : await rangeOfBase(store, world);
  return {
    id,
    name: world.name,
    folder,
    across,
    down,
    width,
    depth,
    spacing: spacingOf(world.ground),
    sea,
    tile: world.tile,
    lefts: edges(
      tiles.map(({ window }) => window.left),
      across,
    ),
    tops: edges(
      tiles.map(({ window }) => window.top),
      down,
    ),
    done,
    based: world.maps.length > 0 || own?.what === 'base' || range !== null,
    baseDone: range !== null,
    state: own ? 'running' : docket && !done.includes('0') ? 'finished' : sentence ? 'failed' : 'stopped',
    what: own?.what ?? null,
    share: own?.share ?? 0,
    left: own && leftOf(own),
    queued: own?.queued ?? false,
    sentence,
    range,
    seams: docket?.seams?.ratio ?? null,
    files: docket ? filesOf(world) : [],
    begun: (await stat(join(folder, 'world.json'))).birthtimeMs,
  };
}

/** Seconds that the tiles and the weather over them are likely to take yet, by what was done since they were begun. */
function leftOf({ what, share, before, since }: Running): number | null {
  if (what !== 'tiles' || share <= before) return null;
  return ((Date.now() - since) / 1000 / (share - before)) * (1 - share);
}

interface Docket {
  lowest: number;
  highest: number;
  seams: { ratio: number } | null;
}

/** The docket of a finished world; null where there is none. */
async function docketOf(folder: string): Promise<Docket | null> {
  const bytes = await folderStore(folder).read('docket.json');
  if (!bytes) return null;
  try {
    return JSON.parse(new TextDecoder().decode(bytes)) as Docket;
  } catch {
    return null;
  }
}

const filesOf = ({ encoding, meshes }: WorldManifest): string[] => [
  'docket.json',
  ...(encoding.format === 'raw' ? [] : ['world.vrt']),
  'overview.tif',
  ...(meshes ? ['meshes/tileset.json'] : []),
];

/** What may be fetched of a world. */
const FILE = /^(docket\.json|world\.json|world\.vrt|overview\.tif|(tiles|maps|pyramid|meshes)(\/[\w.-]+)+)$/;

const TYPES: Record<string, string> = { json: 'application/json', tif: 'image/tiff', png: 'image/png', vrt: 'application/xml', glb: 'model/gltf-binary' };

/** A file of a world, as it lies. */
export async function fileOf(id: string, name: string): Promise<Response> {
  const path = join(folderOf(id), name);
  if (!FILE.test(name) || name.includes('..')) throw new UplandError('no-world', 'There is no such file of a world.');
  const { size } = await stat(path).catch(() => {
    throw new UplandError('no-world', 'There is no such file of this world, or not yet.');
  });
  const type = TYPES[name.slice(name.lastIndexOf('.') + 1)] ?? 'application/octet-stream';
  return new Response(Readable.toWeb(createReadStream(path)) as ReadableStream, {
    headers: { 'Content-Type': type, 'Content-Length': String(size), 'Cache-Control': 'no-store' },
  });
}

/** Milliseconds of a look: the tiles that it reads take most of it. */
const desk = new Desk<LookTask, { bytes: Uint8Array<ArrayBuffer>; type: string }>('look', 'The map of this world', () => 120);

/** Looks at a world in a thread beside the server's own; in place where its script is not there. */
export const look = (task: LookTask) => (process.env.UPLAND_WORK ? desk.ask(task) : lookAtWorld(task));
