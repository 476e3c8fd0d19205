import { UplandError } from '../errors';
import { makeField, type Field } from '../field/field';
import { makeGround, type Ground, type Registration } from '../field/ground';
import { readHeightmap } from './index';
import { boundsIn } from '../kernels/scan';
import { CODES, type Reading, type SampleArray } from './format';

/** What a person says about a file, where it does not say so itself. */
export interface Meaning {
  /** The metres that the smallest and largest code of an integer file stand for. */
  range?: { low: number; high: number };
  /** Two codes and the metres they stand for, where a file does not use its type's ends. */
  map?: { code0: number; height0: number; code1: number; height1: number };
  /** Metres from sample to sample. */
  spacing?: number;
  registration?: Registration;
}

/** metres = offset + scale × sample. */
export function meaningOf(reading: Pick<Reading, 'type' | 'scale' | 'offset'>, meaning: Meaning = {}): { scale: number; offset: number } {
  const codes = CODES[reading.type];
  const points = meaning.map ?? (meaning.range && codes && { code0: codes.min, height0: meaning.range.low, code1: codes.max, height1: meaning.range.high });
  if (!points) return { scale: reading.scale, offset: reading.offset };
  if (points.code0 === points.code1) throw new UplandError('map', `Both points of the map have the code ${points.code0}. Give two different codes.`);
  const scale = (points.height1 - points.height0) / (points.code1 - points.code0);
  return { scale, offset: points.height0 - points.code0 * scale };
}

/** The metres that the ends of a file's codes stand for; none where it holds floats. */
export function rangeOfCodes(reading: Pick<Reading, 'type' | 'scale' | 'offset'>, meaning: Meaning = {}): { low: number; high: number } | undefined {
  const codes = CODES[reading.type];
  const { scale, offset } = meaningOf(reading, meaning);
  if (!codes) return undefined;
  return { low: offset + scale * codes.min, high: offset + scale * codes.max };
}

/**
 * The file's samples as heights in metres. The datum is 0 unless the country is high and its
 * range small against that: then float32 heights would be too coarse, and they count from a
 * whole number of metres near the lowest one. Float32 samples are taken bit for bit.
 */
export function toField(reading: Reading, meaning: Meaning = {}): Field {
  const { width, height, samples, noData } = reading;
  const { scale, offset } = meaningOf(reading, meaning);
  // By blocks, so that the loop is compiled once and runs at full speed.
  const extent: Extent = { lowest: Infinity, highest: -Infinity, missing: 0 };
  const sign = noData ?? NaN;
  extentOf(extent, samples, sign, scale, offset);
  const { lowest, highest, missing } = extent;
  if (missing === samples.length) throw new UplandError('all-no-data', 'No sample of this file has a height: all of them are marked as no data.');
  if (Math.max(Math.abs(lowest), Math.abs(highest)) > 1e7) {
    throw new UplandError(
      'heights-too-large',
      `The heights in this file run from ${lowest} to ${highest}; ground ends at ten million metres. It may be read in the wrong type or byte order.`,
    );
  }
  const asTheyAre = reading.type === 'f32' && scale === 1 && offset === 0;
  const datum = datumFor(extent, asTheyAre);

  if (asTheyAre && !missing) return makeField(groundOf(reading, meaning, width, height, datum), (samples as Float32Array<ArrayBuffer>).slice());
  const out = new Float32Array(samples.length);
  const valid = missing ? new Uint8Array(samples.length) : undefined;
  for (let from = 0; from < samples.length; from += BLOCK)
    putHeights(out, valid, samples, from, Math.min(samples.length, from + BLOCK), sign, scale, offset, datum);
  return makeField(groundOf(reading, meaning, width, height, datum), out, valid);
}

const BLOCK = 65_536;

export interface Extent {
  lowest: number;
  highest: number;
  missing: number;
}

/** What heights count from: 0, or of high country whose range is small against that a whole number of metres near the lowest. */
export function datumFor({ lowest, highest }: Extent, asTheyAre: boolean): number {
  const far = Math.max(Math.abs(lowest), Math.abs(highest));
  return !asTheyAre && far > 64 && far > 4 * (highest - lowest) ? Math.floor(lowest) : 0;
}

/** Widens an extent, metres, by some samples; `noData`: the number that stands for none, NaN where there is none. */
export function extentOf(extent: Extent, samples: SampleArray, noData: number, scale: number, offset: number): void {
  for (let from = 0; from < samples.length; from += BLOCK) widen(extent, samples, from, Math.min(samples.length, from + BLOCK), noData, scale, offset);
}

function widen(extent: Extent, samples: SampleArray, from: number, to: number, noData: number, scale: number, offset: number): void {
  if (samples instanceof Float32Array && Number.isNaN(noData) && scale === 1 && offset === 0) {
    const found = boundsIn(samples, from, to);
    extent.lowest = Math.min(extent.lowest, found.lowest);
    extent.highest = Math.max(extent.highest, found.highest);
    extent.missing += to - from - found.count;
    return;
  }
  let { lowest, highest, missing } = extent;
  for (let i = from; i < to; i++) {
    const v = samples[i];
    if (v === noData || !(v - v === 0)) {
      missing++;
      continue;
    }
    const h = offset + scale * v;
    if (h < lowest) lowest = h;
    if (h > highest) highest = h;
  }
  extent.lowest = lowest;
  extent.highest = highest;
  extent.missing = missing;
}

export function putHeights(
  out: Float32Array,
  valid: Uint8Array | undefined,
  samples: SampleArray,
  from: number,
  to: number,
  noData: number,
  scale: number,
  offset: number,
  datum: number,
): void {
  for (let i = from; i < to; i++) {
    const v = samples[i];
    if (v === noData || !(v - v === 0)) continue;
    out[i] = offset + scale * v - datum;
    if (valid) valid[i] = 1;
  }
}

/** The land that a file's samples cover; 1 m from sample to sample where nobody says otherwise. */
export function groundOf(reading: Omit<Reading, 'samples'>, meaning: Meaning, across: number, down: number, datum: number): Ground {
  const spacing = meaning.spacing ? { x: meaning.spacing, y: meaning.spacing } : (reading.spacing ?? { x: 1, y: 1 });
  const registration = meaning.registration ?? reading.registration ?? usualRegistration(across, down);
  const steps = (n: number) => (registration === 'area' ? n : Math.max(1, n - 1));
  return makeGround({
    width: spacing.x * steps(across),
    depth: spacing.y * steps(down),
    across,
    down,
    registration,
    datum,
    ...(reading.georeference ? { georeference: reading.georeference } : {}),
  });
}

/** One sample more than a power of two usually means that the outer samples lie on the edge (common practice). */
function usualRegistration(across: number, down: number): Registration {
  const plusOne = (n: number) => n > 2 && ((n - 1) & (n - 2)) === 0;
  return plusOne(across) && plusOne(down) ? 'point' : 'area';
}

/** A file of any supported format as heights, by its own meaning. */
export async function readHeights(bytes: Uint8Array<ArrayBuffer>, meaning?: Meaning): Promise<Field> {
  return toField(await readHeightmap(bytes), meaning);
}
