import { throwIfStopped } from '../errors';
import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { DEGREE, exactMath } from '../kernels/math';

export interface AmbientOptions {
  /** Directions that are looked in, all around. */
  directions: number;
  /** Heights are multiplied by this first. */
  exaggeration: number;
  progress?(share: number): void;
  signal?: AbortSignal;
}

export const DEFAULT_AMBIENT: AmbientOptions = { directions: 16, exaggeration: 1 };

/**
 * Ambient shade: the share of an evenly bright sky that level ground at every sample would be lit
 * by, 0 to 1: the mean over the directions of cos² of the horizon's height, which is
 * 1 / (1 + t²) for a horizon of slope t.
 *
 * The horizon is exact along lines of samples: each direction's lines are walked once, keeping the
 * upper hull of what lies behind, so that the time does not grow with how far one looks
 * (Timonen & Westerholm 2010, "Scalable height field self-shadowing"). Lines follow the nearest
 * samples, at most half a sample beside the true direction.
 */
export function ambientShade({ ground, height }: Field, options: AmbientOptions = DEFAULT_AMBIENT): Float32Array<ArrayBuffer> {
  const { across, down } = ground;
  const spacing = spacingOf(ground);
  const { sin, cos } = exactMath();
  // Lines that run down the ground are walked on a copy turned over, so that neighbours lie side by side.
  const straight = { height, sky: new Float32Array(across * down), long: across, wide: down };
  const turned = { height: transposed(height, across, down), sky: new Float32Array(across * down), long: down, wide: across };
  const half = Math.max(1, Math.round(options.directions / 2));
  const hull = new Float64Array(across + down);
  const away = new Float64Array(across + down);
  const z = options.exaggeration;
  for (let k = 0; k < half; k++) {
    throwIfStopped(options.signal);
    options.progress?.(k / half);
    // Each line serves its two opposite directions.
    const angle = ((k + 0.5) * 180 * DEGREE) / half;
    const [toEast, toSouth] = [cos(angle), sin(angle)];
    const [east, south] = [toEast / spacing.x, toSouth / spacing.y];
    const alongX = Math.abs(east) >= Math.abs(south);
    const { height: h, sky, long, wide } = alongX ? straight : turned;
    const lean = alongX ? south / east : east / south;
    const shifts = new Int32Array(long);
    // How far along the direction the samples of a line really lie, metres.
    const [alongLong, alongWide] = alongX ? [toEast * spacing.x, toSouth * spacing.y] : [toSouth * spacing.y, toEast * spacing.x];
    const reached = new Float64Array(long);
    for (let i = 0; i < long; i++) {
      shifts[i] = Math.round(lean * i);
      reached[i] = Math.abs(i * alongLong + shifts[i] * alongWide);
    }
    const last = shifts[long - 1];
    const [first, end] = [Math.min(0, -last), wide + Math.max(0, -last)];
    for (let line = first; line < end; line++) {
      // The stretch of the line that lies on the ground.
      let [from, to] = [0, long - 1];
      while (from < long && (line + shifts[from] < 0 || line + shifts[from] >= wide)) from++;
      while (to >= from && (line + shifts[to] < 0 || line + shifts[to] >= wide)) to--;
      for (let way = 1; way >= -1; way -= 2) {
        let size = 0;
        const stop = way > 0 ? to + 1 : from - 1;
        for (let n = way > 0 ? from : to; n !== stop; n += way) {
          const i = (line + shifts[n]) * long + n;
          const here = h[i] * z;
          const at = reached[n] * way;
          // Drop from the hull what lies under the line from here to what stands before it.
          let horizon = 0;
          if (size > 0) {
            horizon = (hull[size - 1] - here) / (at - away[size - 1]);
            while (size > 1) {
              const next = (hull[size - 2] - here) / (at - away[size - 2]);
              if (next < horizon) break;
              horizon = next;
              size--;
            }
            if (horizon < 0) horizon = 0;
          }
          hull[size] = here;
          away[size++] = at;
          sky[i] += 1 / (1 + horizon * horizon);
        }
      }
    }
  }
  const { sky } = straight;
  const other = transposed(turned.sky, down, across);
  for (let i = 0; i < sky.length; i++) sky[i] = (sky[i] + other[i]) / (2 * half);
  return sky;
}

/** Rows as columns, in blocks that fit near the processor. */
function transposed(values: Float32Array, across: number, down: number): Float32Array<ArrayBuffer> {
  const out = new Float32Array(values.length);
  const BLOCK = 32;
  for (let top = 0; top < down; top += BLOCK) {
    for (let left = 0; left < across; left += BLOCK) {
      const [below, right] = [Math.min(down, top + BLOCK), Math.min(across, left + BLOCK)];
      for (let row = top; row < below; row++) for (let column = left; column < right; column++) out[column * down + row] = values[row * across + column];
    }
  }
  return out;
}
