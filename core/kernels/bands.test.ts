import { describe, expect, it } from 'vitest';
import { everyStep } from '../../tests/helpers/every-step';
import { turnTakingKernels } from '../../tests/helpers/turn-taking';
import { evaluate, type Evaluation } from '../course/evaluate';
import type { Course } from '../course/schema';
import { startingCourses } from '../course/starting';
import { makeGround } from '../field/ground';
import { inlineKernels } from './pool';

// Compared as buffers: a difference printed sample by sample would take minutes.
const sameBytes = (a: Float32Array, b: Float32Array) => Buffer.compare(Buffer.from(a.buffer), Buffer.from(b.buffer)) === 0;

const courses: { name: string; course: Course }[] = [
  { name: 'every step', course: everyStep() },
  ...startingCourses.map(({ id, make }) => {
    const course = make();
    return { name: id, course: { ...course, ground: makeGround({ ...course.ground, across: 161, down: 161 }) } };
  }),
];

/** The steps whose ground differs from that of one band, first to last. */
async function differing(course: Course, alone: Evaluation, bands: number, lastFirst: boolean): Promise<string[]> {
  const { stages } = await evaluate(course, { kernels: turnTakingKernels(bands, lastFirst) });
  return stages.flatMap((stage, i) => (sameBytes(stage.height, alone.stages[i].height) ? [] : [stage.use.step]));
}

describe('bands that work one after the other between two meetings', () => {
  it.each(courses)('give the bytes of one band, in either order: $name', async ({ course }) => {
    const alone = await evaluate(course, { kernels: inlineKernels() });
    expect(alone.stages.filter((s) => s.fault)).toEqual([]);
    expect(await differing(course, alone, 3, false)).toEqual([]);
    expect(await differing(course, alone, 4, true)).toEqual([]);
  });
});
