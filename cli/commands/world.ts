import { Command, InvalidArgumentError } from 'commander';
import {
  beginWorld,
  finishWorld,
  isBased,
  MAPS,
  mapSchema,
  noteOf,
  openWorld,
  receivers,
  rollCourse,
  UplandError,
  worldOrderFor,
  type Course,
  type FinishedWorld,
  type MapSpec,
  type Receiver,
  type WorldOrder,
  type WorldStore,
} from '@upland-cast/core';
import { nodeKernels } from '../node-kernels';
import { oneOf, parseRange, parseWhole } from '../options';
import { progressOn, report } from '../report';
import { terrainCalled } from '../terrain';
import { folderStore } from '../world/folder';
import { missingTiles, runByQueue, runHere, type Telling } from '../world/runners';
import { serveQueue } from '../world/worker';

interface Options {
  samples: number;
  tile: number;
  base?: number;
  weather: 'samples' | 'base';
  as?: 'tif' | 'png' | 'raw';
  receiver?: string;
  shared?: boolean;
  names?: string;
  cloud?: boolean;
  map: MapSpec[];
  meshes?: number;
  at?: { longitude: number; latitude: number };
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
    .option(
      '--weather <where>',
      'samples: rivers, rain, scree and snow go on from there to the world’s own samples; base: what they did there is laid over the tiles, which is faster',
      oneOf('samples', 'base'),
      'samples',
    )
    .option('--receiver <id>', 'tiles as this receiver takes them: where samples lie, whether neighbours share them, format and type')
    .option('--as <format>', 'the format of the tiles; without it tif, or what the receiver takes', oneOf('tif', 'png', 'raw'))
    .option('--shared', 'neighbours have the samples between them both')
    .option(
      '--names <pattern>',
      'how tiles are called: {name}, {x} and {y} from 0, {column} and {row} from 1, {south} from 0 in the south; {x:3} has three digits',
    )
    .option('--cloud', 'cloud-optimised TIFF: tiles of 512 with overviews, packed')
    .option(
      '--map <kind>',
      'a map of every tile too, such as slope, normal, flow, colour, weights, water-mask, layer:cut, mask:STEP; again for another',
      parseMapKind,
      [],
    )
    .option('--meshes <n>', 'meshes of every tile with a vertex on every nth sample (1, 2, 4, 8), in levels, and 3D Tiles over them', parseWhole)
    .option('--at <lon,lat>', 'where on the Earth the middle of the meshes lies, degrees on WGS 84', parsePlace)
    .option('--depth <bits>', '16 or 32f; without it floats, and 16 bits for png', oneOf('16', '32f'))
    .option('--out-range <lo:hi>', 'metres that the ends of codes stand for, the same for all tiles', parseRange)
    .option('--roll <n>', 'another ground of the same kind: every seed drawn anew by this number', parseWhole, 0)
    .option('--queue <url>', 'have it worked out by workers, over a Redis at this address; also UPLAND_QUEUE')
    .option('--resume', 'go on with the world that was begun in the folder')
    .option('--threads <n>', 'threads of this process; the bytes are the same with any number', parseWhole)
    .option('--json', 'print JSON')
    .action(workOutWorld);
}

async function workOutWorld(terrain: string, folder: string, options: Options): Promise<void> {
  const { course: own, assets } = await terrainCalled(terrain);
  const course = rollCourse(own, options.roll);
  const store = folderStore(folder);
  const world = await beginWorld(store, { course, assets }, orderOf(options, course), options.resume ?? false);
  const signal = stopByHand();
  const tell: Telling = (what, done, all, share = done / all) =>
    progressOn(what === 'base' ? 'The whole ground' : what === 'finish' ? 'Looked over' : `Tiles ${done} of ${all}`)(share);
  const queue = options.queue ?? process.env.UPLAND_QUEUE;
  const began = Date.now();
  let found: FinishedWorld | null = null;
  try {
    if (queue) found = await runByQueue(queue, folder, store, world, signal, tell);
    else await withThreads(options.threads, (kernels) => runHere(store, world, kernels, signal, tell));
  } catch (error) {
    if (!signal.aborted) throw error;
    const left = (await missingTiles(store, world)).length;
    process.stderr.write(`Stopped: ${world.tiles.length - left} of ${world.tiles.length} tiles are done. Go on by --resume.\n`);
    process.exitCode = 1;
    return;
  }
  found ??= await finishWorld(store, world, progressOn('Looked over'));
  const { across, down } = world.ground;
  const seams = found.seams ? ` Steps across the borders of tiles are ${found.seams.ratio.toFixed(3)} times those beside them.` : '';
  report(
    options.json,
    { folder, width: across, height: down, key: world.key, seconds: (Date.now() - began) / 1000, ...found },
    `${folder}: ${world.name}, ${across} × ${down} in ${found.tiles} tiles, ${found.lowest.toFixed(2)} to ${found.highest.toFixed(2)} m.${seams}`,
  );
}

/** What a world is asked for. */
function orderOf({ as, depth, outRange: range, meshes, at, map: maps, ...rest }: Options, course: Course): WorldOrder {
  if (at && meshes === undefined) throw new UplandError('world-meshes', '--at says where meshes lie, and none are asked for: add --meshes.');
  const { samples, tile, base, weather, shared, names, cloud } = rest;
  return worldOrderFor(course, {
    samples,
    tile,
    base,
    weather,
    shared,
    names,
    cloud,
    maps,
    range,
    receiver: rest.receiver === undefined ? undefined : receiverCalled(rest.receiver),
    format: as && TILES_OF[as],
    type: depth && ({ '16': 'u16', '32f': 'f32' } as const)[depth],
    meshes: meshes === undefined ? null : { every: everyOf(meshes), at: at ?? null },
  });
}

const TILES_OF = { tif: 'tiff', png: 'png', raw: 'raw' } as const;

function everyOf(samples: number): 1 | 2 | 4 | 8 {
  if (samples === 1 || samples === 2 || samples === 4 || samples === 8) return samples;
  throw new UplandError('world-meshes', `Meshes have a vertex on every sample, or on every 2nd, 4th or 8th, and not on every ${samples}th.`);
}

function receiverCalled(id: string): Receiver {
  const found = receivers.find((receiver) => receiver.id === id);
  if (!found) throw new UplandError('receiver', `There is no receiver “${id}”. There are ${receivers.map((r) => r.id).join(', ')}.`);
  return found;
}

/** `slope`, `normal`, `layer:cut`, `mask:STEP`, with `:8`, `:16` or `:32f` behind it where the map has a depth. */
function parseMapKind(text: string, before: MapSpec[]): MapSpec[] {
  const words = text.split(':');
  const depth = words.length > 1 && /^(8|16|32f)$/.test(words.at(-1)!) ? words.pop() : undefined;
  const kind = words[0].replaceAll('-', ' ');
  const of = words.at(1);
  const spec = mapSchema.safeParse({
    kind,
    ...(kind === 'layer' && of ? { layer: of } : {}),
    ...(kind === 'mask' && of ? { use: of } : {}),
    ...(kind.startsWith('water') ? { of: of ?? 'all' } : {}),
    ...(depth ? { depth } : {}),
  });
  if (!spec.success) throw new InvalidArgumentError(`There is no map “${text}”. There are ${Object.keys(MAPS).join(', ')}.`);
  return [...before, spec.data];
}

function parsePlace(text: string): { longitude: number; latitude: number } {
  const [longitude, latitude] = text.split(',').map(Number);
  if (!(Math.abs(longitude) <= 180 && Math.abs(latitude) <= 90))
    throw new InvalidArgumentError('A place is two numbers, such as 9.5,47.2: longitude and latitude in degrees.');
  return { longitude, latitude };
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
