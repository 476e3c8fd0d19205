import { usualWater, type WaterRules } from '../analysis/water';
import { stepById } from '../steps';
import type { Course } from './schema';

/**
 * What counts as a lake and as a stream on a terrain: as it was set, or as is usual for its size. Ground that no weather has
 * worked on is full of hollows, and none of them is meant: there the sea alone counts until it is said otherwise.
 */
export function waterRulesOf(course: Pick<Course, 'ground' | 'stem' | 'water'>): WaterRules {
  if (course.water) return course.water;
  const weathered = course.stem.some((use) => use.on && stepById(use.step).family === 'weather');
  return { ...usualWater(course.ground), lakes: weathered, streams: weathered };
}
