/** What the inspection of an incoming file notices. */

import '../zod-jitless';

export { inspectByRows } from '../inspect/by-rows';
export { findingsIn, type Mend } from '../inspect/findings';
export { inspect } from '../inspect/inspect';
export { extentOf, laidByNames, laidByPlace, layoutByNames, type Piece, type Seam, seamsOf } from '../inspect/mosaic';
export { rankRawReadings, type RawCandidate } from '../inspect/raw-readings';
