import { makeCourse, stepUse, type Course, type Stage } from '@upland-cast/core';
import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { PreviewSizes } from './preview-size';

const course = makeCourse('Beacon', groundOf(1025, 1025, 4), [stepUse('noise'), stepUse('fluvial'), stepUse('blur')]);
/** The course as it was worked out, with what each step took. */
const full = (...took: number[]) => ({ course, evaluation: { stages: course.stem.map((use, k) => ({ use, took: took[k] }) as Stage) } });
const changed = (at: number): Course => ({ ...course, stem: course.stem.map((use, k) => (k === at ? { ...use, strength: 0.5 } : use)) });

describe('how fine a preview is', () => {
  it('the finest that will be there at once, by what the steps took', () => {
    expect(new PreviewSizes().choose(course, full(50, 60, 20))).toBe(512);
    expect(new PreviewSizes().choose(course, full(100, 1500, 100))).toBe(256);
    expect(new PreviewSizes().choose(course, full(200, 8000, 500))).toBe(128);
  });

  it('by its weather alone while nothing was worked out', () => {
    expect(new PreviewSizes().choose(course, undefined)).toBe(256);
    expect(new PreviewSizes().choose({ ...course, stem: [course.stem[0]] }, undefined)).toBe(512);
  });

  it('finer where the change comes late, once what lies before it is there', () => {
    const sizes = new PreviewSizes();
    const slow = full(200, 8000, 100);
    expect(sizes.choose(changed(2), slow)).toBe(128);
    sizes.learn(300);
    expect(sizes.choose(changed(2), slow)).toBe(128);
    // A size that was shown costs only what comes from the change on.
    const known = new PreviewSizes();
    expect(known.choose(course, full(10, 20, 5))).toBe(512);
    known.learn(60);
    expect(known.choose(changed(2), slow)).toBe(512);
  });

  it('coarser after one that took longer than was thought, and finer again after one that did not', () => {
    const sizes = new PreviewSizes();
    const known = full(100, 1500, 100);
    expect(sizes.choose(changed(0), known)).toBe(256);
    sizes.learn(700);
    expect(sizes.choose(changed(0), known)).toBe(128);
    sizes.learn(60);
    expect(sizes.choose(changed(0), known)).toBe(256);
  });
});
