import type { Program } from '../program';
import { breachProgram } from './breach';
import { deflateProgram } from './deflate';
import { distanceProgram } from './distance';
import { pressProgram } from './press';
import { accumulationProgram, drainageProgram } from './drainage';
import { displaceProgram, placeProgram } from './displace';
import { doubledProgram } from './doubled';
import { filterProgram } from './filter';
import { fluvialProgram } from './fluvial';
import { frontProgram } from './front';
import { greedyProgram } from './greedy';
import { horizonProgram } from './horizon';
import { iceProgram } from './ice';
import { medianProgram } from './median';
import { readLinesProgram, writeLinesProgram } from './mesh-lines';
import { noiseProgram } from './noise';
import { normalsProgram } from './normals';
import { patchErrorsProgram } from './patch-errors';
import { remapProgram } from './remap';
import { resampleProgram } from './resample';
import { runoffProgram } from './runoff';
import { steepnessProgram } from './steepness';
import { structureProgram } from './structure';
import { surfaceProgram } from './surface';
import { talusProgram } from './talus';
import { unstepProgram } from './unstep';
import { windProgram } from './wind';

/** Every program by its id, for the pool's workers. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- arguments and results differ from program to program
export const programs: Record<string, Program<any, any, any>> = {
  [noiseProgram.id]: noiseProgram,
  [drainageProgram.id]: drainageProgram,
  [accumulationProgram.id]: accumulationProgram,
  [pressProgram.id]: pressProgram,
  [fluvialProgram.id]: fluvialProgram,
  [iceProgram.id]: iceProgram,
  [horizonProgram.id]: horizonProgram,
  [runoffProgram.id]: runoffProgram,
  [windProgram.id]: windProgram,
  [breachProgram.id]: breachProgram,
  [deflateProgram.id]: deflateProgram,
  [distanceProgram.id]: distanceProgram,
  [talusProgram.id]: talusProgram,
  [unstepProgram.id]: unstepProgram,
  [filterProgram.id]: filterProgram,
  [frontProgram.id]: frontProgram,
  [greedyProgram.id]: greedyProgram,
  [medianProgram.id]: medianProgram,
  [readLinesProgram.id]: readLinesProgram,
  [writeLinesProgram.id]: writeLinesProgram,
  [steepnessProgram.id]: steepnessProgram,
  [doubledProgram.id]: doubledProgram,
  [normalsProgram.id]: normalsProgram,
  [patchErrorsProgram.id]: patchErrorsProgram,
  [remapProgram.id]: remapProgram,
  [resampleProgram.id]: resampleProgram,
  [structureProgram.id]: structureProgram,
  [surfaceProgram.id]: surfaceProgram,
  [displaceProgram.id]: displaceProgram,
  [placeProgram.id]: placeProgram,
};
