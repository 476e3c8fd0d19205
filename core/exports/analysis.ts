/** What is measured on a ground. */

import '../zod-jitless';

export { ambientShade, DEFAULT_AMBIENT, skyLight, type Sun, SUN_DISC, sunShare } from '../analysis/ambient';
export { compareFields } from '../analysis/compare/exact';
export type { Fit } from '../analysis/compare/fit';
export { differenceBetween, differenceField, numbersOf, type Difference, type SideNumbers } from '../analysis/compare/measure';
export { LAID, layOn, readTurnedBack, type Laid, type Orientation, type Placement } from '../analysis/compare/placement';
export type { Relation } from '../analysis/compare/relation';
export { compareSides, placementOf, type SidesCompared, usualLaid } from '../analysis/compare/sides';
export { compareFitted, type ComparisonFinding, type ComparisonMend, type FittedComparison } from '../analysis/compare/verdict';
export { countDistinct } from '../analysis/distinct';
export {
  catchmentsOf,
  describeDrainage,
  drainageOf,
  type DrainageReport,
  lakesOf,
  spreadAccumulation,
  type Spreading,
  streamsAsGeoJson,
  streamsOf,
  defaultChannelArea,
} from '../analysis/drainage';
export { describeLand, type LandReport, type LandVerdict, USUAL_LAND } from '../analysis/land';
export { shorelineLength } from '../analysis/shoreline';
export { DistinctCount } from '../analysis/distinct-count';
export { aspect, hillshade, slope, steepestDrop, DEFAULT_LIGHT, hillshadeOnKernels, slopeOnKernels, surfaceOfRows, type Light } from '../analysis/slope';
export { powerSpectrum, spectralSlope, type SpectrumPoint } from '../analysis/spectrum';
export { usualWater, type Water, waterDepth, waterOf, type WaterRules, WATERS, type Waters, waterSchema, waterWeights } from '../analysis/water';
export { curvature, normalMap, roughness } from '../analysis/surface';
export type { Window as SampleWindow } from '../field/window';
export { changedPart, grown, litWindow, pieceOfField, renewed } from '../analysis/touched';
