/** Ground of any size, worked out in tiles. */

import '../zod-jitless';

export { type FinishedWorld, finishWorld, type SeamProof, tileField } from '../world/finish';
export { type WorldTile } from '../world/plan';
export { tileFile, type WorldStore } from '../world/store';
export { beginWorld, isBased, isNoted, noteOf, openWorld, type TileNote, TileWorker, type World, type WorldOrder, workWorldBase } from '../world/world';
