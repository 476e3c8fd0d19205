/** Heights on a grid: ground, field, resampling, turning, cutting out. */

import '../zod-jitless';

export { besideHoles } from '../field/beside-holes';
export { type Field, fieldFrom, flatField, makeField } from '../field/field';
export { gaussian } from '../field/gaussian';
export { type Ground, groundAtSamples, makeGround, MAX_SIDE, previewGround, type Registration, sameSamples, spacingOf, withSamples } from '../field/ground';
export { sha256, sha256OfText } from '../field/hash';
export { type Place, splineThrough } from '../field/line';
export { fillForDisplay } from '../field/fill-for-display';
export { type Filter, FILTERS, resample, resampledRows } from '../field/resample';
export { changeBetween, histogram, type Histogram, shareUnderWater, statistics, type Statistics } from '../field/statistics';
export { TILE, tileFromBytes, tileKey, type Tiles, tileToBytes, unrollTiles } from '../field/tiles';
export { flipColumns, flipRows, turn } from '../field/turn';
export { fillVoids } from '../field/voids';
