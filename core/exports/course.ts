/** What a terrain is made of, and how it is worked out. */

import '../zod-jitless';

export { type CachedStage, endStage, type KeptStages, StageCache } from '../course/cache';
export { evaluate, type Evaluation, maskAt, type Stage } from '../course/evaluate';
export { fieldOf, validOf } from '../course/field-of';
export { groundKey } from '../course/ground-key';
export { assetsOfProject, optionalAssetsOfProject, type Project, readProject, type WorkedGround, writeProject } from '../course/project';
export { type Receiver } from '../course/receiver';
export {
  type Cover,
  type CoverLayer,
  coverSchema,
  type Grain,
  GRAINS,
  mapSchema,
  type MapSpec,
  type Order,
  orderSchema,
  RAMPS,
  type Source,
} from '../course/recipe';
export { describeChange, type StageReport } from '../course/report';
export {
  allUses,
  assetsOf,
  type Course,
  type Compared,
  type Comparison,
  COURSE_VERSION,
  courseSchema,
  findUse,
  type Hold,
  HOLDS,
  inputsOf,
  type CourseLine,
  linesOf,
  loopBetween,
  loopSentence,
  makeCourse,
  makeTributary,
  parseCourse,
  readersOf,
  settingsOf,
  stepUse,
  type StepUse,
  type Tributary,
} from '../course/schema';
export { beginRolled, courseWithSeeds, rollCourse, seedsOf } from '../course/roll';
export { type StartingCourse, startingCourse, startingCourses } from '../course/starting';
export { waterRulesOf } from '../course/water';
export { COMBINES, inputsOfWhere, maskUse, type MaskUse } from '../course/where';
export {
  distanceFromSeen,
  evaluateAtSamples,
  filterFor,
  resampleEvaluation,
  type Sampling,
  type SamplingReport,
  samplingWords,
  distanceLaidOut,
  usualSampling,
} from '../course/at-samples';
export { waitsForLine } from '../course/waiting';
