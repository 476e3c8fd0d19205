import { hash32 } from '../field/hash';
import type { Course, StepUse } from './schema';

/** Seeds are of at most six digits, to be read and typed. */
const SEEDS = 1_000_000;

/**
 * Another ground of the same kind: every seed of every step and mask of a course drawn anew by one number. 0 is the course
 * as it is; the same number gives the same ground.
 */
export function rollCourse(course: Course, roll: number): Course {
  if (roll === 0) return course;
  const seeded = <T extends { params: Record<string, unknown> }>(one: T): T =>
    typeof one.params.seed === 'number' ? { ...one, params: { ...one.params, seed: hash32(one.params.seed, roll) % SEEDS } } : one;
  const rolled = (use: StepUse): StepUse => {
    const own = seeded(use);
    return own.where.masks.length ? { ...own, where: { ...own.where, masks: own.where.masks.map(seeded) } } : own;
  };
  return { ...course, stem: course.stem.map(rolled), tributaries: course.tributaries.map((line) => ({ ...line, steps: line.steps.map(rolled) })) };
}
