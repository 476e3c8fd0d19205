import type { Program } from '../program';
import { displaceProgram, placeProgram } from './displace';
import { filterProgram } from './filter';
import { medianProgram } from './median';
import { noiseProgram } from './noise';
import { steepnessProgram } from './steepness';
import { talusProgram } from './talus';

/** Every program by its id, for the pool's workers. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- arguments and results differ from program to program
export const programs: Record<string, Program<any, any, any>> = {
  [noiseProgram.id]: noiseProgram,
  [talusProgram.id]: talusProgram,
  [filterProgram.id]: filterProgram,
  [medianProgram.id]: medianProgram,
  [steepnessProgram.id]: steepnessProgram,
  [displaceProgram.id]: displaceProgram,
  [placeProgram.id]: placeProgram,
};
