/** The rock that a terrain is made of. */

import '../zod-jitless';

export { bedTable, type BedTable } from '../rock/beds';
export { hardnessAtSurface } from '../rock/hardness';
export { type Rock, ROCK_PRESETS, type RockFault, rockSchema, rockSettings } from '../rock/rock';
export { upliftOf } from '../rock/structure';
