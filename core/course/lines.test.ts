import { describe, expect, it } from 'vitest';
import { groundOf, hills, largestDifference } from '../../tests/helpers/grounds';
import { statistics } from '../field/statistics';
import { inlineKernels } from '../kernels/pool';
import { maskKinds } from '../masks';
import { steps } from '../steps';
import { StageCache } from './cache';
import { evaluate, type EvaluateOptions } from './evaluate';
import { allUses, findUse, loopBetween, loopSentence, makeCourse, makeTributary, parseCourse, readersOf, stepUse, type Course, type StepUse } from './schema';
import { maskUse } from './where';

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

describe('where a step acts', () => {
  const masked = (where: StepUse['where'], rest: Partial<StepUse> = {}) => makeCourse('t', ground, [noise(), stepUse('shift', { by: 50 }, { where, ...rest })]);

  it('is blended by weight, exactly at 0 and 1', async () => {
    const base = (await run(makeCourse('t', ground, [noise()]))).height;
    const { height } = await run(masked({ masks: [maskUse('height', { low: 0, high: 9000, softness: 10 })], combine: 'multiply' }));
    for (let i = 0; i < base.length; i++) {
      if (base[i] >= 0) expect(height[i]).toBe(Math.fround(base[i] + 50));
      else if (base[i] <= -10) expect(height[i]).toBe(base[i]);
      else expect(height[i]).toBeGreaterThan(base[i]);
    }
  });

  it('is multiplied, added or the larger of several masks; one that is off does not count', async () => {
    const left = maskUse('edge', { low: 0, high: 200, softness: 0 });
    const high = maskUse('height', { low: 0, high: 9000, softness: 0 });
    const count = async (combine: 'multiply' | 'add' | 'larger', ...masks: ReturnType<typeof maskUse>[]) => {
      const base = (await run(makeCourse('t', ground, [noise()]))).height;
      const { height } = await run(masked({ masks, combine }));
      return height.reduce((n, h, i) => n + (h !== base[i] ? 1 : 0), 0);
    };
    const [a, b] = [await count('multiply', left), await count('multiply', high)];
    const both = await count('multiply', left, high);
    expect(await count('add', left, high)).toBe(a + b - both);
    expect(await count('larger', left, high)).toBe(a + b - both);
    expect(await count('multiply', left, { ...high, on: false })).toBe(a);
    expect(await count('multiply', { ...left, invert: true })).toBe(65 * 65 - a);
  });

  it('that is empty everywhere is said at the step, and changes nothing', async () => {
    const { stages, height } = await run(masked({ masks: [maskUse('height', { low: 8000, high: 9000, softness: 0 })], combine: 'multiply' }));
    expect(stages[1].words[0]).toMatch(/mask is empty everywhere/);
    expect(stages[1].fault).toBeUndefined();
    expect(height).toEqual(stages[0].height);
  });

  it('enters talus as how easily the rock gives way: its volume is kept and what is masked out stays to the bit', async () => {
    const field = hills(groundOf(129, 129, 5), 4, 900);
    const where = { masks: [maskUse('edge', { low: 150, high: 9000, softness: 60 })], combine: 'multiply' as const };
    const course = makeCourse('t', field.ground, [stepUse('talus', { repose: 25, sweeps: 60 }, { where })]);
    const { stages, height } = await evaluate(course, { kernels, from: field });
    expect(stages[0].fault).toBeUndefined();
    let [sum, moved] = [0, 0];
    for (let row = 0; row < 129; row++) {
      for (let c = 0; c < 129; c++) {
        const i = row * 129 + c;
        const weight = (row % 128 ? 1 : 0.5) * (c % 128 ? 1 : 0.5);
        sum += weight * (height[i] - field.height[i]);
        moved += weight * Math.max(0, height[i] - field.height[i]);
      }
    }
    expect(moved).toBeGreaterThan(1000);
    expect(Math.abs(sum) / moved).toBeLessThan(1e-5);
    // Nothing leaves a sample of weight 0, though scree may come to rest on it.
    for (let c = 0; c < 129; c++) expect(height[c]).toBeGreaterThanOrEqual(field.height[c]);
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
    expect(course).toMatchObject({ version: 2, tributaries: [], rolls: {}, spots: [] });
    expect(course.stem[0]).toMatchObject({ hold: 'none', where: { masks: [], combine: 'multiply' } });
  });

  it('refuses two parts of one name, on whatever lines they stand', () => {
    const course = makeCourse('t', ground, [flat(1, { id: 'x' })], [makeTributary('A', [flat(2, { id: 'x' })], 'a')]);
    expect(() => parseCourse(JSON.parse(JSON.stringify(course)))).toThrow(/two of its parts are called "x"/);
    expect(allUses(course)).toHaveLength(2);
  });
});

describe('after a change in a rectangle', () => {
  // Hand work of one tile of 256 on a larger ground, with steps of finite reach after it.
  const wide = groundOf(700, 700, 4);
  const tile = (value: number) => {
    const bytes = new Uint8Array(256 * 256 * 4);
    const view = new DataView(bytes.buffer);
    for (let i = 0; i < 256 * 256; i++) view.setFloat32(i * 4, value * Math.sin(i * 0.01), true);
    return bytes as Uint8Array<ArrayBuffer>;
  };
  const assets = new Map([
    ['a'.repeat(64), tile(4)],
    ['b'.repeat(64), tile(9)],
  ]);
  const asset = async (sha: string) => assets.get(sha)!;
  const course = (sha: string, after: StepUse[]) =>
    makeCourse('t', wide, [
      noise({ feature: 900, height: 200 }, { id: 'n' }),
      stepUse('sculpt', { samples: { across: 700, down: 700, registration: 'point' }, tiles: { '1,1': sha }, strokes: 1 }, { id: 'h' }),
      ...after,
    ]);

  it('gives the same bytes as working everything out, and works out less', async () => {
    const after = [
      stepUse('blur', { size: 24 }, { id: 'b', where: { masks: [maskUse('slope', { low: 5, high: 90, softness: 5 })], combine: 'multiply' } }),
      stepUse('median', { size: 20 }, { id: 'm' }),
      stepUse('roughen', {}, { id: 'r' }),
      stepUse('warp', { amount: 60, feature: 300 }, { id: 'w' }),
      stepUse('terrace', { spacing: 15 }, { id: 't', strength: 0.5 }),
    ];
    const first = await evaluate(course('a'.repeat(64), after), { kernels, asset });
    const partly = await evaluate(course('b'.repeat(64), after), { kernels, asset, previous: first });
    const whole = await evaluate(course('b'.repeat(64), after), { kernels, asset });
    for (const [i, stage] of partly.stages.entries()) {
      expect(largestDifference(stage.height, whole.stages[i].height), stage.use.step).toBe(0);
      if (i > 0) expect(stage.touched, stage.use.step).toBeDefined();
    }
    expect(largestDifference(partly.height, first.height)).toBeGreaterThan(1);
    expect(partly.stages[1].touched!.across).toBe(256);
  });

  it('gives the same bytes for every step whose reach is finite, and for every mask', async () => {
    const line = {
      points: [
        { east: 300, south: 400 },
        { east: 2000, south: 900 },
        { east: 1500, south: 2100 },
      ],
    };
    const uses = steps
      // Weathering knows the whole ground, all but the shore.
      .filter((step) => !['raster', 'mosaic', 'join', 'sculpt'].includes(step.id) && (step.family !== 'weather' || step.id === 'shore'))
      .map((step) => stepUse(step.id, step.params.shape.points && step.id !== 'curve' ? { ...line, at: 'elevation' } : {}))
      .concat(
        stepUse('blur', { size: 110 }),
        stepUse('median', { size: 60 }),
        stepUse('edge-smooth', { size: 10 }),
        stepUse('invert', { about: 'elevation', pivot: 100 }),
      )
      .concat(
        maskKinds
          .filter((kind) => !['image', 'tributary', 'painted', 'layer'].includes(kind.id))
          .map((kind) => stepUse('shift', { by: 40 }, { where: { masks: [maskUse(kind.id)], combine: 'multiply' } })),
      );
    const seen = new Set<string>();
    for (const use of uses) {
      const first = await evaluate(course('a'.repeat(64), [use]), { kernels, asset });
      const partly = await evaluate(course('b'.repeat(64), [use]), { kernels, asset, previous: first });
      const whole = await evaluate(course('b'.repeat(64), [use]), { kernels, asset });
      const last = partly.stages[2];
      expect(last.fault, use.step).toBeUndefined();
      expect(largestDifference(last.height, whole.height), use.step).toBe(0);
      if (last.touched) seen.add(use.step);
    }
    // These were really worked out in a part only.
    expect([...seen]).toEqual(
      expect.arrayContaining([
        'noise',
        'landform',
        'flat',
        'warp',
        'terrace',
        'curve',
        'levels',
        'exposure',
        'clamp',
        'blur',
        'median',
        'edge-smooth',
        'roughen',
        'falloff',
        'shift',
        'invert',
        'level-area',
      ]),
    );
  });

  it('works everything out where a step knows the whole ground, was added, or was moved', async () => {
    const after = [stepUse('equalise', {}, { id: 'e' }), stepUse('shift', { by: 3 }, { id: 's' })];
    const first = await evaluate(course('a'.repeat(64), after), { kernels, asset });
    for (const next of [after, [after[1], after[0]], [stepUse('shift', { by: 9 }, { id: 'new' }), ...after], [after[1]]]) {
      const partly = await evaluate(course('b'.repeat(64), next), { kernels, asset, previous: first });
      const whole = await evaluate(course('b'.repeat(64), next), { kernels, asset });
      expect(largestDifference(partly.height, whole.height)).toBe(0);
    }
  });
});
