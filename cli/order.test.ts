import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { makeCourse, orderForReceiver, readHeightmap, receivers, stepUse } from '@upland-cast/core';
import { groundOf } from '../tests/helpers/grounds';
import { readBytes, save, scratch, uplandCast, uplandJson } from '../tests/helpers/outside';

const { path, done } = scratch();
afterAll(done);

interface Handed {
  outdir: string;
  files: { name: string; role: string; bytes: number; proved: boolean }[];
}

const receiver = (id: string) => receivers.find((one) => one.id === id)!;

beforeAll(() => {
  expect(existsSync('cli/dist/cli.mjs'), 'the command has to be built').toBe(true);
  const course = makeCourse('Fell', groundOf(65, 65, 16), [stepUse('flat', { level: 120 }), stepUse('noise', { seed: 4, height: 80 })]);
  const heights = { ...orderForReceiver(receiver('power-of-two-plus-one'), course, 65), id: 'a', name: 'Engine' };
  const maps = { ...orderForReceiver(receiver('displacement-metres'), course, 65), id: 'b', name: 'Render', maps: [{ kind: 'normal' }, { kind: 'slope' }] };
  save(path('fell.json'), JSON.stringify({ ...course, orders: [heights, maps] }));
  save(path('bare.json'), JSON.stringify(course));
});

describe('order', () => {
  it('hands on what the kept recipes say, each file proved, the docket with them', async () => {
    const { files } = uplandJson<Handed>('order', path('fell.json'), path('out'));
    const heights = files.filter(({ role }) => role === 'heights');
    expect(heights).toHaveLength(2);
    expect(heights.every(({ proved }) => proved)).toBe(true);
    expect(files.map(({ role }) => role)).toEqual(expect.arrayContaining(['normal', 'map', 'report']));
    expect(readdirSync(path('out')).sort()).toEqual(files.map(({ name }) => name).sort());
    const { samples } = await readHeightmap(readBytes(join(path('out'), heights[0].name)));
    expect(samples).toHaveLength(65 * 65);
    expect(new Set(samples).size).toBeGreaterThan(1000);
  });

  it('takes some of them by name, and lists those that there are', () => {
    const { files } = uplandJson<Handed>('order', path('fell.json'), path('one'), '--recipe', 'Render');
    expect(files.filter(({ role }) => role === 'heights')).toHaveLength(1);
    const listed = uplandJson<{ recipes: { name: string; receiver: string; samples: number }[] }>('order', path('fell.json'), '--list');
    expect(listed.recipes).toEqual([
      { name: 'Engine', receiver: 'power-of-two-plus-one', samples: 65 },
      { name: 'Render', receiver: 'displacement-metres', samples: 65 },
    ]);
  });

  it('needs no recipe for a receiver, at a count that it takes', () => {
    const { files } = uplandJson<Handed>('order', path('bare.json'), path('next'), '--receiver', 'power-of-two');
    // 65 is none of its counts: the next larger one is.
    expect(files.find(({ role }) => role === 'heights')!.name).toContain('128');
    expect(uplandCast('order', path('bare.json'), path('no'), '--receiver', 'power-of-two', '--samples', '100').words).toMatch(/100/);
    save(path('own.json'), JSON.stringify({ ...receiver('power-of-two'), id: 'own', title: 'Our own' }));
    expect(uplandJson<Handed>('order', path('bare.json'), path('own'), '--receiver', path('own.json'), '--samples', '64').files.length).toBeGreaterThan(0);
  });

  it('gives the same bytes with any number of threads', () => {
    const files = (['1', '2'] as const).map((threads) => {
      const { files: made } = uplandJson<Handed>('order', path('fell.json'), path(`t${threads}`), '--recipe', 'Render', '--threads', threads);
      return made.filter(({ role }) => role !== 'report').map(({ name }) => Buffer.from(readBytes(join(path(`t${threads}`), name))).toString('base64'));
    });
    expect(files[0]).toEqual(files[1]);
  });

  it('says what is wrong, exits 1, and leaves no half file', () => {
    const wrong = (...args: string[]) => uplandCast('order', ...args);
    expect(wrong(path('bare.json'), path('w'))).toMatchObject({ status: 1, words: expect.stringMatching(/keeps no recipe/) as string });
    expect(wrong(path('fell.json'), path('w'), '--recipe', 'Engin').words).toMatch(/There is no recipe "Engin"\. There are: Engine, Render\./);
    expect(wrong(path('bare.json'), path('w'), '--receiver', 'toaster').words).toMatch(/There is no receiver "toaster"/);
    expect(wrong(path('fell.json')).words).toMatch(/which folder/);
    writeFileSync(path('plain'), 'a file where a folder should be');
    expect(wrong(path('fell.json'), path('plain')).status).toBe(1);
    mkdirSync(path('w'), { recursive: true });
    expect(readdirSync(path('w'))).toEqual([]);
  });
});
