import type { Program } from '../program';
import { noiseProgram } from './noise';
import { talusProgram } from './talus';

/** Every program by its id, for the pool's workers. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- arguments and results differ from program to program
export const programs: Record<string, Program<any, any, any>> = {
  [noiseProgram.id]: noiseProgram,
  [talusProgram.id]: talusProgram,
};
