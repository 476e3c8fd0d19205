import { spacingOf } from '../../field/ground';
import type { Rectangle } from './brush';
import type { BrushRoom } from './room';
import type { Surface } from './surface';

/** The detail of a piece of ground: how far heights lie apart on average over 1, 2, 4 … samples. */
export interface Detail {
  /** Metres from lattice point to lattice point, finest first. */
  sizes: number[];
  /** Metres of noise at each. */
  amounts: number[];
}

const OCTAVES = 5;
/** The noise below differs so much over one cell, in the mean of squares, beside its amount. */
const NOISE_STEP = 0.3;

/**
 * What the ground around a rectangle is like, from its structure function: the mean of the squared
 * differences over lags of 1, 2, 4 … samples. What one lag adds to the one below it is that octave's.
 */
export function detailAround(surface: Surface, rectangle: Rectangle): Detail {
  const { across, down } = surface.ground;
  const grow = Math.max(16, rectangle.right - rectangle.left);
  const wide = {
    left: Math.max(0, rectangle.left - grow),
    top: Math.max(0, rectangle.top - grow),
    right: Math.min(across, rectangle.right + grow),
    bottom: Math.min(down, rectangle.bottom + grow),
  };
  const heights = surface.heights(wide);
  const [width, height] = [wide.right - wide.left, wide.bottom - wide.top];
  const spacing = spacingOf(surface.ground);
  const sizes: number[] = [];
  const amounts: number[] = [];
  let under = 0;
  for (let octave = 0; octave < OCTAVES; octave++) {
    const lag = 1 << octave;
    if (2 * lag >= Math.min(width, height)) break;
    let sum = 0;
    let count = 0;
    // Second differences: a slope, however steep, is no detail.
    for (let row = lag; row < height - lag; row += 2) {
      for (let column = lag; column < width - lag; column += 2) {
        const at = row * width + column;
        const x = heights[at] - 0.5 * (heights[at - lag] + heights[at + lag]);
        const y = heights[at] - 0.5 * (heights[at - lag * width] + heights[at + lag * width]);
        sum += x * x + y * y;
        count += 2;
      }
    }
    const mean = count ? sum / count : 0;
    sizes.push(2 * lag * Math.min(spacing.x, spacing.y));
    amounts.push(Math.sqrt(Math.max(0, mean - under) / (NOISE_STEP * NOISE_STEP)));
    under = Math.max(under, mean);
  }
  return { sizes, amounts };
}

/** Adds noise of that detail over a rectangle of samples to the floats at `at`, metres; the same wherever the rectangle begins. */
export function addDetail(
  room: BrushRoom,
  at: number,
  { sizes, amounts }: Detail,
  seed: number,
  place: { width: number; height: number; east: number; south: number; stepX: number; stepY: number },
): void {
  for (const [k, size] of sizes.entries()) {
    if (amounts[k] === 0) continue;
    const [x, y] = [place.east / size + k * 17.37, place.south / size - k * 5.91];
    room.kernels.brushNoise(at, place.width, place.height, x, y, place.stepX / size, place.stepY / size, amounts[k], seed + k);
  }
}
