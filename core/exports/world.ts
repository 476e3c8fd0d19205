/** Ground of any size, worked out in tiles. */

import '../zod-jitless';

export { type FinishedWorld, finishWorld, tileField } from '../world/finish';
export { type WorldTile } from '../world/plan';
export { isBased, workWorldBase } from '../world/base-store';
export { beginWorld, openWorld, tileFile, type World, type WorldAside, type WorldOrder } from '../world/manifest';
export { type WorldStore } from '../world/store';
export { isNoted, noteOf, type TileNote, TileWorker } from '../world/tile-work';
export { type SeamProof } from '../world/seams';
