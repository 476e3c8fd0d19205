import { hash32 } from '../field/hash';
import type { Course, StepUse } from './schema';

/** Seeds are of at most six digits, to be read and typed. */
const SEEDS = 1_000_000;

/** The key of the rock's own seed; no step has it for its id. */
const ROCK = '/rock';

/** Every seed of a course, by the id of its step, or of its step and mask: "step/mask"; its rock's by "/rock". */
export type Seeds = Record<string, number>;

/** A course whose steps, masks and rock with a seed have the one that is drawn for them. */
function reseed(course: Course, seedOf: (key: string, seed: number) => number): Course {
  const seeded = <T extends { params: Record<string, unknown> }>(one: T, key: string): T =>
    typeof one.params.seed === 'number' ? { ...one, params: { ...one.params, seed: seedOf(key, one.params.seed) } } : one;
  const rolled = (use: StepUse): StepUse => {
    const own = seeded(use, use.id);
    const masks = own.where.masks.map((mask) => seeded(mask, `${use.id}/${mask.id}`));
    return masks.length ? { ...own, where: { ...own.where, masks } } : own;
  };
  return {
    ...course,
    stem: course.stem.map(rolled),
    tributaries: course.tributaries.map((line) => ({ ...line, steps: line.steps.map(rolled) })),
    ...(course.rock && { rock: { ...course.rock, seed: seedOf(ROCK, course.rock.seed) } }),
  };
}

/**
 * Another ground of the same kind: every seed of every step, every mask and the rock of a course drawn anew by one number. 0 is the course
 * as it is; the same number gives the same ground.
 */
export function rollCourse(course: Course, roll: number): Course {
  return roll === 0 ? course : reseed(course, (_, seed) => hash32(seed, roll) % SEEDS);
}

/** Every seed that a course has now. */
export function seedsOf(course: Course): Seeds {
  const seeds: Seeds = {};
  reseed(course, (key, seed) => (seeds[key] = seed));
  return seeds;
}

/** A course with seeds that it has had; a step, mask or rock that came later keeps its own. */
export const courseWithSeeds = (course: Course, seeds: Seeds): Course => reseed(course, (key, seed) => seeds[key] ?? seed);

/** A starting course rolled by a number, with that roll and the course's own kept, to go back and forth between them. */
export function beginRolled(course: Course, roll: number): Course {
  const rolled = rollCourse(course, roll);
  const kept = [{ number: 0, favourite: false, seeds: seedsOf(course) }];
  if (roll !== 0) kept.push({ number: roll, favourite: false, seeds: seedsOf(rolled) });
  return { ...rolled, wholeRolls: kept };
}
