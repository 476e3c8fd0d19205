import { nearestOn, type Place } from '../../field/line';
import { exactMath } from '../../kernels/math';
import { drawsOf, smoothShare } from './places';

/** The ground that flows run down: its height at a place, metres, places in metres from the vent. */
export type SurfaceAt = (x: number, y: number) => number;

/** A flow of lava: the line of its middle from where it begins, and how far along each point lies. */
export interface LavaFlow {
  line: Place[];
  /** Metres along at each point of the line. */
  along: number[];
  /** Half its width and its thickness, metres. */
  width: number;
  thick: number;
}

export interface LavaParams {
  flows: number;
  thick: number;
  radius: number;
  crater: number;
  kind: string;
}

/** Paths are drawn in steps of this share of the radius, each looking so far around itself. */
const STEP = 1 / 90;
/** How much of its way a flow keeps from the step before: it does not turn on the spot. */
const KEEPS = 0.55;
/** Flows wander by so much of a right angle over so many steps. */
const WANDER = 0.35;
const WANDER_STEPS = 14;
/** Ground gentler than this does not turn a flow. */
const GENTLE = 0.004;

/**
 * Flows that run from the crater, or from a vent on the flank, down the ground as it lies there: each step of the way falls as
 * the ground around does, and keeps some of the way before. In a hollow a flow ends, and fills it no higher than it is thick.
 */
export function lavaFlows({ flows, thick, radius, crater, kind }: LavaParams, seed: number, surface: SurfaceAt): LavaFlow[] {
  const draw = drawsOf(seed);
  const { cos, sin } = exactMath();
  const step = STEP * radius;
  return Array.from({ length: flows }, () => {
    const angle = (2 * draw() - 1) * Math.PI;
    const from = draw() < 0.6 ? 0 : 0.4 * draw();
    const length = (0.45 + 0.5 * draw() - from) * (radius - crater);
    const width = (kind === 'shield' ? 0.05 : 0.035) * radius * (0.6 + 0.8 * draw()) + 0.06 * crater;
    const own = thick * (0.6 + 0.8 * draw());
    const phase = 7 * draw();
    let [dx, dy] = [cos(angle), sin(angle)];
    let [x, y] = [dx * (crater + from * (radius - crater)), dy * (crater + from * (radius - crater))];
    const line: Place[] = [{ east: x, south: y }];
    const along = [0];
    for (let k = 1; k * step < length; k++) {
      const gx = (surface(x + step, y) - surface(x - step, y)) / (2 * step);
      const gy = (surface(x, y + step) - surface(x, y - step)) / (2 * step);
      const steep = Math.sqrt(gx * gx + gy * gy);
      const pull = (1 - KEEPS) * (steep / (steep + GENTLE));
      if (steep > 0) [dx, dy] = [KEEPS * dx - (pull * gx) / steep, KEEPS * dy - (pull * gy) / steep];
      const turn = (WANDER * sin((k * 2 * Math.PI) / WANDER_STEPS + phase)) / WANDER_STEPS;
      [dx, dy] = [dx - turn * dy, dy + turn * dx];
      const long = Math.sqrt(dx * dx + dy * dy);
      if (long < 1e-6) break;
      [dx, dy] = [dx / long, dy / long];
      // Uphill by more than it is thick it does not come.
      if (surface(x + dx * step, y + dy * step) > surface(x, y) + own) break;
      [x, y] = [x + dx * step, y + dy * step];
      line.push({ east: x, south: y });
      along.push(k * step);
    }
    return { line, along, width, thick: own };
  });
}

/** The widest that a flow is anywhere, of its width: in its lobe. */
const WIDEST = 1.8;

/**
 * How thick a flow lies at each sample that it reaches, given to `at` once for a sample: levees at its sides, a channel between them, a
 * lobe at its end (levees of about a fifth of the width: Hulme 1974). `grid`: where samples lie, metres from the vent.
 */
export function layLava(
  { line, along, width, thick }: LavaFlow,
  grid: { firstX: number; firstY: number; stepX: number; stepY: number; across: number; down: number },
  at: (index: number, thickness: number) => void,
): void {
  if (line.length < 2) return;
  const length = along[along.length - 1];
  const reach = WIDEST * width;
  const nearest = new Map<number, { squared: number; along: number }>();
  for (let k = 0; k + 1 < line.length; k++) {
    const [a, b] = [line[k], line[k + 1]];
    const columns = rangeOf(Math.min(a.east, b.east) - reach, Math.max(a.east, b.east) + reach, grid.firstX, grid.stepX, grid.across);
    const rows = rangeOf(Math.min(a.south, b.south) - reach, Math.max(a.south, b.south) + reach, grid.firstY, grid.stepY, grid.down);
    for (let row = rows.from; row < rows.to; row++) {
      for (let column = columns.from; column < columns.to; column++) {
        const { squared, share } = nearestOn(a, b, grid.firstX + column * grid.stepX, grid.firstY + row * grid.stepY);
        if (squared > reach * reach) continue;
        const index = row * grid.across + column;
        const known = nearest.get(index);
        if (!known || squared < known.squared) nearest.set(index, { squared, along: along[k] + share * (along[k + 1] - along[k]) });
      }
    }
  }
  for (const [index, { squared, along: far }] of nearest) {
    const thickness = thicknessOf(far / length, Math.sqrt(squared) / width) * thick;
    if (thickness > 0) at(index, thickness);
  }
}

/** Indices of samples between two places along an axis. */
function rangeOf(low: number, high: number, first: number, step: number, count: number): { from: number; to: number } {
  return { from: Math.max(0, Math.ceil((low - first) / step)), to: Math.min(count, Math.floor((high - first) / step) + 1) };
}

/** The share of its thickness that a flow has: `t` along its way, `off` its middle in widths. */
function thicknessOf(t: number, off: number): number {
  // It spreads on the way, most of all in its lobe.
  const v = off / (0.6 + 0.5 * t + 0.7 * smoothShare((t - 0.8) / 0.2));
  if (v >= 1) return 0;
  const end = 1 - smoothShare((t - 0.94 + 0.06 * v * v) / 0.06);
  const begun = smoothShare(t / 0.08);
  const lobe = smoothShare((t - 0.75) / 0.2);
  // Levees: highest at four fifths of the half width; in the lobe it is full.
  const side = v < 0.8 ? 0.55 + 0.45 * smoothShare(v / 0.8) : 1 - smoothShare((v - 0.8) / 0.2);
  const full = 1 - v * v * v * v;
  return end * begun * (side + lobe * (full - side));
}
