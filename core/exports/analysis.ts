/** What is measured on a ground. */

import '../zod-jitless';

export { ambientShade, DEFAULT_AMBIENT, skyLight, type Sun, SUN_DISC, sunShare } from '../analysis/ambient';
export { compareFields } from '../analysis/compare';
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
export { aspect, hillshade, slope, steepestDrop, DEFAULT_LIGHT } from '../analysis/slope';
export { powerSpectrum, spectralSlope, type SpectrumPoint } from '../analysis/spectrum';
export { usualWater, type Water, waterDepth, waterOf, type WaterRules, WATERS, type Waters, waterSchema, waterWeights } from '../analysis/water';
export { curvature, normalMap, roughness } from '../analysis/surface';
