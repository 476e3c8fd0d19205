import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../tests/helpers/grounds';
import { encode } from '../delivery/heights/encode';
import { sha256 } from '../field/hash';
import type { Ground } from '../field/ground';
import { rockSchema } from '../rock/rock';
import { inlineKernels } from '../kernels/pool';
import { maskKinds } from '../masks';
import { steps } from '../steps';
import { paramsOf } from '../steps/params';
import { StageCache } from './cache';
import { evaluate } from './evaluate';
import { readProject, writeProject } from './project';
import { makeCourse, makeTributary, parseCourse, stepUse, type Course, type StepUse } from './schema';
import { maskUse } from './where';

const kernels = inlineKernels();
const ground: Ground = { ...groundOf(33, 33, 20), sea: 60 };

/** Two pictures that steps may read, and a course that has them, a tributary, and land on both sides of the sea. */
const files = (async () => {
  const both = await Promise.all([1, 2].map(async (seed) => (await encode(hills(groundOf(17, 17, 40), seed), { format: 'tiff', type: 'f32' })).bytes));
  const names = await Promise.all(both.map((b) => sha256(b)));
  return { names, of: new Map(names.map((name, i) => [name, both[i]])) };
})();
const asset = async (sha: string) => (await files).of.get(sha)!;

async function courseWith(use: StepUse, level = 40): Promise<Course> {
  const { names } = await files;
  const course = makeCourse(
    'Fell',
    ground,
    [stepUse('noise', { height: 120, feature: 300, seed: 5 }, { id: 'base' }), { ...use, id: 'own' }],
    [makeTributary('Side', [stepUse('noise', { height: 90, feature: 200, seed: 9 }), stepUse('shift', { by: level })], 'side')],
  );
  for (const name of names) course.assets[name] = { name: 'a.tif', bytes: 1 };
  course.rock = rockSchema.parse({ thickness: 15 });
  return course;
}

const point = (east: number, south: number) => ({ east, south });

/** Settings with which a step has something to do. */
async function settingsFor(id: string): Promise<Record<string, unknown>> {
  const { names } = await files;
  const special: Record<string, Record<string, unknown>> = {
    raster: { asset: names[0] },
    mosaic: { pieces: [{ asset: names[0], east: 0, south: 0, width: 640, depth: 640 }] },
    join: { tributary: 'side' },
    channel: { points: [point(100, 100), point(500, 400)] },
    path: { points: [point(100, 100), point(500, 400)] },
    'level-area': { points: [point(100, 100), point(500, 100), point(300, 400)] },
    talus: { repose: 12, sweeps: 20 },
    fluvial: { amount: 900 },
    wind: { amount: 20 },
    runoff: { amount: 20 },
  };
  return special[id] ?? {};
}

const withGround = (course: Course, change: Partial<Ground>): Course => ({ ...course, ground: { ...course.ground, ...change } });

/** The course changed in everything that a step on it can see. */
async function variations(course: Course): Promise<[string, Course][]> {
  const { names } = await files;
  const own = course.stem[1];
  const withOwn = (change: Partial<StepUse>): Course => ({ ...course, stem: [course.stem[0], { ...own, ...change }] });
  const out: [string, Course][] = [
    ['the sea', withGround(course, { sea: 85 })],
    ['the sea, a little', withGround(course, { sea: 60.5 })],
    ['the datum', withGround(course, { datum: 20 })],
    ['the size', withGround(course, { width: 700 })],
    ['the registration', withGround(course, { registration: 'area' })],
    ['the rock', { ...course, rock: rockSchema.parse({ thickness: 15, dip: 30 }) }],
    ['the place on a map', withGround(course, { georeference: { west: 5, north: 6, crs: 'EPSG:25833' } })],
    ['strength', withOwn({ strength: 0.5 })],
    ['what it keeps', withOwn({ hold: 'mean' })],
    ['a name', withOwn({ name: 'Another' })],
    [
      'how its files are read',
      { ...course, assets: Object.fromEntries(Object.entries(course.assets).map(([sha, a]) => [sha, { ...a, reading: { flip: 'rows' as const } }])) },
    ],
    ['the tributary', { ...course, tributaries: [makeTributary('Side', [course.tributaries[0].steps[0], stepUse('shift', { by: 10 })], 'side')] }],
  ];
  const step = steps.find((s) => s.id === own.step)!;
  for (const { key, meta } of paramsOf(step.params)) {
    const now = own.params[key];
    const value = now ?? step.params.parse({})[key];
    const set = (v: unknown) => out.push([`${key} ${JSON.stringify(v)}`, withOwn({ params: { ...own.params, [key]: v } })]);
    if (typeof value === 'number' && meta.max !== undefined)
      set(value < meta.max ? Math.min(meta.max, meta.kind === 'count' || meta.kind === 'seed' ? value + 1 : value * 1.3 + 0.01) : meta.min);
    if (typeof value === 'boolean') set(!value);
    if (meta.choices) for (const choice of Object.keys(meta.choices)) if (choice !== value) set(choice);
    if (meta.kind === 'tributary') set('side');
    if (meta.kind === 'asset') set(names[1]);
  }
  return out;
}

/** That what comes out of a cache is what is worked out, for every change, whichever of the two was there first. */
async function holds(course: Course, name: string): Promise<void> {
  const last = (c: Course, cache?: StageCache) => evaluate(c, { kernels, asset, cache }).then((e) => e.stages.find((s) => s.use.id === 'own')!);
  const previous = await evaluate(course, { kernels, asset });
  const before = previous.stages.find((s) => s.use.id === 'own')!;
  expect(before.fault, name).toBeUndefined();
  for (const [what, changed] of await variations(course)) {
    const fresh = await last(changed);
    const cache = new StageCache();
    await last(course, cache);
    const cached = await last(changed, cache);
    expect(cached.fault, `${name}: ${what}`).toBe(fresh.fault);
    expect(cached.height, `${name}: ${what}`).toEqual(fresh.height);
    expect(Object.keys(cached.layers), `${name}: ${what}`).toEqual(Object.keys(fresh.layers));
    for (const layer of Object.keys(fresh.layers)) expect(cached.layers[layer], `${name}: ${what}: ${layer}`).toEqual(fresh.layers[layer]);
    // What is reused is what did not change.
    if (cached.key === before.key) expect(cached.height, `${name}: ${what}`).toEqual(before.height);
    // And the way over the last evaluation gives the same.
    const over = await evaluate(changed, { kernels, asset, previous });
    expect(over.stages.find((s) => s.use.id === 'own')!.height, `${name}: ${what}, over the last`).toEqual(fresh.height);
  }
}

describe('a stage’s key holds everything that its step reads', () => {
  it.each(steps.filter((step) => step.id !== 'sculpt').map((step) => step.id))(
    'step %s',
    async (id) => holds(await courseWith(stepUse(id, await settingsFor(id))), id),
    120_000,
  );

  it.each(maskKinds.filter((kind) => kind.id !== 'painted').map((kind) => kind.id))('mask %s', async (id) => {
    const { names } = await files;
    const params = id === 'image' ? { asset: names[0] } : id === 'tributary' ? { tributary: 'side', high: 100 } : {};
    const own = stepUse('shift', { by: 30 }, { where: { masks: [maskUse(id, params)], combine: 'multiply' } });
    const course = await courseWith(id === 'layer' ? stepUse('talus', { repose: 12, sweeps: 20 }) : own);
    if (id === 'layer') course.stem.splice(1, 1, { ...course.stem[1], id: 'talus' }, { ...own, id: 'own' });
    if (id !== 'layer') await holds(course, id);
    const fresh = await evaluate(course, { kernels, asset });
    expect(fresh.stages.find((s) => s.use.id === 'own')!.fault).toBeUndefined();
  });

  it('moving the sea moves the rivers, with and without a cache, whichever way it moves', async () => {
    const course = await courseWith(stepUse('fluvial', { amount: 900 }));
    const cache = new StageCache();
    const at = async (sea: number, own?: StageCache) => (await evaluate(withGround(course, { sea }), { kernels, cache: own })).height;
    const low = await at(20, cache);
    const high = await at(110, cache);
    expect(high).not.toEqual(low);
    expect(high).toEqual(await at(110));
    expect(await at(20, cache)).toEqual(await at(20));
    // What does not know the sea is not worked out again.
    const plain = await courseWith(stepUse('blur', { size: 40 }));
    await evaluate(plain, { kernels, cache });
    expect((await evaluate(withGround(plain, { sea: 5 }), { kernels, cache })).stages.every((s) => s.cached)).toBe(true);
  });
});

describe('what a later version or a hand put into a course', () => {
  const strange = async () => {
    const course = JSON.parse(JSON.stringify(await courseWith(stepUse('shift', { by: 7 })))) as Record<string, unknown> & { stem: Record<string, unknown>[] };
    course.stem.push(
      { id: 'u1', step: 'glacier-of-tomorrow', params: { depth: 5, picture: 'f'.repeat(64) }, mood: 'calm' },
      { id: 'u2', step: 'shift', params: { by: 3 }, join: 'woven' },
      { id: 'u3', step: 'shift', params: { by: 3 }, where: { masks: [{ id: 'm', kind: 'moonlight', params: { phase: 2 } }], combine: 'multiply' } },
      { id: 'u4', step: 'shift', params: { by: 3 }, where: { masks: [{ id: 'm2', kind: 'layer', params: { layer: 'ice' } }], combine: 'multiply' } },
      { id: 'u5', step: 'shift', params: { by: 3 }, hold: 'the-second' },
      { id: 'u6', step: 'shift', params: { by: 3 }, where: { masks: [{ id: 'm3', kind: 'height' }], combine: 'braided' } },
      { id: 'good', step: 'shift', params: { by: 11 } },
    );
    course.weatherOfTomorrow = { wind: 5 };
    course.version = 7;
    return course;
  };

  it('opens, says so at each step, and goes on from the last good stage', async () => {
    const course = parseCourse(await strange());
    const { stages, height } = await evaluate(course, { kernels, asset });
    const faults = stages.filter((s) => s.fault).map((s) => [s.use.id, s.fault]);
    expect(faults.map(([id]) => id)).toEqual(['u1', 'u2', 'u3', 'u4', 'u5', 'u6']);
    for (const [, fault] of faults) expect(fault).toMatch(/^[A-Z].*[.]$/);
    expect(faults[0][1]).toMatch(/no step "glacier-of-tomorrow" here; it may come from a later version/);
    expect(faults[1][1]).toMatch(/cannot be joined by "woven"/);
    expect(faults[2][1]).toMatch(/no mask "moonlight" here/);
    const { height: plain } = await evaluate({ ...course, stem: course.stem.slice(0, 2) }, { kernels, asset });
    expect(height).toEqual(plain.map((h) => Math.fround(h + 11)));
  });

  it('goes back into the file untouched', async () => {
    const json = await strange();
    const bytes = writeProject({ course: parseCourse(json), assets: (await files).of });
    const { course } = await readProject(bytes);
    const back = JSON.parse(JSON.stringify(course)) as typeof json;
    expect(back.version).toBe(7);
    expect(back.weatherOfTomorrow).toEqual({ wind: 5 });
    for (const use of json.stem) expect(back.stem.find((u) => u.id === use.id)).toMatchObject(use);
  });

  it('a later version that is built otherwise is refused with what to do', async () => {
    expect(() => parseCourse({ format: 'upland-cast course', version: 9, name: 'x', stem: 'woven' })).toThrow(/newer Upland Cast \(course version 9.*Update/s);
  });
});
