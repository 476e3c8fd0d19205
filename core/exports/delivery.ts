/** Receivers, maps, proofs, and the order that hands a terrain on. */

import '../zod-jitless';

export { bundle } from '../delivery/bundle';
export { type CoverOptions, coverWeights, groundColour, packWeights, type Picture, ranks, usualCover } from '../delivery/cover';
export { deliver, nameBeside } from '../delivery/deliver';
export { type Docket, type DocketFile, proofLines } from '../delivery/docket';
export { encode, type Encoding, quantise } from '../delivery/encode';
export { writeLayer } from '../delivery/layer';
export { drawMap, MAPS } from '../delivery/maps';
export { courseOf, type HandedFile, handOn, MOST_IN_A_TAB, orderFor, type Plan, planOf, sourceName } from '../delivery/order';
export { borderAgainst, borderWords, prepare, type Prepared, type Said } from '../delivery/prepare';
export { type Proof, prove } from '../delivery/proof';
export { badName, fileNameFor, groundFor, nextSize, readReceiver, receivers, safeName, type SizeOffer, sizesFor, whyNot } from '../delivery/receiver';
export { extended, tileSides } from '../delivery/tiles';
export { type Symptom, SYMPTOMS, symptomsOfNormals, trialReading, type TrialSettings } from '../delivery/trial';
export { buffersOfWritten, doWriting, type Writer, writerHere, writerThere, type WriteTask, type Written } from '../delivery/writer';
