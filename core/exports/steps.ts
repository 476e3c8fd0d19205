/** The steps of a course, their parameters, and brushes. */

import '../zod-jitless';

export { around, type Brush, BRUSHES, type BrushKind, makeBrush, mirrored, type Rectangle, STAMPS, type StrokePlace } from '../steps/sculpt/brush';
export { placesBetween, playStrokes, type StrokeRecord, STROKES_A_FILE, strokesFromBytes, strokesToBytes } from '../steps/sculpt/record';
export { StrokeOnSurface, type StrokeTools } from '../steps/sculpt/stroke';
export { Surface } from '../steps/sculpt/surface';
export { weatherPiece } from '../steps/sculpt/weathered';
export { knownStep, stepById, steps } from '../steps';
export { type GroundMeasure, measureGround, startingElevations, startingValues, USUAL_GROUND } from '../steps/starting-values';
export { isShown, type ParamMeta, paramsOf } from '../steps/params';
export { clipWords, rangeWords } from '../steps/range/words';
export { type CurvePoint, monotoneCurve } from '../steps/shape/curve';
export { FAMILIES, type Family, JOIN_MODES, type JoinMode, type Layers } from '../steps/step';
export { FALLOFFS } from '../steps/sculpt/falloff';
