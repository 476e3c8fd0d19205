/** Ground of any size, worked out in tiles. */

import '../zod-jitless';

export { type FinishedWorld, finishedIn, finishWorld, tileField } from '../world/finish';
export { type WorldTile, worldTiles } from '../world/plan';
export { isBased, rangeOfBase, workWorldBase } from '../world/base-store';
export { MOST_LOOKED_AT, WorldReader } from '../world/look';
export {
  beginWorld,
  manifestIn,
  openWorld,
  planOfOrder,
  projectOf,
  type World,
  type WorldManifest,
  type WorldOrder,
  worldOrderSchema,
} from '../world/manifest';
export { WORLD_FORMATS, type WorldCost, worldCost, type WorldFormat, worldOrderFor } from '../world/order';
export { tileNote, type WorldStore } from '../world/store';
export { squaresOf } from '../world/fine-store';
export { discardNote, isNoted, noteOf, type TileNote, TileWorker } from '../world/tile-work';
export { type SeamProof } from '../world/seams';
