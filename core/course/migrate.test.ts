import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { makeCourse, parseCourse, settingsOf, stepUse } from './schema';

const version2 = () => {
  const course = makeCourse('old', groundOf(65, 65, 8), [
    stepUse('flat', { level: 3 }),
    stepUse('fluvial', { amount: 900, soften: 4, until: { level: 1, round: 2 } }),
    stepUse('talus', { repose: 30 }, { note: 'Mine.' }),
    stepUse('runoff', {}),
  ]);
  return { ...course, version: 2 };
};

describe('a course of version 2', () => {
  it('opens with what its weather stood at, settings left out as they were then', () => {
    const [flat, rivers, talus, rain] = parseCourse(JSON.parse(JSON.stringify(version2()))).stem;
    expect(flat).toMatchObject({ params: { level: 3 }, note: '' });
    expect(settingsOf(rivers)).toMatchObject({ amount: 900, scale: 60, soften: 4, breach: 30 });
    expect(rivers.params.until).toBeUndefined();
    expect(settingsOf(talus)).toMatchObject({ repose: 30, soil: 10_000, fall: 0, spread: 0 });
    expect(settingsOf(rain)).toMatchObject({ evaporation: 0.01 });
  });

  it('says at the step what is different now, after what was noted there; steps that mean the same say nothing', () => {
    const { stem } = parseCourse(JSON.parse(JSON.stringify(version2())));
    expect(stem[2].note).toMatch(/^Mine\.\nMade before version 3: here all of the ground is loose/);
    expect(stem.map((use) => use.note.includes('version 3'))).toEqual([false, true, true, true]);
  });

  it('is migrated once: written and read again it says so no second time', () => {
    const once = parseCourse(JSON.parse(JSON.stringify(version2())));
    expect(parseCourse(JSON.parse(JSON.stringify(once)))).toEqual(once);
  });

  it('refuses what is no course, with its sentence, whatever stands where steps should', () => {
    for (const stem of [null, 7, [null], [{ step: 'fluvial', params: null }]]) {
      expect(() => parseCourse({ ...version2(), stem })).toThrow(/This terrain cannot be read/);
    }
  });
});

describe('a course of version 3', () => {
  it('keeps shores that build a beach and cut nothing back, and says so', () => {
    const course = { ...makeCourse('old', groundOf(65, 65, 8), [stepUse('shore', { scale: 30 }), stepUse('shore', {})]), version: 3 };
    const { stem, version } = parseCourse(JSON.parse(JSON.stringify(course)));
    expect(version).toBe(5);
    expect(stem.map((use) => settingsOf(use).retreat)).toEqual([0, 0]);
    expect(settingsOf(stem[0])).toMatchObject({ scale: 30 });
    expect(stem[0].note).toMatch(/cut no cliff/);
    expect(settingsOf(stepUse('shore', {})).retreat).toBeGreaterThan(0);
  });
});
