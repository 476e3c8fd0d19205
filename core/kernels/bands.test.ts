import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { turnTakingKernels } from '../../tests/helpers/turn-taking';
import { evaluate } from '../course/evaluate';
import { makeCourse, stepUse, type Course } from '../course/schema';
import { startingCourses } from '../course/starting';
import { makeGround } from '../field/ground';
import { steps } from '../steps';
import { inlineKernels } from './pool';

// Compared as buffers: a difference printed sample by sample would take minutes.
const sameBytes = (a: Float32Array, b: Float32Array) => Buffer.compare(Buffer.from(a.buffer), Buffer.from(b.buffer)) === 0;

const line = {
  points: [
    { east: 100, south: 100 },
    { east: 700, south: 500 },
    { east: 300, south: 900 },
  ],
};
const everyStep = makeCourse(
  'all',
  groundOf(301, 233, 4),
  steps
    .filter((step) => !['raster', 'mosaic', 'join', 'sculpt', 'flat', 'invert'].includes(step.id))
    .map((step) => stepUse(step.id, step.params.shape.points && step.id !== 'curve' ? line : {}, { strength: 0.7 })),
);
const courses: { name: string; course: Course }[] = [
  { name: 'every step', course: everyStep },
  ...startingCourses.map(({ id, make }) => {
    const course = make();
    return { name: id, course: { ...course, ground: makeGround({ ...course.ground, across: 257, down: 257 }) } };
  }),
];

/** The steps whose ground differs, first to last. */
async function differing(course: Course, bands: number, lastFirst: boolean): Promise<string[]> {
  const alone = await evaluate(course, { kernels: inlineKernels() });
  expect(alone.stages.filter((s) => s.fault)).toEqual([]);
  const { stages } = await evaluate(course, { kernels: turnTakingKernels(bands, lastFirst) });
  return stages.flatMap((stage, i) => (sameBytes(stage.height, alone.stages[i].height) ? [] : [stage.use.step]));
}

describe('bands that work one after the other between two meetings', () => {
  it.each(courses)('give the bytes of one band, in either order: $name', async ({ course }) => {
    expect(await differing(course, 3, false)).toEqual([]);
    expect(await differing(course, 4, true)).toEqual([]);
  });
});
