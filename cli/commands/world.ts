import { Command } from 'commander';
import { beginWorld, finishWorld, isBased, noteOf, openWorld, rollCourse, UplandError, type Encoding, type Ground, type WorldStore } from '@upland-cast/core';
import { formatById } from '@upland-cast/core';
import { nodeKernels } from '../node-kernels';
import { oneOf, parseRange, parseWhole } from '../options';
import { progressOn, report } from '../report';
import { terrainCalled } from '../terrain';
import { folderStore } from '../world/folder';
import { missingTiles, runByQueue, runHere, serveQueue, type Telling } from '../world/runners';

interface Options {
  samples: number;
  tile: number;
  base?: number;
  as: 'tif' | 'png' | 'raw';
  depth?: '16' | '32f';
  outRange?: { low: number; high: number };
  roll: number;
  queue?: string;
  resume?: boolean;
  threads?: number;
  json?: boolean;
}

/** Ended by hand: what is done stays done. */
function stopByHand(): AbortSignal {
  const stop = new AbortController();
  for (const name of ['SIGINT', 'SIGTERM'] as const) process.once(name, () => stop.abort());
  return stop.signal;
}

export function worldCommand(): Command {
  return new Command('world')
    .description('Works a terrain out at any count of samples, in tiles without seams, on this machine or on several.')
    .argument('<terrain>')
    .argument('<folder>')
    .requiredOption('--samples <n>', 'samples along the longer side, up to 131073', parseWhole)
    .option('--tile <n>', 'samples a side of a tile', parseWhole, 2048)
    .option('--base <n>', 'samples at which the whole ground is worked out first; without it the terrain’s own, or 2049 where those are fewer', parseWhole)
    .option('--as <format>', 'the format of the tiles', oneOf('tif', 'png', 'raw'), 'tif' as const)
    .option('--depth <bits>', '16 or 32f; without it floats, and 16 bits for png', oneOf('16', '32f'))
    .option('--out-range <lo:hi>', 'metres that the ends of codes stand for, the same for all tiles', parseRange)
    .option('--roll <n>', 'another ground of the same kind: every seed drawn anew by this number', parseWhole, 0)
    .option('--queue <url>', 'have it worked out by workers, over a Redis at this address; also UPLAND_QUEUE')
    .option('--resume', 'go on with the world that was begun in the folder')
    .option('--threads <n>', 'threads of this process; the bytes are the same with any number', parseWhole)
    .option('--json', 'print JSON')
    .action(async (terrain: string, folder: string, options: Options) => {
      const { course: own, assets } = await terrainCalled(terrain);
      const course = rollCourse(own, options.roll);
      const store = folderStore(folder);
      const world = await beginWorld(
        store,
        { course, assets },
        { samples: options.samples, tile: options.tile, base: options.base ?? usualBase(course.ground), encoding: encodingOf(options) },
        options.resume ?? false,
      );
      const signal = stopByHand();
      const tell: Telling = (what, done, all) => progressOn(what === 'base' ? 'The whole ground' : `Tiles ${done} of ${all}`)(done / all);
      const queue = options.queue ?? process.env.UPLAND_QUEUE;
      const began = Date.now();
      try {
        if (queue) await runByQueue(queue, folder, store, world, signal, tell);
        else await withThreads(options.threads, (kernels) => runHere(store, world, kernels, signal, tell));
      } catch (error) {
        if (!signal.aborted) throw error;
        const left = (await missingTiles(store, world)).length;
        process.stderr.write(`Stopped: ${world.tiles.length - left} of ${world.tiles.length} tiles are done. Go on by --resume.\n`);
        process.exitCode = 1;
        return;
      }
      const found = await finishWorld(store, world, progressOn('Looked over'));
      const { across, down } = world.ground;
      const seams = found.seams ? ` Steps across the borders of tiles are ${found.seams.ratio.toFixed(3)} times those beside them.` : '';
      report(
        options.json,
        { folder, width: across, height: down, key: world.key, seconds: (Date.now() - began) / 1000, ...found },
        `${folder}: ${world.name}, ${across} × ${down} in ${found.tiles} tiles, ${found.lowest.toFixed(2)} to ${found.highest.toFixed(2)} m.${seams}`,
      );
    });
}

/** Weather on finer grids than these is taken from them. */
const USUAL_BASE = 2049;
const usualBase = ({ across, down }: Ground) => Math.max(across, down, USUAL_BASE);

function encodingOf({ as, depth, outRange }: Options): Encoding {
  const format = as === 'tif' ? 'tiff' : as;
  const type = depth === '16' || (as === 'png' && depth !== '32f') ? 'u16' : 'f32';
  if (!formatById(format).writes.includes(type))
    throw new UplandError('type', `${formatById(format).title} is not written with floats. Leave --depth out, or take another format.`);
  return { format, type, ...(type === 'u16' && outRange ? { range: outRange } : {}) };
}

async function withThreads(threads: number | undefined, work: (kernels: ReturnType<typeof nodeKernels>) => Promise<void>): Promise<void> {
  const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url), threads || undefined);
  try {
    await work(kernels);
  } finally {
    kernels.close();
  }
}

export function workerCommand(): Command {
  return new Command('worker')
    .description('Takes the tiles of worlds from a queue and works them out, until it is ended.')
    .option('--queue <url>', 'the Redis that the jobs are in; also UPLAND_QUEUE')
    .option('--threads <n>', 'threads of this process', parseWhole)
    .action(async ({ queue = process.env.UPLAND_QUEUE, threads }: { queue?: string; threads?: number }) => {
      if (!queue) throw new UplandError('queue', 'Say where the queue is: --queue redis://HOST:PORT, or UPLAND_QUEUE.');
      const signal = stopByHand();
      process.stderr.write(`Takes jobs from ${queue}. Ctrl+C ends it after the tile in hand.\n`);
      await withThreads(threads, (kernels) => serveQueue(queue, kernels, signal, (words) => process.stderr.write(`${words}\n`)));
    });
}

export function worldStatusCommand(): Command {
  return new Command('world-status')
    .description('How far a world in a folder is.')
    .argument('<folder>')
    .option('--check', 'read every tile, and hold it against what was noted of it')
    .option('--json', 'print JSON')
    .action(async (folder: string, { check, json }: { check?: boolean; json?: boolean }) => {
      const store = folderStore(folder);
      const world = await openWorld(store);
      const missing = check ? await unlikeNotes(store, world) : await missingTiles(store, world);
      const based = !world.based || (await isBased(store, world));
      const finished = missing.length === 0 && (await store.read('docket.json')) !== null;
      const done = world.tiles.length - missing.length;
      const { across, down } = world.ground;
      report(
        json,
        { folder, name: world.name, width: across, height: down, tile: world.tile, tiles: world.tiles.length, done, based, finished, key: world.key },
        `${folder}: ${world.name}, ${across} × ${down}, ${done} of ${world.tiles.length} tiles done${based ? '' : ', the whole ground not yet'}${finished ? ', finished' : ''}.`,
      );
    });
}

async function unlikeNotes(store: WorldStore, world: Awaited<ReturnType<typeof openWorld>>) {
  const unlike = [];
  for (const tile of world.tiles) if (!(await noteOf(store, world, tile))) unlike.push(tile);
  return unlike;
}
