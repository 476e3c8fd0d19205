import { z } from 'zod';
import { UplandError } from '../errors';

/** The largest count of samples along one side that the core takes on. */
export const MAX_SIDE = 16_385;

const side = z.int().min(1).max(MAX_SIDE);
const length = z.number().positive().max(1e7);

/** Where a ground lies on a map, carried through untouched. */
export const georeferenceSchema = z.object({
  /** The north-west corner, in the units of the CRS: metres, feet or degrees. */
  west: z.number(),
  north: z.number(),
  /** The text of the CRS: a name, `EPSG:` and its number, or WKT. */
  crs: z.string().max(20_000).default(''),
  /** Units of the CRS a metre, east and north; left out: it counts in metres. */
  perMetre: z.object({ x: z.number().positive(), y: z.number().positive() }).optional(),
  /** The GeoTIFF keys as they were (OGC 19-008): their directory, numbers and text. */
  geoKeys: z.object({ directory: z.array(z.int()).max(2048), numbers: z.array(z.number()).max(1024), text: z.string().max(20_000) }).optional(),
});
export type Georeference = z.infer<typeof georeferenceSchema>;

/**
 * The piece of land that heights lie on. Lengths and heights in metres; x runs east, y runs
 * south, row 0 is the north edge.
 *
 * `point` registration: the outer samples lie on the edge, spacing = width / (across − 1).
 * `area` registration: samples are cell centres, spacing = width / across.
 */
export const groundSchema = z.object({
  width: length,
  depth: length,
  across: side,
  down: side,
  registration: z.enum(['point', 'area']).default('point'),
  /** The height that stored values count from: a whole number of metres. */
  datum: z.int().min(-100_000).max(100_000).default(0),
  /** Elevation of the water surface, absolute. */
  sea: z.number().min(-100_000).max(100_000).default(0),
  georeference: georeferenceSchema.optional(),
});

export type Ground = z.infer<typeof groundSchema>;
export type Registration = Ground['registration'];

/** A ground from its parts, with the defaults filled in; refuses what cannot be a ground. */
export function makeGround(parts: z.input<typeof groundSchema>): Ground {
  const parsed = groundSchema.safeParse(parts);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    throw new UplandError('ground', `This is not a ground: ${issue.path.join('.')}: ${issue.message}.`, parts);
  }
  return parsed.data;
}

/** Metres from sample to sample, east and south. A single sample spans the whole side. */
export function spacingOf(ground: Ground): { x: number; y: number } {
  return {
    x: spacing(ground.width, ground.across, ground.registration),
    y: spacing(ground.depth, ground.down, ground.registration),
  };
}

/** Metres east of the west edge of column `column`. */
export function eastOf(ground: Ground, column: number): number {
  const step = spacing(ground.width, ground.across, ground.registration);
  return ground.registration === 'point' ? column * step : (column + 0.5) * step;
}

/** Metres south of the north edge of row `row`. */
export function southOf(ground: Ground, row: number): number {
  const step = spacing(ground.depth, ground.down, ground.registration);
  return ground.registration === 'point' ? row * step : (row + 0.5) * step;
}

/** The same land with other sample counts. */
export function withSamples(ground: Ground, across: number, down: number): Ground {
  return { ...ground, across, down };
}

/** The same land with `samples` along its longer side, cells as near to square as they were. */
export function groundAtSamples(ground: Ground, samples: number): Ground {
  const extra = ground.registration === 'point' ? 1 : 0;
  const longest = Math.max(ground.across, ground.down) - extra;
  const scale = (samples - extra) / Math.max(1, longest);
  const scaled = (count: number) => Math.max(1, Math.round((count - extra) * scale)) + extra;
  return makeGround(withSamples(ground, scaled(ground.across), scaled(ground.down)));
}

/** Whether two grounds have their samples at the same places, whatever their datum and sea. */
export function sameSamples(a: Ground, b: Ground): boolean {
  return a.across === b.across && a.down === b.down && a.registration === b.registration && a.width === b.width && a.depth === b.depth;
}

/**
 * The ground that a preview is worked out on: the longest side at most 513 samples (point) or
 * 512 (area). Where a whole factor divides both sides the preview's samples are a subset of
 * (point) or unions of (area) the full ground's; where none does, the sides are scaled and
 * rounded.
 */
export function previewGround(ground: Ground, most = 512): Ground {
  const extra = ground.registration === 'point' ? 1 : 0;
  const stepsX = ground.across - extra;
  const stepsY = ground.down - extra;
  const longest = Math.max(stepsX, stepsY);
  if (longest <= most) return ground;
  for (let factor = Math.ceil(longest / most); factor <= 64 && longest / factor >= most / 4; factor++) {
    if (stepsX % factor === 0 && stepsY % factor === 0) {
      return withSamples(ground, stepsX / factor + extra, stepsY / factor + extra);
    }
  }
  const scale = most / longest;
  const scaled = (steps: number) => Math.max(1, Math.round(steps * scale)) + extra;
  return withSamples(ground, scaled(stepsX), scaled(stepsY));
}

function spacing(length: number, count: number, registration: Registration): number {
  if (registration === 'area') return length / count;
  return count > 1 ? length / (count - 1) : length;
}
