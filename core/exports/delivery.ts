/** Receivers, maps, proofs, and the order that hands a terrain on. */

import '../zod-jitless';

export { bundle } from '../delivery/bundle';
export {
  type CoverOptions,
  coverWeights,
  grainOfLayer,
  groundColour,
  groundColourAndGrain,
  packWeights,
  type Picture,
  ranks,
  defaultCover,
} from '../delivery/maps/cover';
export { deliver, nameBeside } from '../delivery/heights/deliver';
export { type DeliveryReport, type ReportedFile, proofLines } from '../delivery/report/delivery-report';
export { encode, type Encoding, quantise } from '../delivery/heights/encode';
export { readPicture } from '../delivery/maps/picture';
export { writeLayer } from '../delivery/maps/layer';
export { drawMap, MAPS } from '../delivery/maps/draw';
export { exportOrder, sharedStatistics } from '../delivery/order/export-order';
export { type ExportedFile } from '../delivery/order/files';
export { courseOfSource, MOST_IN_A_TAB, orderForReceiver, type Plan, planOf, sourceName } from '../delivery/order/plan';
export { blockWaysOut, compareBorder, describeBorder, prepare, type Prepared, type Statement } from '../delivery/heights/prepare';
export { type Proof, prove } from '../delivery/heights/proof';
export {
  badName,
  fileNameFor,
  groundForReceiver,
  nextSize,
  readReceiver,
  RECEIVER_FINDS,
  receivers,
  safeName,
  type SizeOffer,
  sizesOfReceiver,
  whyReceiverRefuses,
} from '../delivery/heights/receivers';
export { extendEdges, tileSides } from '../delivery/heights/tiles';
export { type Symptom, SYMPTOMS, symptomsOfNormals, misread, type MisreadSettings } from '../delivery/report/misread';
export { buffersOfWritten, performWriteTask, type Writer, localWriter, remoteWriter, type WriteTask, type Written } from '../delivery/writer';
export { deliverInRows, writingOf, type MadeRows, type RowDelivery, type RowFile, type Tally } from '../delivery/heights/in-rows';
