/** The steps of a course, their parameters, and brushes. */

import '../zod-jitless';

export { around, type Brush, BRUSHES, type BrushKind, FALLOFFS, makeBrush, mirrored, type Rectangle, STAMPS, type StrokePlace } from '../steps/hand/brush';
export { placesBetween, playStrokes, type StrokeRecord, STROKES_A_FILE, strokesFromBytes, strokesToBytes } from '../steps/hand/record';
export { StrokeOnSurface, type StrokeTools } from '../steps/hand/stroke';
export { Surface } from '../steps/hand/surface';
export { weatherPiece } from '../steps/hand/weathered';
export { knownStep, stepById, steps } from '../steps';
export { type ParamMeta, paramsOf } from '../steps/params';
export { clipWords, rangeWords } from '../steps/range/words';
export { type CurvePoint, monotoneCurve } from '../steps/shape/curve';
export { type Family, JOIN_MODES, type JoinMode, type Layers } from '../steps/step';
