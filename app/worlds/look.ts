import { encodeRgb, hillshade, makeField, openWorld, UplandError, WorldReader, type World } from '@upland-cast/core';
import { folderStore } from '../../cli/world/folder';
import { rampPixels, TINT } from '../drawing/ramp';
import { WATER } from '../drawing/palette';
import { carriedOn } from './carry-on';
import { zoomsOf } from './zoom';

/** What is looked at of a world: a picture of the map, or heights. */
export type LookTask =
  | { kind: 'tile'; folder: string; z: number; x: number; y: number; range: { low: number; high: number } }
  | { kind: 'heights'; folder: string; left: number; top: number; across: number; down: number; stride: number };

export const TILE = 256;
const RAMP = rampPixels(TINT);
/** What is not there yet, and what lies beyond the ground. */
const PAPER = [233, 228, 214];

/** The world that was looked at last, with what was read of it. */
let held: { folder: string; world: World; reader: WorldReader } | null = null;

async function opened(folder: string) {
  if (held?.folder !== folder) {
    const store = folderStore(folder);
    const world = await openWorld(store);
    held = { folder, world, reader: new WorldReader(store, world) };
  }
  return held;
}

/** Answers a look: a PNG, or floats. */
export async function lookAtWorld(task: LookTask): Promise<{ bytes: Uint8Array<ArrayBuffer>; type: string }> {
  const { world, reader } = await opened(task.folder);
  if (task.kind === 'heights') {
    const { left, top, across, down, stride } = task;
    const heights = await reader.heights({ left, top, across, down }, stride);
    return { bytes: new Uint8Array(heights.buffer), type: 'application/octet-stream' };
  }
  const { z, x, y, range } = task;
  const zooms = zoomsOf(world.ground);
  if (z > zooms) throw new UplandError('outside', `There is no tile ${x}, ${y} at zoom ${z}.`);
  const stride = 2 ** (zooms - z);
  // A sample more on every side, so that shades meet at the edges.
  const window = { left: (x * TILE - 1) * stride, top: (y * TILE - 1) * stride, across: TILE + 2, down: TILE + 2 };
  const heights = await reader.heights(window, stride);
  return { bytes: encodeRgb(shaded(heights, reader, window, stride, range, world.ground.sea), TILE, TILE), type: 'image/png' };
}

/** The relief of heights as they lie in a picture, without the sample around them. */
function shaded(
  heights: Float32Array<ArrayBuffer>,
  reader: WorldReader,
  window: { left: number; top: number; across: number; down: number },
  stride: number,
  { low, high }: { low: number; high: number },
  sea: number,
): Uint8Array<ArrayBuffer> {
  const side = TILE + 2;
  const ground = reader.groundOf(window, stride);
  // Slopes flatten from afar; they are lifted by the root of how much coarser it is.
  const shade = hillshade(makeField(ground, carriedOn(heights, side, low)), {
    azimuth: 315,
    altitude: 45,
    exaggeration: Math.min(3, Math.max(1, Math.sqrt(stride / 2))),
  });
  const rgb = new Uint8Array(3 * TILE * TILE);
  for (let row = 0; row < TILE; row++) {
    for (let column = 0; column < TILE; column++) {
      const i = (row + 1) * side + column + 1;
      const to = 3 * (row * TILE + column);
      const h = heights[i];
      if (h !== h) {
        rgb.set(PAPER, to);
        continue;
      }
      // Of a sea's floor only a breath is seen through the water.
      const light = h < sea ? 0.92 + (0.12 * shade[i]) / 255 : 0.45 + (0.75 * shade[i]) / 255;
      const at = 4 * Math.round(255 * Math.min(1, Math.max(0, (h - low) / Math.max(1, high - low))));
      for (let k = 0; k < 3; k++) rgb[to + k] = Math.min(255, (h < sea ? WATER.pale[k] : RAMP[at + k]) * light);
    }
  }
  return rgb;
}
