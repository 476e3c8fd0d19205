import { strToU8, zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { sha256 } from '../field/hash';
import { tileToBytes, TILE } from '../index';
import { groundKey } from './ground-key';
import { readProject, writeProject } from './project';
import { makeCourse, stepUse, type StepUse } from './schema';

const ground = groundOf(65, 65, 16);

const courseOf = (...stem: StepUse[]) => makeCourse('Test moor', ground, stem);

describe('a project file', () => {
  const tile = tileToBytes(new Float32Array(TILE * TILE).fill(2));
  const project = async () => {
    const sha = await sha256(tile);
    const course = courseOf(stepUse('sculpt', { samples: { across: 65, down: 65, registration: 'point' }, tiles: { '0,0': sha }, strokes: 1 }, { id: 'h' }));
    return { course, assets: new Map([[sha, tile]]) };
  };

  it('holds the course and its assets, and gives the same bytes twice', async () => {
    const bytes = writeProject(await project());
    expect(writeProject(await project())).toEqual(bytes);
    const back = await readProject(bytes);
    expect(back.course).toEqual((await project()).course);
    expect([...back.assets.values()][0]).toEqual(tile);
  });

  it('holds the marks, and what only they read', async () => {
    const { course, assets } = await project();
    const mark = { name: 'Before', at: 5, course };
    const now = courseOf(stepUse('flat', {}, { id: 'f' }));
    const bytes = writeProject({ course: now, marks: [mark], assets });
    const back = await readProject(bytes);
    expect(back.marks).toEqual([mark]);
    expect([...back.assets.keys()]).toEqual([...assets.keys()]);
    expect(() => writeProject({ course: now, marks: [mark], assets: new Map() })).toThrow(/incomplete/);
    const json = strToU8(JSON.stringify(now));
    for (const marks of ['{', '[{"name": 5}]', JSON.stringify([{ name: 'x', at: 1, course: { version: 99, format: 'upland-cast course' } }])]) {
      await expect(readProject(zipSync({ 'course.json': json, 'marks.json': strToU8(marks) }) as Uint8Array<ArrayBuffer>)).rejects.toThrow(/\.$/);
    }
  });

  it('takes the worked ground along, bit for bit, for its own course alone', async () => {
    const course = courseOf(stepUse('noise', {}, { id: 'n' }));
    const height = Float32Array.from({ length: 65 * 65 }, (_, i) => Math.fround(Math.sin(i) * 1e3));
    const worked = { key: await groundKey(course), height };
    const back = await readProject(writeProject({ course, assets: new Map(), worked }));
    expect(back.worked).toEqual(worked);
    // The words of a course are no part of its ground; a number is, and so is where the sea stands.
    expect(await groundKey({ ...course, name: 'Another' })).toBe(worked.key);
    for (const other of [courseOf(stepUse('noise', { height: 7 }, { id: 'n' })), { ...course, ground: { ...ground, sea: 5 } }]) {
      expect((await readProject(writeProject({ course: other, assets: new Map(), worked }))).worked).toBeUndefined();
    }
    const hole = height.slice();
    hole[7] = NaN;
    expect((await readProject(writeProject({ course, assets: new Map(), worked: { ...worked, height: hole } }))).worked).toBeUndefined();
    expect(() => writeProject({ course, assets: new Map(), worked: { ...worked, height: hole.slice(1) } })).toThrow(/samples of its course/);
    const files = { 'course.json': strToU8(JSON.stringify(course)), [`worked/${worked.key}`]: new Uint8Array(4 * 65 * 65 + 1) };
    await expect(readProject(zipSync(files) as Uint8Array<ArrayBuffer>)).rejects.toThrow(/unpack to far more/);
  });

  it('is refused when something in it is missing, altered or no ZIP', async () => {
    const { course, assets } = await project();
    expect(() => writeProject({ course, assets: new Map() })).toThrow(/incomplete/);
    const json = strToU8(JSON.stringify(course));
    const zip = (files: Record<string, Uint8Array>) => zipSync(files) as Uint8Array<ArrayBuffer>;
    await expect(readProject(zip({ 'course.json': json }))).rejects.toThrow(/is missing/);
    await expect(readProject(zip({ 'course.json': json, [`assets/${[...assets.keys()][0]}`]: strToU8('other') }))).rejects.toThrow(/not what it was/);
    await expect(readProject(zip({ 'course.json': strToU8('{') }))).rejects.toThrow(/not JSON/);
    await expect(readProject(zip({ 'readme.txt': strToU8('hi') }))).rejects.toThrow(/no course.json/);
    await expect(readProject(strToU8('nothing') as Uint8Array<ArrayBuffer>)).rejects.toThrow(/ZIP/);
    const bytes = writeProject(await project());
    for (let i = 0; i < 40; i++) {
      const damaged = bytes.slice(0, i % 2 ? bytes.length : Math.floor((bytes.length * i) / 40));
      if (damaged.length) damaged[(i * 97) % damaged.length] ^= 0x55;
      await readProject(damaged).catch((error) => expect(error.message).toMatch(/\.$/));
    }
  });
});
