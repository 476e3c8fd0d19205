import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { statistics } from '../field/statistics';
import { inlineKernels } from '../kernels/pool';
import { StageCache } from './cache';
import { evaluate, type EvaluateOptions } from './evaluate';
import { allUses, findUse, loopBetween, loopSentence, makeCourse, makeTributary, parseCourse, readersOf, stepUse, type Course, type StepUse } from './schema';

const kernels = inlineKernels();

const ground = groundOf(65, 65, 16);

const run = (course: Course, options: Partial<EvaluateOptions> = {}) => evaluate(course, { kernels, ...options });

const flat = (level: number, rest: Partial<StepUse> = {}) => stepUse('flat', { level }, rest);

const noise = (over: object = {}, rest: Partial<StepUse> = {}) => stepUse('noise', { feature: 300, height: 80, seed: 3, ...over }, rest);

const joinOf = (line: string, mode: StepUse['join'], rest: Partial<StepUse> = {}) => stepUse('join', { tributary: line }, { join: mode, ...rest });

describe('tributaries', () => {
  const course = (mode: StepUse['join'], a: number, b: number, rest: Partial<StepUse> = {}) =>
    makeCourse('t', ground, [flat(a), joinOf('side', mode, rest)], [makeTributary('Side', [flat(b)], 'side')]);
  const level = async (...args: Parameters<typeof course>) => {
    const { height, stages } = await run(course(...args));
    expect(stages.map((s) => s.fault)).toEqual(stages.map(() => undefined));
    expect(new Set(height).size).toBe(1);
    return height[0];
  };

  it('join in every way there is', async () => {
    expect(await level('add', 100, 30)).toBe(130);
    expect(await level('subtract', 100, 30)).toBe(70);
    expect(await level('multiply', 100, 30)).toBe(30);
    expect(await level('multiply', 100, 30, { joinZero: 20, joinOne: 40 })).toBe(50);
    expect(await level('higher', 100, 30)).toBe(100);
    expect(await level('lower', 100, 30)).toBe(30);
    expect(await level('mean', 100, 30)).toBe(65);
    expect(await level('difference', 30, 100)).toBe(70);
    expect(await level('replace', 100, 30)).toBe(30);
  });

  it('blend smoothly where they are within a width, and are the sharp join beyond it', async () => {
    expect(await level('smooth-higher', 100, 100, { joinWidth: 20 })).toBe(105);
    expect(await level('smooth-lower', 100, 100, { joinWidth: 20 })).toBe(95);
    expect(await level('smooth-higher', 100, 79, { joinWidth: 20 })).toBe(100);
    expect(await level('smooth-lower', 100, 121, { joinWidth: 20 })).toBe(100);
    expect(await level('smooth-higher', 100, 90, { joinWidth: 20 })).toBe(101.25);
    expect(await level('smooth-higher', 100, 90, { joinWidth: 0 })).toBe(100);
  });

  it('flow into one another, are worked out once, and show in the stages of the lines that are read', async () => {
    const deep = makeCourse(
      't',
      ground,
      [flat(0), joinOf('a', 'add'), joinOf('b', 'add')],
      [makeTributary('A', [flat(10), joinOf('b', 'add')], 'a'), makeTributary('B', [flat(5)], 'b'), makeTributary('Idle', [flat(9)], 'c')],
    );
    const { height, stages } = await run(deep);
    expect(height[0]).toBe(20);
    expect(stages.filter((s) => s.line === 'b')).toHaveLength(1);
    expect(stages.some((s) => s.line === 'c')).toBe(false);
    expect((await run(deep, { everyLine: true })).stages.some((s) => s.line === 'c')).toBe(true);
    expect(readersOf(deep, 'b')).toHaveLength(2);
    expect(findUse(deep, deep.tributaries[0].steps[1].id)).toMatchObject({ index: 1, line: { name: 'A' } });
  });

  it('refuse a loop with a sentence that names its lines, at the step that would close it', async () => {
    const looped = makeCourse(
      't',
      ground,
      [flat(7), joinOf('a', 'add'), stepUse('shift', { by: 1 })],
      [makeTributary('Crags', [joinOf('b', 'add')], 'a'), makeTributary('Moor', [joinOf('a', 'add')], 'b')],
    );
    const { stages, height } = await run(looped);
    const faulty = stages.filter((s) => s.fault);
    expect(faulty).toHaveLength(1);
    expect(faulty[0]).toMatchObject({ line: 'b', fault: 'This would make a loop: "Crags" flows into "Moor" flows into "Crags". Choose another tributary.' });
    // The rest goes on from the last good stage.
    expect(height[0]).toBe(8);
    expect(loopBetween(looped, 'b', 'a')).toEqual(['Crags', 'Moor']);
    expect(loopBetween(looped, '', 'a')).toBeNull();
    expect(loopSentence(loopBetween(looped, 'a', 'a')!)).toMatch(/"Crags" would flow into itself/);
  });

  it('that are gone, or not chosen yet, leave their join out with a sentence', async () => {
    const { stages } = await run(makeCourse('t', ground, [flat(1), joinOf('gone', 'add'), stepUse('join')]));
    expect(stages[1].fault).toMatch(/not there any more/);
    expect(stages[2].fault).toMatch(/No tributary flows in here yet/);
  });

  it('count in the key of what reads them, and only there', async () => {
    const cache = new StageCache();
    const side = (by: number) =>
      makeCourse('t', ground, [noise({}, { id: 'n' }), joinOf('s', 'higher', { id: 'j' })], [makeTributary('S', [flat(by, { id: 'f' })], 's')]);
    await run(side(10), { cache });
    const { stages } = await run(side(20), { cache });
    expect(Object.fromEntries(stages.map((s) => [s.use.id, s.cached]))).toEqual({ n: true, f: false, j: false });
  });
});

describe('hold', () => {
  it.each(['mean', 'lowest', 'highest'] as const)('keeps the %s', async (hold) => {
    const course = makeCourse('t', ground, [noise(), stepUse('terrace', { spacing: 20 }, { hold })]);
    const { stages } = await run(course);
    const of = (h: Float32Array<ArrayBuffer>) => statistics({ ground, height: h })[hold];
    expect(of(stages[1].height)).toBeCloseTo(of(stages[0].height), 3);
    const free = await run(makeCourse('t', ground, [noise(), stepUse('terrace', { spacing: 20 })]));
    const by = stages[1].height[0] - free.height[0];
    for (let i = 0; i < free.height.length; i++) expect(stages[1].height[i] - free.height[i]).toBeCloseTo(by, 3);
  });
});

describe('the schema of version 2', () => {
  it('brings a course of version 1 along', () => {
    const old = { format: 'upland-cast course', version: 1, name: 'Old', ground, stem: [{ id: 'a', step: 'flat', params: {}, join: 'replace' }], assets: {} };
    const course = parseCourse(JSON.parse(JSON.stringify(old)));
    expect(course).toMatchObject({ version: 5, tributaries: [], rolls: {}, spots: [] });
    expect(course.stem[0]).toMatchObject({ hold: 'none', where: { masks: [], combine: 'multiply' } });
  });

  it('refuses two parts of one name, on whatever lines they stand', () => {
    const course = makeCourse('t', ground, [flat(1, { id: 'x' })], [makeTributary('A', [flat(2, { id: 'x' })], 'a')]);
    expect(() => parseCourse(JSON.parse(JSON.stringify(course)))).toThrow(/two of its parts are called "x"/);
    expect(allUses(course)).toHaveLength(2);
  });
});
