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

export const USUAL_AMBIENT: AmbientOptions = { directions: 16, exaggeration: 1 };

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
export function ambientShade({ ground, height }: Field, options: AmbientOptions = USUAL_AMBIENT): Float32Array<ArrayBuffer> {
  const { across, down } = ground;
  const spacing = spacingOf(ground);
  const { sin, cos } = exactMath();
  const sky = new Float32Array(across * down);
  const half = Math.max(1, Math.round(options.directions / 2));
  const hull = new Int32Array(across + down);
  const away = new Float64Array(across + down);
  const z = options.exaggeration;
  for (let k = 0; k < half; k++) {
    options.signal?.throwIfAborted();
    options.progress?.(k / half);
    // Each line serves its two opposite directions.
    const angle = ((k + 0.5) * 180 * DEGREE) / half;
    const [toEast, toSouth] = [cos(angle), sin(angle)];
    const [east, south] = [toEast / spacing.x, toSouth / spacing.y];
    const alongX = Math.abs(east) >= Math.abs(south);
    const [long, wide] = alongX ? [across, down] : [down, across];
    const lean = alongX ? south / east : east / south;
    const shifts = Int32Array.from({ length: long }, (_, i) => Math.round(lean * i));
    // How far along the direction the samples of a line really lie, metres.
    const [alongLong, alongWide] = alongX ? [toEast * spacing.x, toSouth * spacing.y] : [toSouth * spacing.y, toEast * spacing.x];
    const reached = Float64Array.from({ length: long }, (_, i) => Math.abs(i * alongLong + shifts[i] * alongWide));
    const last = shifts[long - 1];
    const [first, end] = [Math.min(0, -last), wide + Math.max(0, -last)];
    for (let line = first; line < end; line++) {
      // The stretch of the line that lies on the ground.
      let [from, to] = [0, long - 1];
      while (from < long && (line + shifts[from] < 0 || line + shifts[from] >= wide)) from++;
      while (to >= from && (line + shifts[to] < 0 || line + shifts[to] >= wide)) to--;
      for (const way of [1, -1]) {
        let size = 0;
        for (let n = way > 0 ? from : to; way > 0 ? n <= to : n >= from; n += way) {
          const cross = line + shifts[n];
          if (cross < 0 || cross >= wide) continue;
          const i = alongX ? cross * across + n : n * across + cross;
          const h = height[i] * z;
          const at = reached[n] * way;
          // Drop from the hull what lies under the line from here to what stands before it.
          let horizon = 0;
          while (size > 0) {
            const slope = (height[hull[size - 1]] * z - h) / (at - away[size - 1]);
            if (size > 1 && (height[hull[size - 2]] * z - h) / (at - away[size - 2]) >= slope) {
              size--;
              continue;
            }
            horizon = Math.max(0, slope);
            break;
          }
          hull[size] = i;
          away[size++] = at;
          sky[i] += 1 / (1 + horizon * horizon);
        }
      }
    }
  }
  for (let i = 0; i < sky.length; i++) sky[i] /= 2 * half;
  return sky;
}
