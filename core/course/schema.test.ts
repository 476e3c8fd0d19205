import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { paramsOf, stepById, steps } from '../index';
import { makeCourse, parseCourse, settingsOf, stepUse, type StepUse } from './schema';

const ground = groundOf(65, 65, 16);

const courseOf = (...stem: StepUse[]) => makeCourse('Test moor', ground, stem);

const noise = (over: object = {}, rest: Partial<StepUse> = {}) => stepUse('noise', { feature: 300, height: 80, seed: 3, ...over }, rest);

describe('the schema', () => {
  const good = courseOf(stepUse('flat', {}, { id: 'a' }), noise({}, { id: 'b' }));

  it('takes what it wrote', () => {
    expect(parseCourse(JSON.parse(JSON.stringify(good)))).toEqual(good);
  });

  it('refuses what is no course, is newer, is broken or names two steps alike, each with a sentence', () => {
    expect(() => parseCourse(null)).toThrow(/not a terrain of Upland Cast/);
    expect(() => parseCourse({ ...good, version: 99, stem: 'other' })).toThrow(/newer Upland Cast/);
    expect(() => parseCourse({ ...good, ground: { ...ground, across: -1 } })).toThrow(/ground › across/);
    expect(() => parseCourse({ ...good, stem: [good.stem[0], good.stem[0]] })).toThrow(/two of its parts/);
    expect(() => parseCourse({ ...good, stem: [{ id: 'x', step: 'flat', strength: 7 }] })).toThrow(/strength/);
  });

  it('fills in defaults and names the setting that is out of bounds', () => {
    expect(settingsOf({ step: 'talus', params: {} })).toMatchObject({ repose: 34, sweeps: 120, loose: 1, edges: 'closed' });
    expect(() => settingsOf({ step: 'talus', params: { repose: 95 } })).toThrow('Talus: "Repose angle" cannot be 95. It takes 5 to 80 °.');
  });

  it('describes every setting of every step: a label, a kind, and bounds for numbers', () => {
    expect(new Set(steps.map((s) => s.id)).size).toBe(steps.length);
    for (const step of steps) {
      expect(step.summary).toMatch(/\.$/);
      expect(step.joins.length).toBeGreaterThan(0);
      expect(stepById(step.id)).toBe(step);
      for (const { key, meta } of paramsOf(step.params)) {
        expect(meta, `${step.id}.${key}`).toMatchObject({ label: expect.any(String), kind: expect.any(String) });
        if (['elevation', 'distance', 'degrees', 'count', 'ratio', 'number', 'seed'].includes(meta.kind)) expect(meta.max).toBeGreaterThan(meta.min!);
      }
    }
  });
});
