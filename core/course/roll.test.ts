import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../kernels/pool';
import { evaluate } from './evaluate';
import { beginRolled, courseWithSeeds, rollCourse, seedsOf as everySeedOf } from './roll';
import type { Course } from './schema';
import { startingCourse, startingCourses } from './starting';

const seedsOf = (course: Course) =>
  [...course.stem, ...course.tributaries.flatMap((line) => line.steps)].flatMap((use) => [use.params.seed, ...use.where.masks.map((mask) => mask.params.seed)]);

describe('another roll of a course', () => {
  it.each(startingCourses)('draws every seed of $id anew, and nothing else', ({ make }) => {
    const course = make();
    const rolled = rollCourse(course, 7);
    const [before, after] = [seedsOf(course), seedsOf(rolled)];
    expect(after.length).toBe(before.length);
    before.forEach((seed, i) => (seed === undefined ? expect(after[i]).toBeUndefined() : expect(after[i]).not.toBe(seed)));
    const bare = (c: Course) => JSON.stringify(c, (key, value: unknown) => (key === 'seed' ? 0 : value));
    expect(bare(rolled)).toBe(bare(course));
  });

  it('has other rock, which goes back with the rest', () => {
    const own = startingCourse('scarplands')!.make();
    const rolled = rollCourse(own, 4);
    expect(rolled.rock!.seed).not.toBe(own.rock!.seed);
    expect(rollCourse(own, 5).rock!.seed).not.toBe(rolled.rock!.seed);
    expect(courseWithSeeds(rolled, everySeedOf(own))).toEqual(own);
    // Rolls that were kept before the rock was rolled say nothing of it.
    const { '/rock': rock, ...before } = everySeedOf(own);
    expect(rock).toBe(own.rock!.seed);
    expect(courseWithSeeds(rolled, before).rock).toEqual(rolled.rock);
    expect(rollCourse(startingCourse('dune-sea')!.make(), 4).rock).toBeUndefined();
  });

  it('is the same for the same number, and the course itself for 0', () => {
    const course = startingCourse('dune-sea')!.make();
    expect(rollCourse(course, 0)).toBe(course);
    expect(rollCourse(course, 3)).toEqual(rollCourse(course, 3));
    expect(seedsOf(rollCourse(course, 3))).not.toEqual(seedsOf(rollCourse(course, 4)));
  });

  it('is another ground of the same kind: its range is like the one before, its places are not', async () => {
    const course = startingCourse('crest-range')!.make();
    const small = { ...course, ground: { ...course.ground, across: 129, down: 129 } };
    const kernels = inlineKernels();
    const [a, b] = await Promise.all([small, rollCourse(small, 5)].map(async (c) => (await evaluate(c, { kernels })).height));
    const range = (h: Float32Array) => Math.max(...h) - Math.min(...h);
    expect(range(b) / range(a)).toBeGreaterThan(0.5);
    expect(range(b) / range(a)).toBeLessThan(2);
    const apart = Math.sqrt(a.reduce((sum, h, i) => sum + (h - b[i]) ** 2, 0) / a.length);
    expect(apart).toBeGreaterThan(0.1 * range(a));
  });

  it('is gone back from by the seeds that were kept; a step that came later keeps its own', () => {
    const own = startingCourse('ice-fells')!.make();
    const rolled = beginRolled(own, 11);
    expect(rolled.wholeRolls.map(({ number }) => number)).toEqual([0, 11]);
    expect(everySeedOf(rolled)).toEqual(rolled.wholeRolls[1].seeds);
    expect(courseWithSeeds(rolled, rolled.wholeRolls[0].seeds).stem).toEqual(own.stem);
    const later = { ...rolled.stem[0], id: 'later', params: { ...rolled.stem[0].params, seed: 4_242 } };
    const grown = courseWithSeeds({ ...rolled, stem: [...rolled.stem, later] }, rolled.wholeRolls[0].seeds);
    expect(grown.stem.at(-1)!.params.seed).toBe(4_242);
    expect(grown.stem.slice(0, -1)).toEqual(own.stem);
  });

  it('tells masks of one name apart by their steps', () => {
    const course = startingCourse('dune-sea')!.make();
    const mask = { id: 'm', kind: 'noise', params: { seed: 1 } };
    const twice = {
      ...course,
      stem: course.stem.map((use, i) => ({ ...use, where: { ...use.where, masks: [{ ...mask, params: { seed: i + 1 } }] } })),
    } as unknown as Course;
    const seeds = everySeedOf(twice);
    twice.stem.forEach(({ id }, i) => expect(seeds[`${id}/m`]).toBe(i + 1));
    expect(courseWithSeeds(twice, seeds)).toEqual(twice);
  });
});
