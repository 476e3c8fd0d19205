import { spawn, type ChildProcess } from 'node:child_process';
import { createHash } from 'node:crypto';
import { connect } from 'node:net';
import { existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startingCourse } from '@upland-cast/core';
import { withSamples } from '../../core/field/ground';
import { freePort } from '../helpers/application';
import { gdalSamples, run, scratch, uplandCast, uplandJson } from '../helpers/outside';

const { path, done: clear } = scratch();
const CLI = 'cli/bin/upland-cast.mjs';
const TERRAIN = path('downland.json');
const ORDER = ['--samples', '769', '--tile', '64', '--base', '513', '--json'];
const TILES = 144;
const REDIS = 'redis-server';

/** The bytes of all tiles of a world, by name. */
function tilesIn(folder: string): Record<string, string> {
  // What a killed worker had begun lies beside under a name of its own.
  const names = readdirSync(`${folder}/tiles`)
    .filter((name) => !name.endsWith('.part'))
    .sort();
  return Object.fromEntries(
    names.map((name) => [
      name,
      createHash('sha256')
        .update(readFileSync(`${folder}/tiles/${name}`))
        .digest('hex'),
    ]),
  );
}

/** Whether something takes connections at a port. */
const answers = (port: number) =>
  new Promise<boolean>((resolve) => {
    const socket = connect(port, '127.0.0.1', () => {
      socket.destroy();
      resolve(true);
    }).on('error', () => resolve(false));
  });

/** A Redis of Debian on a free port, without anything kept on disk. */
class TestRedis {
  private process?: ChildProcess;
  constructor(readonly port: number) {}

  async start(): Promise<void> {
    const own = spawn(REDIS, ['--port', String(this.port), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no', '--loglevel', 'warning'], {
      stdio: 'ignore',
    });
    this.process = own;
    for (let tries = 0; tries < 100; tries++) {
      if (await answers(this.port)) return;
      await new Promise((done) => setTimeout(done, 50));
    }
    throw new Error('Redis did not start.');
  }

  /** Ended by its process. */
  stop(): Promise<void> {
    const { process: own } = this;
    if (!own || own.exitCode !== null) return Promise.resolve();
    return new Promise((done) => {
      own.once('exit', () => done());
      own.kill('SIGKILL');
    });
  }

  get url(): string {
    return `redis://127.0.0.1:${this.port}`;
  }
}

const workers: ChildProcess[] = [];
function beginWorker(url: string): ChildProcess {
  const worker = spawn(process.execPath, [CLI, 'worker', '--queue', url, '--threads', '1'], {
    stdio: 'ignore',
    env: { ...process.env, UPLAND_LOCK_SECONDS: '2' },
  });
  workers.push(worker);
  return worker;
}

/** The command that has the world made, and what it says when it is over. */
function coordinator(folder: string, url: string, ...more: string[]): Promise<{ status: number | null; out: string; words: string }> {
  const child = spawn(process.execPath, [CLI, 'world', TERRAIN, folder, ...ORDER, '--queue', url, ...more], { stdio: ['ignore', 'pipe', 'pipe'] });
  let out = '';
  let words = '';
  child.stdout.on('data', (bytes: Buffer) => (out += String(bytes)));
  child.stderr.on('data', (bytes: Buffer) => (words += String(bytes)));
  return new Promise((done) => child.once('exit', (status) => done({ status, out, words })));
}

const until = async (there: () => boolean, patience = 120_000) => {
  for (const end = Date.now() + patience; Date.now() < end && !there();) await new Promise((done) => setTimeout(done, 30));
  expect(there()).toBe(true);
};
const doneIn = (folder: string): number => {
  try {
    return readdirSync(`${folder}/work`).filter((name) => /^r\d+-c\d+\.json$/.test(name)).length;
  } catch {
    return 0;
  }
};

describe('a world by the command', () => {
  let redis: TestRedis;
  let embedded: Record<string, string>;
  beforeAll(async () => {
    const course = startingCourse('downland')!.make();
    writeFileSync(TERRAIN, JSON.stringify({ ...course, ground: withSamples(course.ground, 385, 385) }));
    redis = new TestRedis(await freePort());
    await redis.start();
    uplandJson('world', TERRAIN, path('here'), ...ORDER.slice(0, -1));
    embedded = tilesIn(path('here'));
  });
  afterAll(async () => {
    for (const worker of workers) worker.kill('SIGKILL');
    await redis.stop();
    clear();
  });

  it('is one raster to GDAL, in its place, and is the ground that is worked out in one piece', () => {
    expect(Object.keys(embedded).length).toBe(TILES);
    const info = JSON.parse(run('gdalinfo', ['-json', path('here/world.vrt')])) as {
      size: number[];
      cornerCoordinates: { upperLeft: number[]; lowerRight: number[] };
    };
    expect(info.size).toEqual([769, 769]);
    // Samples lie on the edge: the raster reaches half a cell beyond it.
    const half = 8192 / 768 / 2;
    expect(info.cornerCoordinates.upperLeft[0]).toBeCloseTo(-half, 3);
    expect(info.cornerCoordinates.lowerRight[0]).toBeCloseTo(8192 + half, 3);
    run('gdal_translate', ['-q', path('here/world.vrt'), path('laid.tif')]);
    uplandJson('run', TERRAIN, path('whole.tif'), '--samples', '769', '--sampling', 'worked');
    const { rmse } = uplandJson('compare', path('laid.tif'), path('whole.tif')) as { rmse: number };
    const { lowest, highest, seams } = JSON.parse(readFileSync(path('here/docket.json'), 'utf8')) as {
      lowest: number;
      highest: number;
      seams: { ratio: number };
    };
    console.log(
      `measured: downland at 769 in tiles of 64: ${((100 * rmse) / (highest - lowest)).toFixed(2)} % of the range from the same in one piece; seams ${seams.ratio.toFixed(3)}`,
    );
    expect(rmse / (highest - lowest)).toBeLessThan(0.005);
    expect(seams.ratio).toBeLessThan(1.02);
    expect(uplandJson('world-status', path('here'), '--check')).toMatchObject({ done: TILES, tiles: TILES, finished: true });
  });

  it('has the same bytes from one worker, from two, and when they are killed in the middle of tiles', async () => {
    const one = coordinator(path('one'), redis.url);
    const first = beginWorker(redis.url);
    expect((await one).status).toBe(0);
    expect(tilesIn(path('one'))).toEqual(embedded);

    const folder = path('two');
    const two = coordinator(folder, redis.url);
    let other = beginWorker(redis.url);
    const kept = new Map<string, number>();
    for (let kill = 1; kill <= 5; kill++) {
      await until(() => doneIn(folder) >= kill * 12);
      other.kill('SIGKILL');
      for (const note of readdirSync(`${folder}/work`).filter((name) => /^r\d+-c\d+\.json$/.test(name))) {
        const name = note.replace('.json', '.tif');
        if (!kept.has(name)) kept.set(name, statSync(`${folder}/tiles/${name}`).mtimeMs);
      }
      other = beginWorker(redis.url);
    }
    const { status, words } = await two;
    expect(status, words).toBe(0);
    // A tile that was kept was not worked out again by anybody.
    for (const [name, at] of kept) expect(statSync(`${folder}/tiles/${name}`).mtimeMs, name).toBe(at);
    first.kill('SIGKILL');
    other.kill('SIGKILL');
    expect(tilesIn(folder)).toEqual(embedded);
  });

  it('goes on when the queue is stopped and started again without what it held', async () => {
    const folder = path('lost');
    const made = coordinator(folder, redis.url);
    const worker = beginWorker(redis.url);
    await until(() => doneIn(folder) >= 20);
    await redis.stop();
    const kept = doneIn(folder);
    await new Promise((done) => setTimeout(done, 1500));
    await redis.start();
    const { status, words } = await made;
    expect(status, words).toBe(0);
    expect(kept).toBeGreaterThanOrEqual(20);
    expect(tilesIn(folder)).toEqual(embedded);
    worker.kill('SIGKILL');
  });

  it('is put together by the workers where who asked for it is gone', async () => {
    const folder = path('left');
    const child = spawn(process.execPath, [CLI, 'world', TERRAIN, folder, ...ORDER, '--queue', redis.url], { stdio: 'ignore' });
    const worker = beginWorker(redis.url);
    await until(() => doneIn(folder) >= 10);
    child.kill('SIGKILL');
    await until(() => existsSync(`${folder}/docket.json`));
    expect(doneIn(folder)).toBe(TILES);
    expect(tilesIn(folder)).toEqual(embedded);
    worker.kill('SIGKILL');
    // Asked for once more, it is there; with a tile that was altered, it is mended by a worker.
    const other = beginWorker(redis.url);
    const tile = `${folder}/tiles/r001-c002.tif`;
    const bytes = readFileSync(tile);
    bytes[bytes.length - 5] ^= 8;
    writeFileSync(tile, bytes);
    expect((await coordinator(folder, redis.url, '--resume')).status).toBe(0);
    expect(tilesIn(folder)).toEqual(embedded);
    other.kill('SIGKILL');
  });

  it('has maps, overviews, meshes and tiles as a receiver takes them, and GDAL reads the overviews', () => {
    const folder = path('rich');
    const cost = ['--samples', '513', '--tile', '128', '--base', '385'];
    uplandJson(
      'world',
      TERRAIN,
      folder,
      ...cost,
      '--cloud',
      '--map',
      'slope:8',
      '--map',
      'layer:cut',
      '--map',
      'water-mask',
      '--meshes',
      '1',
      '--at',
      '9.5,47.2',
    );
    const info = JSON.parse(run('gdalinfo', ['-json', `${folder}/world.vrt`])) as { bands: { overviews: { size: number[] }[] }[] };
    expect(info.bands[0].overviews.map(({ size }) => size)).toEqual([[257, 257]]);
    expect(readdirSync(`${folder}/maps`).length).toBe(16 * 3);
    // What GDAL makes of the slope of a tile's middle is what its map says.
    run('gdal_translate', ['-q', `${folder}/world.vrt`, path('rich.tif')]);
    run('gdaldem', ['slope', '-q', path('rich.tif'), path('rich-slope.tif')]);
    run('gdal_translate', ['-q', '-srcwin', '128', '256', '128', '128', path('rich-slope.tif'), path('tile-slope.tif')]);
    const theirs = gdalSamples(path('tile-slope.tif'));
    const ours = gdalSamples(`${folder}/maps/r002-c001-slope.png`);
    expect(ours.every((code, i) => Math.abs((code * 90) / 255 - theirs[i]) < 0.2)).toBe(true);
    const { root } = JSON.parse(readFileSync(`${folder}/meshes/tileset.json`, 'utf8')) as { root: { transform: number[]; children: unknown[] } };
    expect([Math.round(root.transform[12] / 1000), root.children.length]).toEqual([4282, 4]);
    // A receiver that wants samples on edges: neighbours share them.
    const game = path('game');
    uplandJson('world', TERRAIN, game, ...cost, '--receiver', 'power-of-two-plus-one', '--out-range', '0:400', '--names', '{name}_x{x}_y{y}');
    const named = readdirSync(`${game}/tiles`);
    expect([named.length, named[0]]).toEqual([16, 'downland_x0_y0.png']);
    expect(uplandJson('inspect', `${game}/tiles/${named[0]}`)).toMatchObject({ width: 129, bits: 16 });
    expect((JSON.parse(readFileSync(`${game}/docket.json`, 'utf8')) as { seams: { apart: number } }).seams.apart).toBe(0);
    for (const [more, words] of [
      [['--map', 'nothing'], /There is no map/],
      [['--meshes', '3'], /every 2nd, 4th or 8th/],
      [['--at', '1,2'], /add --meshes/],
      [['--receiver', 'nobody'], /There is no receiver/],
      [['--receiver', 'power-of-two', '--tile', '100'], /not a power of two/],
      [['--names', '{name}'], /several tiles would have one name/],
      [['--as', 'png'], /one range for all of them/],
    ] as const)
      expect(uplandCast('world', TERRAIN, path('never'), '--samples', '513', '--tile', '128', ...more).words).toMatch(words);
  });

  it('says what is wrong: no queue there, a world that was begun, another one on going on, a tile that was altered', () => {
    const none = uplandCast('world', TERRAIN, path('none'), '--samples', '257', '--tile', '64', '--queue', 'redis://127.0.0.1:1');
    expect([none.status, none.words]).toEqual([1, expect.stringContaining('does not answer')]);
    expect(uplandCast('worker').words).toContain('Say where the queue is');
    const again = uplandCast('world', TERRAIN, path('here'), ...ORDER);
    expect([again.status, again.words]).toEqual([1, expect.stringContaining('begun in this folder already')]);
    const changed = uplandCast('world', TERRAIN, path('here'), '--samples', '770', '--tile', '64', '--base', '385', '--resume');
    expect([changed.status, changed.words]).toEqual([1, expect.stringContaining('another world in this folder')]);
    const tile = path('here/tiles/r003-c004.tif');
    const bytes = readFileSync(tile);
    bytes[bytes.length - 9] ^= 16;
    writeFileSync(tile, bytes);
    expect(uplandJson('world-status', path('here'), '--check')).toMatchObject({ done: TILES - 1 });
    expect(uplandCast('world', TERRAIN, path('here'), ...ORDER, '--resume').status).toBe(0);
    expect(tilesIn(path('here'))).toEqual(embedded);
    expect(uplandCast('world-status', path('nowhere')).words).toContain('no world in this folder');
    expect(uplandCast('world', TERRAIN, path('x'), '--samples', '999999').words).toContain('131073');
  });
});
