import { describe, expect, it } from 'vitest';
import { evaluate, maskAt } from '../course/evaluate';
import { makeCourse, stepUse, type Course } from '../course/schema';
import { maskUse } from '../course/where';
import { waterRulesOf } from '../course/water';
import { inlineKernels } from '../kernels/pool';
import { rockSchema } from '../rock/rock';
import { hardnessAtSurface } from '../rock/hardness';
import { groundOf } from '../../tests/helpers/grounds';

const kernels = inlineKernels();
const ground = { ...groundOf(97, 97, 12), sea: 90 };

/** A course whose second step acts where a mask says. */
const masked = (kind: string, params: object, rest: Partial<Course> = {}): Course => ({
  ...makeCourse('Masked', ground, [
    stepUse('noise', { feature: 500, height: 120, level: 140, octaves: 6, seed: 5 }, { join: 'replace', id: 'n' }),
    stepUse('shift', { by: 10 }, { id: 's', where: { masks: [maskUse(kind, { ...params })], combine: 'multiply' } }),
  ]),
  ...rest,
});
const weights = async (course: Course) => {
  const evaluation = await evaluate(course, { kernels });
  return { evaluation, weights: (await maskAt(course, evaluation, 's', { kernels }))! };
};

describe('the rock mask', () => {
  const rock = rockSchema.parse({ thickness: 30, dip: 5, contrast: 1 });

  it('is whole on hard rock and nothing on soft', async () => {
    const { evaluation, weights: w } = await weights(masked('rock', { by: 'hardness', low: 0.6, high: 1, softness: 0 }, { rock }));
    const { hardness } = await hardnessAtSurface(kernels, rock, ground, evaluation.stages[0].height);
    let [on, off] = [0, 0];
    for (let i = 0; i < w.length; i++) {
      if (hardness[i] > 0.8) on += w[i] === 1 ? 1 : -1;
      if (hardness[i] < 0.4) off += w[i] === 0 ? 1 : -1;
    }
    expect(on).toBeGreaterThan(200);
    expect(off).toBeGreaterThan(200);
  });

  it('picks beds by their number', async () => {
    const one = (await weights(masked('rock', { by: 'bed', first: 3, last: 3 }, { rock }))).weights;
    const two = (await weights(masked('rock', { by: 'bed', first: 4, last: 4 }, { rock }))).weights;
    const both = (await weights(masked('rock', { by: 'bed', first: 3, last: 4 }, { rock }))).weights;
    expect(one.some((v) => v > 0) && two.some((v) => v > 0)).toBe(true);
    expect([...both]).toEqual([...one].map((v, i) => v + two[i]));
  });

  it('says so where the terrain has no rock', async () => {
    const { stages } = await evaluate(masked('rock', {}), { kernels });
    expect(stages[1].fault).toMatch(/alike everywhere. Give it beds/);
  });

  it('is worked out anew when the rock changes', async () => {
    const key = async (dip: number) => (await evaluate(masked('rock', {}, { rock: { ...rock, dip } }), { kernels })).stages.map((s) => s.key);
    const [a, b] = [await key(5), await key(9)];
    expect(a[0]).toBe(b[0]);
    expect(a[1]).not.toBe(b[1]);
  });
});

describe('the water mask', () => {
  it('is the sea, and with what lies beside it fades out', async () => {
    const { evaluation, weights: sea } = await weights(masked('water', { of: 'sea' }));
    const height = evaluation.stages[0].height;
    for (let i = 0; i < sea.length; i++) expect(sea[i]).toBe(height[i] < 90 ? 1 : 0);
    const beside = (await weights(masked('water', { of: 'sea', beside: 60 }))).weights;
    for (let i = 0; i < sea.length; i++) expect(beside[i]).toBeGreaterThanOrEqual(sea[i]);
    expect(beside.some((w, i) => w > 0.1 && w < 0.9 && sea[i] === 0)).toBe(true);
  });

  it('is the streams by their threshold, and more of them by the gain of every mask', async () => {
    const share = async (from: number) => (await weights(masked('water', { of: 'streams', from }))).weights.filter((w) => w > 0).length;
    const [many, few] = [await share(60), await share(200)];
    expect(many).toBeGreaterThan(few);
    expect(few).toBeGreaterThan(0);
  });
});

describe('what counts as water on a terrain', () => {
  it('is the sea alone until weather has worked on it, or it is said otherwise', () => {
    const raw = makeCourse('Raw', ground, [stepUse('noise', {})]);
    expect(waterRulesOf(raw)).toMatchObject({ lakes: false, streams: false });
    expect(waterRulesOf({ ...raw, stem: [...raw.stem, stepUse('fluvial', {})] })).toMatchObject({ lakes: true, streams: true });
    expect(waterRulesOf({ ...raw, water: { ...waterRulesOf(raw), streams: true, from: 77 } })).toMatchObject({ lakes: false, streams: true, from: 77 });
  });
});
