import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCourse, makeGround, stepUse, worldOrderFor, writeProject } from '@upland-cast/core';
import { all, begin, fileOf, folderOf, look, remove, resume, statusOf, stop } from './service';
import type { WorldStatus } from './status';

const course = makeCourse('Fell', makeGround({ width: 2048, depth: 2048, across: 65, down: 65, registration: 'point', sea: 20 }), [
  stepUse('noise', { feature: 600, octaves: 5, height: 150 }),
  stepUse('fluvial', { amount: 400 }),
]);
const project = () => writeProject({ course, assets: new Map() });
const order = (samples: number, tile = 64) => JSON.stringify(worldOrderFor(course, { samples, tile, base: 65 }));

let root: string;
beforeAll(() => {
  root = mkdtempSync(join(tmpdir(), 'worlds-'));
  process.env.UPLAND_WORLDS = join(root, 'deep', 'worlds');
});
afterAll(() => {
  delete process.env.UPLAND_WORLDS;
  rmSync(root, { recursive: true, force: true });
});

const until = async (id: string, there: (status: WorldStatus) => boolean): Promise<WorldStatus> => {
  for (const end = Date.now() + 60_000; Date.now() < end;) {
    const status = await statusOf(id);
    if (there(status)) return status;
    await new Promise((done) => setTimeout(done, 10));
  }
  throw new Error('It took too long.');
};

describe('worlds on the server', () => {
  it('are worked out in folders of their own, can be seen tile by tile, stopped and gone on with', async () => {
    expect((await all()).worlds).toEqual([]);
    const id = await begin(project(), order(513), false);
    expect(id).toMatch(/^fell-513-[0-9a-f]{8}$/);
    await expect(begin(project(), order(257), false)).rejects.toThrow(/is being worked out here/);
    const some = await until(id, ({ done }) => done.includes('1'));
    expect(some).toMatchObject({ state: 'running', across: 513, tile: 64, based: true, baseDone: true });
    await stop(id);
    const stopped = await statusOf(id);
    expect(stopped.state).toBe('stopped');
    expect(stopped.done).toMatch(/^1+0+$/);
    // What there is of it can be looked at.
    const heights = async () =>
      new Float32Array((await look({ kind: 'heights', folder: folderOf(id), left: 0, top: 0, across: 129, down: 129, stride: 4 })).bytes.buffer);
    const part = await heights();
    expect(Number.isNaN(part[0])).toBe(false);
    expect(Number.isNaN(part.at(-1)!)).toBe(true);
    await resume(id, false);
    const finished = await until(id, ({ state }) => state === 'finished');
    expect(finished.done).toMatch(/^1{64}$/);
    expect(finished.seams).toBeLessThan(1.1);
    expect(finished.files).toContain('world.vrt');
    const [low, high] = [finished.range!.low, finished.range!.high];
    expect((await heights()).every((h) => h >= low - 1e-3 && h <= high + 1e-3)).toBe(true);
    // The same once more is the one that is there, and is over at once.
    expect(await begin(project(), order(513), false)).toBe(id);
    await until(id, ({ state }) => state === 'finished');
    expect((await all()).worlds.map((world) => world.id)).toEqual([id]);
    const picture = await look({ kind: 'tile', folder: folderOf(id), z: 1, x: 1, y: 0, range: { low, high } });
    expect([...picture.bytes.subarray(1, 4)].map((code) => String.fromCharCode(code)).join('')).toBe('PNG');
    await expect(look({ kind: 'tile', folder: folderOf(id), z: 9, x: 0, y: 0, range: { low, high } })).rejects.toThrow(/no tile/);
    expect((await fileOf(id, 'docket.json')).headers.get('Content-Type')).toBe('application/json');
    await remove(id);
    expect((await all()).worlds).toEqual([]);
    await expect(statusOf(id)).rejects.toThrow(/no world/);
  });

  it('say what they cannot be', async () => {
    await expect(begin(project(), '{', false)).rejects.toThrow(/not JSON/);
    await expect(begin(project(), '{"samples":4}', false)).rejects.toThrow(/cannot be carried out/);
    await expect(begin(new Uint8Array(40), order(257), false)).rejects.toThrow(/not a project file/);
    await expect(begin(project(), order(257), true)).rejects.toThrow(/knows no queue/);
    const vast = JSON.stringify({ ...(JSON.parse(order(131_073, 8192)) as object), maps: Array.from({ length: 24 }, () => ({ kind: 'slope' })) });
    await expect(begin(project(), vast, false)).rejects.toThrow(/are free on the server/);
    for (const id of ['..', '../x', 'a/../../b', '', 'A', 'nobody']) await expect(statusOf(id)).rejects.toThrow(/no world/);
    await expect(resume('nobody', false)).rejects.toThrow(/no world/);
    const id = await begin(project(), order(129), false);
    await until(id, ({ state }) => state === 'finished');
    for (const name of ['../../secret', 'work/base.json', 'tiles/../work/base.json', 'tiles/none.tif', '/etc/passwd'])
      await expect(fileOf(id, name)).rejects.toThrow(/no such file/);
  });

  it('that failed say why, and can be gone on with', async () => {
    const faulty = { ...course, stem: [...course.stem, stepUse('join', { tributary: 'nobody' })] };
    const id = await begin(writeProject({ course: faulty, assets: new Map() }), order(129), false);
    const failed = await until(id, ({ state }) => state !== 'running');
    expect(failed).toMatchObject({ state: 'failed', sentence: expect.stringMatching(/cannot be done/) as string });
  });
});
