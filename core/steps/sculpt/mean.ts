import { spacingOf } from '../../field/ground';
import type { Rectangle } from './brush';
import type { BrushRoom } from './room';
import type { Surface } from './surface';

/** Samples that a mean of `reach` metres looks at on each side, twice. */
export function meanReach(surface: Surface, reach: number): { x: number; y: number } {
  const spacing = spacingOf(surface.ground);
  return { x: Math.max(1, Math.round(reach / spacing.x)), y: Math.max(1, Math.round(reach / spacing.y)) };
}

/**
 * The mean of the ground around every sample of a rectangle: two passes of a box whose half
 * width is `reach` metres, at least one sample. Its weights are positive, so that it lies between
 * the ground's own extremes: sums in float64 leave nothing that the rounding to float32 would show. Good until the room is used again.
 */
export function localMean(room: BrushRoom, surface: Surface, rectangle: Rectangle, reach: number): Float32Array<ArrayBuffer> {
  const { x: rx, y: ry } = meanReach(surface, reach);
  const { left, top, right, bottom } = rectangle;
  const wide = { left: left - 2 * rx, top: top - 2 * ry, right: right + 2 * rx, bottom: bottom + 2 * ry };
  const [width, height] = [wide.right - wide.left, wide.bottom - wide.top];
  const one = room.floats(width * height);
  const other = room.floats(width * height);
  const sums = room.floats(2 * (width + 2));
  surface.heights(wide, one.view);
  // Each pass leaves out what it cannot reach, so that no edge has to be thought up.
  const { kernels } = room;
  kernels.brushMeanRows(one.at, other.at, width, height, rx);
  kernels.brushMeanRows(other.at, one.at, width - 2 * rx, height, rx);
  kernels.brushMeanColumns(one.at, other.at, sums.at, right - left, height, ry);
  kernels.brushMeanColumns(other.at, one.at, sums.at, right - left, height - 2 * ry, ry);
  return one.view.subarray(0, (right - left) * (bottom - top));
}
