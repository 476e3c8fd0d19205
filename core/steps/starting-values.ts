import type { Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { DEGREE, exactMath } from '../kernels/math';
import type { Statistics } from '../field/statistics';
import { paramsOf, type ParamMeta } from './params';
import type { Step } from './step';

/** What of a ground the starting values of settings depend on. */
export interface GroundMeasure {
  /** Metres along its longer side. */
  size: number;
  /** Metres from its lowest to its highest. */
  range: number;
  /** Degrees: four fifths of it are gentler. */
  steepness: number;
}

/** The ground that the defaults and the starting points of steps are written for. */
export const USUAL_GROUND: GroundMeasure = { size: 8192, range: 500, steepness: 40 };

/** Samples along each side at which the slope is asked for. */
const ASKED = 160;

export function measureGround({ ground, height }: Field): GroundMeasure {
  const { across, down } = ground;
  const spacing = spacingOf(ground);
  let [lowest, highest] = [Infinity, -Infinity];
  for (const h of height) {
    if (h < lowest) lowest = h;
    if (h > highest) highest = h;
  }
  const slopes: number[] = [];
  const [stepX, stepY] = [Math.max(1, Math.floor(across / ASKED)), Math.max(1, Math.floor(down / ASKED))];
  for (let row = 1; row < down - 1; row += stepY) {
    for (let column = 1; column < across - 1; column += stepX) {
      const i = row * across + column;
      const gx = (height[i + 1] - height[i - 1]) / (2 * spacing.x);
      const gy = (height[i + across] - height[i - across]) / (2 * spacing.y);
      slopes.push(Math.sqrt(gx * gx + gy * gy));
    }
  }
  slopes.sort((a, b) => a - b);
  const steep = slopes.length > 0 ? slopes[Math.floor(0.8 * (slopes.length - 1))] : 0;
  return { size: Math.max(ground.width, ground.depth), range: Math.max(0, highest - lowest), steepness: exactMath().atan(steep) / DEGREE };
}

/** Two figures, as a person would type them. */
function rounded(value: number): number {
  if (value === 0) return 0;
  const unit = exactMath().pow(10, Math.floor(exactMath().log(Math.abs(value)) / Math.LN10) - 1);
  return Number((Math.round(value / unit) * unit).toPrecision(6));
}

function fitted(value: number, meta: ParamMeta, measure: GroundMeasure): number {
  const { min = -Infinity, max = Infinity, fits } = meta;
  if (!fits || value === 0) return value;
  let out = value;
  if (fits === 'range' && !(measure.range > 0)) return value;
  if (fits === 'size') out = value * (measure.size / USUAL_GROUND.size);
  else if (fits === 'range') out = value * (measure.range / USUAL_GROUND.range);
  // On ground without cliffs what is steep there is one; on steeper ground a cliff is what it is.
  else if (fits === 'steepness') out = measure.range > 0 ? value * Math.min(1, Math.max(0.25, measure.steepness / USUAL_GROUND.steepness)) : value;
  // Water on a small ground runs as fast as on a large one, and would wear the small one away.
  else out = value * exactMath().pow(measure.size / USUAL_GROUND.size, 0.7);
  return Math.min(max, Math.max(min, rounded(out)));
}

/**
 * Settings to begin with on a ground: those given (a starting point of the step, written for an
 * upland of 8 km and 500 m) and its defaults, lengths by the ground's size and heights by its range. Only
 * settings that depend on the ground, and those given, come back.
 */
export function startingValues(step: Pick<Step, 'params'>, measure: GroundMeasure, given: Record<string, unknown> = {}): Record<string, unknown> {
  const out: Record<string, unknown> = { ...given };
  if (!(measure.size > 0)) return out;
  for (const { key, meta, value: usual } of paramsOf(step.params)) {
    const value = given[key] ?? usual;
    if (meta.fits && typeof value === 'number') out[key] = fitted(value, meta, measure);
  }
  return out;
}

/** A ground of no more metres than this begins no elevation anywhere. */
const FLAT = 2;

/** Elevations to begin with on a ground, for the settings that say at which of its own they begin; a height curve begins as the line that changes nothing. */
export function startingElevations(step: Pick<Step, 'params'>, { lowest, highest }: Pick<Statistics, 'lowest' | 'highest'>): Record<string, unknown> {
  const out: Record<string, unknown> = {};
  const at = { lowest: Math.floor(lowest), middle: Math.round((lowest + highest) / 2), highest: Math.ceil(highest) };
  for (const { key, meta } of paramsOf(step.params)) {
    if (meta.kind === 'curve' && highest > lowest) {
      out[key] = [0, 0.5, 1].map((t) => Math.round(lowest + t * (highest - lowest))).map((h) => ({ from: h, to: h }));
    } else if (meta.beginsAt && highest - lowest > FLAT) out[key] = at[meta.beginsAt];
  }
  return out;
}
