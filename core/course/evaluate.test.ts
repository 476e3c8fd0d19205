import { describe, expect, it, vi } from 'vitest';
import { groundOf, hills, largestDifference } from '../../tests/helpers/grounds';
import { encode } from '../delivery/heights/encode';
import { sha256 } from '../field/hash';
import { statistics } from '../field/statistics';
import { inlineKernels } from '../kernels/pool';
import { tileToBytes, TILE } from '../index';
import { StageCache, type CachedStage, type KeptStages } from './cache';
import { evaluate, type EvaluateOptions } from './evaluate';
import { describeChange } from './report';
import { assetsOf, makeCourse, stepUse, type Course, type StepUse } from './schema';

const kernels = inlineKernels();

const ground = groundOf(65, 65, 16);

const courseOf = (...stem: StepUse[]) => makeCourse('Test moor', ground, stem);

const run = (course: Course, options: Partial<EvaluateOptions> = {}) => evaluate(course, { kernels, ...options });

const noise = (over: object = {}, rest: Partial<StepUse> = {}) => stepUse('noise', { feature: 300, height: 80, seed: 3, ...over }, rest);

describe('working out a course', () => {
  it('begins level at 0 m, and adds, takes away, and takes the higher and the lower', async () => {
    const flat = (level: number) => stepUse('flat', { level });
    expect((await run(courseOf())).height.every((h) => h === 0)).toBe(true);
    const a = (await run(courseOf(flat(100), noise()))).height;
    const b = (await run(courseOf(flat(100), noise({}, { join: 'subtract' })))).height;
    for (let i = 0; i < a.length; i++) expect(a[i] - 100).toBeCloseTo(100 - b[i], 3);
    const higher = (await run(courseOf(flat(5), noise({}, { join: 'higher' })))).height;
    expect(Math.min(...higher)).toBe(5);
    const lower = (await run(courseOf(flat(5), noise({}, { join: 'lower' })))).height;
    expect(Math.max(...lower)).toBe(5);
  });

  it('is exact at strengths 0 and 1', async () => {
    const base = (await run(courseOf(noise()))).height;
    expect((await run(courseOf(noise(), stepUse('shift', { by: 50 }, { strength: 0 })))).height).toEqual(base);
    expect((await run(courseOf(noise(), stepUse('shift', { by: 50 })))).height).toEqual(base.map((h) => h + 50));
    const half = (await run(courseOf(noise(), stepUse('shift', { by: 50 }, { strength: 0.5 })))).height;
    expect(
      largestDifference(
        half,
        base.map((h) => h + 25),
      ),
    ).toBeLessThan(1e-4);
  });

  it('gives the same elevations on another datum', async () => {
    const high = {
      ...courseOf(
        stepUse('flat', { level: 3655 }),
        noise({ height: 8 }),
        noise({ kind: 'ridged', level: 3650, height: 6 }, { join: 'higher' }),
        stepUse('stretch', { fromLow: 3650, toLow: 3651, fromHigh: 3660, toHigh: 3659 }),
      ),
    };
    const plain = await run(high);
    const onDatum = await run({ ...high, ground: { ...ground, datum: 3650 } });
    expect(onDatum.stages.every((s) => !s.fault)).toBe(true);
    expect(Math.max(...onDatum.height)).toBeLessThan(20);
    expect(
      largestDifference(
        onDatum.height.map((h) => h + 3650),
        plain.height,
      ),
    ).toBeLessThan(2e-3);
  });

  it('takes what took long from where it was kept past the process, with its own layers alone', async () => {
    const store = new Map<string, CachedStage>();
    const kept: KeptStages = { get: async (key) => structuredClone(store.get(key)), set: (key, stage) => void store.set(key, stage) };
    const course = courseOf(noise({}, { id: 'a' }), stepUse('talus', {}, { id: 'b' }), stepUse('talus', { angle: 20 }, { id: 'c' }));
    // A clock by which every stage takes long.
    let now = 0;
    const clock = vi.spyOn(performance, 'now').mockImplementation(() => (now += 1000));
    const first = await run(course, { kept });
    clock.mockRestore();
    expect(store.size).toBe(3);
    const again = await run(course, { kept });
    expect(again.stages.map((s) => s.cached)).toEqual([true, true, true]);
    expect(again.height).toEqual(first.height);
    expect(again.layers).toEqual(first.layers);
    // Which layers are a stage's own is told by what it was handed.
    const own = ({ stages }: typeof first) => stages.map((s) => Object.keys(s.layers).filter((name) => s.layers[name] !== s.layersBefore[name]));
    expect(own(again)).toEqual(own(first));
    // What was quick is not worth it.
    store.clear();
    await run(courseOf(stepUse('flat', { level: 7 })), { kept });
    expect(store.size).toBe(0);
  });

  it('works a stage out once for all who want it at the same time, and again where the first is stopped', async () => {
    const course = courseOf(noise({}, { id: 'a' }), stepUse('talus', {}, { id: 'b' }));
    const cache = new StageCache();
    const [one, other] = await Promise.all([run(course, { cache }), run(course, { cache })]);
    expect(other.height).toEqual(one.height);
    expect([...one.stages, ...other.stages].filter((s) => !s.cached).length).toBe(2);
    const again = new StageCache();
    const stop = new AbortController();
    const first = run(course, { cache: again, signal: stop.signal });
    const second = run(course, { cache: again });
    stop.abort();
    await expect(first).rejects.toThrow();
    expect((await second).height).toEqual(one.height);
  });

  it('takes from the cache what has not changed: only what comes after a change is worked out', async () => {
    const cache = new StageCache();
    const course = courseOf(stepUse('flat', { level: 10 }, { id: 'a' }), noise({}, { id: 'b' }), stepUse('shift', { by: 3 }, { id: 'c' }));
    await run(course, { cache });
    const moved = { ...course, stem: course.stem.map((u) => (u.id === 'c' ? { ...u, params: { by: 4 } } : u)) };
    expect((await run(moved, { cache })).stages.map((s) => s.cached)).toEqual([true, true, false]);
    const off = { ...course, stem: course.stem.map((u) => (u.id === 'b' ? { ...u, on: false } : u)) };
    expect((await run(off, { cache })).stages.map((s) => s.cached)).toEqual([true, false, false]);
    expect((await run(course, { cache })).stages.map((s) => s.cached)).toEqual([true, true, true]);
    expect((await run(course, { cache })).height).toEqual((await run(course)).height);
  });

  it('does not mistake one ground, strength or way of joining for another', async () => {
    const keys = new Set<string>();
    const add = async (course: Course) => keys.add((await run(course)).stages.at(-1)!.key);
    await add(courseOf(noise()));
    await add(courseOf(noise({}, { strength: 0.5 })));
    await add(courseOf(noise({}, { join: 'higher' })));
    await add(courseOf(noise({ seed: 4 })));
    await add({ ...courseOf(noise()), ground: { ...ground, width: 2048 } });
    await add({ ...courseOf(noise()), ground: { ...ground, registration: 'area' } });
    await add({ ...courseOf(noise()), ground: { ...ground, datum: 5 } });
    expect(keys.size).toBe(7);
    // The name, the note and the sea change nothing in the heights.
    await add({ ...courseOf({ ...noise(), name: 'Other', note: 'x', id: 'z' }), ground: { ...ground, sea: 99 } });
    expect(keys.size).toBe(7);
  });

  it('leaves a step out that cannot be done, with a sentence, and goes on', async () => {
    const { stages, height } = await run(
      courseOf(
        stepUse('flat', { level: 7 }),
        stepUse('stretch', { fromLow: 5, fromHigh: 5 }),
        { ...stepUse('shift'), params: { by: 99_999 } },
        stepUse('raster'),
        { ...noise(), step: 'gone' },
        stepUse('shift', { by: 1 }),
      ),
    );
    expect(stages[1].fault).toMatch(/nothing between them to stretch/);
    expect(stages[2].fault).toMatch(/"Distance" cannot be 99999\. It takes -9000 to 9000 m/);
    expect(stages[3].fault).toMatch(/has no file yet/);
    expect(stages[4].fault).toMatch(/no step "gone"/);
    expect(height.every((h) => h === 8)).toBe(true);
  });

  it('says at its step that an asset is missing, and goes on from the last good stage', async () => {
    const course = courseOf(stepUse('flat', { level: 4 }), stepUse('raster', { asset: 'e'.repeat(64) }), stepUse('shift', { by: 2 }));
    const { stages, height } = await run(course, {
      asset: async () => {
        throw new Error('A file that this step needs is not in this browser any more.');
      },
    });
    expect(stages[1].fault).toMatch(/not in this browser any more/);
    expect(height[0]).toBe(6);
  });

  it('stops when told to', async () => {
    const control = new AbortController();
    const work = run({ ...courseOf(noise(), stepUse('talus', { repose: 5, sweeps: 2000 })), ground: groundOf(513, 513, 2) }, { signal: control.signal });
    setTimeout(() => control.abort(), 80);
    const began = performance.now();
    await expect(work).rejects.toThrow('Stopped.');
    expect(performance.now() - began).toBeLessThan(3000);
  });

  it('tells of every stage and of what each step did', async () => {
    const seen: string[] = [];
    const { stages } = await run(courseOf(stepUse('flat', { level: 1 }, { id: 'f' }), stepUse('shift', { by: 2 }, { id: 's' })), {
      onStage: (s) => seen.push(s.use.id),
    });
    expect(seen).toEqual(['f', 's']);
    const report = describeChange(stages[1].before, stages[1].height, ground);
    expect(report).toMatchObject({ rangeBefore: [1, 1], rangeAfter: [3, 3], largestFill: 2, largestCut: 0, moved: 0, steepest: 0 });
    expect(report.volumeFill).toBeCloseTo(2 * 1024 * 1024, 0);
  });
});

describe('range steps', () => {
  const before = hills(ground);
  it('shift moves both ends and keeps every difference', async () => {
    const { height } = await run(courseOf(stepUse('shift', { by: -70 })), { from: before });
    const [was, is] = [statistics(before), statistics({ ground, height })];
    expect(is.lowest - was.lowest).toBeCloseTo(-70, 4);
    expect(is.highest - was.highest).toBeCloseTo(-70, 4);
  });

  it('stretch brings the ends where they are told and keeps what lies between in proportion', async () => {
    const { lowest, highest } = statistics(before);
    const { height } = await run(courseOf(stepUse('stretch', { fromLow: lowest, fromHigh: highest, toLow: 50, toHigh: 200 })), { from: before });
    const is = statistics({ ground, height });
    expect([is.lowest, is.highest].map((v) => Number(v.toFixed(3)))).toEqual([50, 200]);
    const i = 1234;
    expect(height[i]).toBeCloseTo(50 + ((before.height[i] - lowest) * 150) / (highest - lowest), 3);
  });
});

describe('a raster step', () => {
  it('lays a file of heights over the ground, at any sample count', async () => {
    const source = hills(groundOf(33, 33, 10), 8);
    const { bytes } = await encode(source, { format: 'tiff', type: 'f32' });
    const sha = await sha256(bytes);
    const course = courseOf(stepUse('raster', { asset: sha }));
    expect(assetsOf(course)).toEqual([sha]);
    const same = await evaluate({ ...course, ground: groundOf(33, 33, 20) }, { kernels, asset: async () => bytes });
    expect(same.height).toEqual(source.height);
    const finer = await run(course, { asset: async () => bytes });
    for (let r = 0; r < 33; r++) for (let c = 0; c < 33; c++) expect(finer.height[2 * r * 65 + 2 * c]).toBeCloseTo(source.height[r * 33 + c], 4);
    const missing = await run(course, { asset: async () => Promise.reject(new Error('It is not in this browser any more.')) });
    expect(missing.stages[0].fault).toBe('It is not in this browser any more.');
  });
});

describe('hand work in a course', () => {
  const tile = new Float32Array(TILE * TILE).map((_, i) => ((i % TILE) + Math.floor(i / TILE)) / 8);
  const bytes = tileToBytes(tile);
  const assets = async () => bytes;
  const sculpt = async () => stepUse('sculpt', { samples: { across: 65, down: 65, registration: 'point' }, tiles: { '0,0': await sha256(bytes) }, strokes: 1 });

  it('lies on top as it is, and stays bit for bit when what lies beneath changes', async () => {
    const difference = async (seed: number) => {
      const { stages } = await run(courseOf(stepUse('flat', { level: 0 }), noise({ seed, height: 0 }), await sculpt()), { asset: assets });
      return stages[2].height.map((h, i) => h - stages[2].before[i]);
    };
    const first = await difference(1);
    expect(first[65 * 3 + 9]).toBe(tile[TILE * 3 + 9]);
    expect(await difference(2)).toEqual(first);
  });

  it('is resampled for other counts: exact at shared points when samples are added', async () => {
    const fine = await evaluate({ ...courseOf(await sculpt()), ground: { ...ground, across: 129, down: 129 } }, { kernels, asset: assets });
    for (let r = 0; r < 65; r++) for (let c = 0; c < 65; c++) expect(fine.height[2 * r * 129 + 2 * c]).toBe(tile[r * TILE + c]);
    const coarse = await evaluate({ ...courseOf(await sculpt()), ground: { ...ground, across: 33, down: 33 } }, { kernels, asset: assets });
    expect(coarse.height[16 * 33 + 16]).toBeCloseTo(tile[32 * TILE + 32], 2);
  });
});
