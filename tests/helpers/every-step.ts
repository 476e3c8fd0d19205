import { makeCourse, stepUse, type Course } from '../../core/course/schema';
import { rockSchema } from '../../core/rock/rock';
import { steps } from '../../core/steps';
import { groundOf } from './grounds';

const line = {
  points: [
    { east: 100, south: 100 },
    { east: 700, south: 500 },
    { east: 300, south: 900 },
  ],
};

/** A course of every step that needs nothing beside itself, on a ground that is no square. */
export const everyStep = (): Course => ({
  ...makeCourse(
    'all',
    groundOf(201, 157, 6),
    steps
      .filter((step) => !['raster', 'mosaic', 'join', 'sculpt', 'flat', 'invert'].includes(step.id))
      .map((step) => stepUse(step.id, step.params.shape.points && step.id !== 'curve' ? line : {}, { strength: 0.7 })),
  ),
  rock: rockSchema.parse({ thickness: 20, dip: 12, foldLength: 400, faults: [{ east: 500, south: 400, strike: 40, throw: 30 }] }),
});
