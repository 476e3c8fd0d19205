import type { Ground } from '../field/ground';
import { throwIfStopped } from '../errors';
import type { RowReading, SampleArray } from './format';
import { asFault, formats } from './index';
import { datumFor, extentOf, groundOf, meaningOf, putHeights, type Extent, type Meaning } from './heights';
import type { ByteSource } from './source';

/** A file turned out to be one that can only be read whole. */
export class NotByRows extends Error {}

/** The heights of a file that need not be in memory: those that `toField` makes of it whole. */
export interface HeightRows {
  /** What the file says of itself. */
  reading: Omit<RowReading, 'rows' | 'tall'>;
  ground: Ground;
  /** Lowest and highest of all heights, metres, absolute: all of them are read once for it. */
  bounds(signal?: AbortSignal): Promise<{ lowest: number; highest: number }>;
  /**
   * The heights of the rows `from` … `to` − 1, asked for from north to south; rows may be asked for again while they lie within
   * the last ones, and all of them from the first on. `hear` is
   * told the samples, as the file has them, that were read for it. Throws {@link NotByRows} where there is a sample without a height.
   */
  rows(from: number, to: number, signal?: AbortSignal, hear?: (samples: SampleArray) => void): Promise<Float32Array<ArrayBuffer>>;
}

/** Samples that are looked through at a time. */
const BAND = 2 ** 20;

/**
 * Opens a file's heights to be read by rows. Null where they have to be read whole: a format that is not laid out by rows,
 * several bands, rows that lie too far apart. Of codes, whose heights may count from a datum, all are looked at once first.
 */
export async function openHeights(source: ByteSource, meaning: Meaning = {}, signal?: AbortSignal): Promise<HeightRows | null> {
  try {
    const begin = source.bytes(0, 64);
    const reading = formats.find(({ open, sniff }) => open && sniff(begin))?.open?.(source);
    if (!reading || reading.tall * reading.width > 16 * BAND) return null;
    return await heightsBy(reading, meaning, signal);
  } catch (error) {
    if (error instanceof NotByRows) return null;
    throw asFault(error);
  }
}

async function heightsBy(reading: RowReading, meaning: Meaning, signal?: AbortSignal): Promise<HeightRows> {
  const { width, height, tall, type } = reading;
  const { scale, offset } = meaningOf(reading, meaning);
  const asTheyAre = type === 'f32' && scale === 1 && offset === 0;

  /** Samples that all have a height, from the begin of rows that lie together. */
  let checked = 0;
  const known = async (from: number, to: number, stop?: AbortSignal, extent?: Extent) => {
    const { samples, whole } = await reading.rows(from, to, stop);
    if (whole) throw new NotByRows();
    // What was found good when it was read before is so again.
    if (!extent && to <= checked) return samples;
    if (mayHaveNone(samples, reading)) throw new NotByRows();
    const found = extent ?? nothing();
    extentOf(found, samples, NaN, scale, offset);
    // What no ground can be has its sentence where files are read whole.
    if (found.missing > 0 || found.highest > 1e7 || found.lowest < -1e7) throw new NotByRows();
    if (from <= checked) checked = Math.max(checked, to);
    return samples;
  };
  const nothing = (): Extent => ({ lowest: Infinity, highest: -Infinity, missing: 0 });
  let all: Promise<Extent> | undefined;
  const whole = async (stop?: AbortSignal) => {
    const extent = nothing();
    const step = tall * Math.max(1, Math.floor(BAND / (width * tall)));
    for (let from = 0; from < height; from += step) {
      throwIfStopped(stop);
      await known(from, Math.min(height, from + step), stop, extent);
    }
    return extent;
  };
  const datum = asTheyAre ? 0 : datumFor(await (all ??= whole(signal)), false);
  const ground = groundOf(reading, meaning, width, height, datum);

  const rows = rowsInOrder({ width, height, tall }, known, (target, samples) => {
    if (asTheyAre) target.set(samples);
    else putHeights(target, undefined, samples, 0, samples.length, NaN, scale, offset, datum);
  });
  const bounds = async (stop?: AbortSignal) => {
    const { lowest, highest } = await (all ??= whole(stop));
    // As the heights have them, which are floats.
    return { lowest: Math.fround(lowest - datum) + datum, highest: Math.fround(highest - datum) + datum };
  };
  return { reading, ground, bounds, rows };
}

/** Heights of rows that are asked for from the north on; from the first row one may begin again. What lies together is read once. */
function rowsInOrder(
  { width, height, tall }: Pick<RowReading, 'width' | 'height' | 'tall'>,
  read: (from: number, to: number, stop?: AbortSignal) => Promise<SampleArray>,
  put: (target: Float32Array, samples: SampleArray) => void,
): HeightRows['rows'] {
  let first = 0;
  let kept = new Float32Array(0);
  return async (from, to, stop, hear) => {
    if (from === 0 && first > 0) {
      first = 0;
      kept = new Float32Array(0);
    }
    const end = first + kept.length / width;
    if (from < first || from > end) throw new RangeError(`Rows from ${from} are asked for after those from ${first} to ${end}.`);
    if (to > end) {
      // On to the next begin of rows that lie together, behind what is kept.
      const samples = await read(end, Math.min(height, Math.ceil(to / tall) * tall), stop);
      hear?.(samples);
      const tail = kept.subarray((from - first) * width);
      const next = new Float32Array(tail.length + samples.length);
      next.set(tail);
      put(next.subarray(tail.length), samples);
      kept = next;
      first = from;
    }
    return kept.subarray((from - first) * width, (to - first) * width);
  };
}

/** Digits that headers print of a number: six at the least. */
const PRINTED = 2e-6;

/** Whether some samples may stand for no height: what that is in the end is found where files are read whole. */
function mayHaveNone(samples: SampleArray, { type, noData }: RowReading): boolean {
  if (type[0] !== 'f') return noData !== null && samples.includes(noData as never);
  if (noData === null) return false;
  const slack = Math.abs(noData) * PRINTED;
  return samples.some((v: number) => Math.abs(v - noData) <= slack);
}
