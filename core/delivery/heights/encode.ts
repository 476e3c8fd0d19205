import { grouped } from '../../grouped';
import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { formats as allFormats } from '../../formats';
import type { Kernels } from '../../kernels/pool';
import { putCodes, SCANNED } from '../../kernels/scan';
import {
  CODES,
  fillInBlocks,
  makeSamples,
  type Beside,
  type Format,
  type Page,
  type SampleArray,
  type SampleType,
  type WriteOptions,
} from '../../formats/format';

/** How heights become the numbers of a file. */
export interface Encoding {
  format: string;
  type: SampleType;
  /** Integer types: the metres, absolute, that the smallest and largest code stand for. */
  range?: { low: number; high: number };
  /** Floats that hold 0 at one height and 1 at another (metres, absolute) instead of metres. */
  unit?: { low: number; high: number };
  options?: WriteOptions;
  noData?: number | null;
}

export interface Quantised {
  page: Page;
  /** Metres from code to code; 0 for floats. */
  step: number;
  /** Samples outside of the range, set to its nearer end. */
  clipped: number;
}

/** Metres that one code stands for: (high − low) / (2ᵇ − 1). */
export function metresPerCode(type: SampleType, range: { low: number; high: number }): number {
  const codes = CODES[type];
  return codes ? (range.high - range.low) / (codes.max - codes.min) : 0;
}

/** The field's heights at the type of the file: code = round((h − low) / (high − low) · (2ᵇ − 1)), or metres for floats. */
export function quantise(field: Field, encoding: Encoding): Quantised {
  const { ground, height, valid } = field;
  const { type, range } = encoding;
  const codes = CODES[type];
  const noData = encoding.noData ?? (valid && !codes ? -9999 : null);
  if (valid && codes && noData === null) {
    throw new UplandError(
      'no-data',
      'This ground has samples without a height, and the file has no code for them. Fill the holes first, or write floats or give a no-data code.',
    );
  }
  // Heights that go out as they are keep their bits.
  const asTheyAre = type === 'f32' && !valid && !encoding.unit && ground.datum === 0;
  const samples = asTheyAre ? height : makeSamples(type, height.length);
  const base: Omit<Page, 'scale' | 'offset'> = { width: ground.across, height: ground.down, type, samples, ground, noData, options: encoding.options ?? {} };
  if (!codes) {
    const { low, high } = encoding.unit ?? { low: 0, high: 1 };
    if (!(high > low))
      throw new UplandError('range', `The range runs from ${low} m to ${high} m. The upper end has to lie above the lower one.`, encoding.unit);
    if (!asTheyAre)
      fillInBlocks(samples, (block, from) => {
        for (let k = 0, i = from; k < block.length; k++, i++) block[k] = valid && !valid[i] ? noData! : (height[i] + ground.datum - low) / (high - low);
      });
    return { page: { ...base, scale: 1, offset: 0 }, step: 0, clipped: 0 };
  }
  if (!range) throw new UplandError('no-range', 'Whole-number samples need a range: the metres that the smallest and the largest code stand for.');
  if (!(range.high > range.low)) {
    throw new UplandError('range', `The range runs from ${range.low} m to ${range.high} m. The upper end has to lie above the lower one.`, range);
  }
  const span = codes.max - codes.min;
  const spread = { low: range.low - ground.datum, perMetre: span / (range.high - range.low), span, min: codes.min };
  const clipped = valid ? putKnownCodes(samples, height, valid, spread, noData!) : putAllCodes(samples, height, spread);
  const scale = (range.high - range.low) / span;
  return { page: { ...base, scale, offset: range.low - codes.min * scale }, step: scale, clipped };
}

/** How heights are spread over codes: code = min + round((height − low) · perMetre), of `span` + 1 codes. */
interface Spread {
  low: number;
  perMetre: number;
  span: number;
  min: number;
}

/** The codes of heights that are all known; how many lay beyond them. */
function putAllCodes(samples: SampleArray, height: Float32Array, spread: Spread): number {
  const whole = samples as Uint8Array | Uint16Array | Int16Array | Uint32Array | Int32Array;
  let clipped = 0;
  for (let from = 0; from < height.length; from += SCANNED) clipped += putCodes(whole, height, from, Math.min(height.length, from + SCANNED), spread);
  return clipped;
}

/** The codes of the heights that are known, and the one for no data at the others; how many lay beyond the codes. */
function putKnownCodes(samples: SampleArray, height: Float32Array, valid: Uint8Array, { low, perMetre, span, min }: Spread, noData: number): number {
  let clipped = 0;
  let taken = 0;
  fillInBlocks(samples, (block, from) => {
    for (let k = 0, i = from; k < block.length; k++, i++) {
      if (!valid[i]) {
        block[k] = noData;
        continue;
      }
      const code = (height[i] - low) * perMetre + 0.5;
      // A height that rounds to the last code is not clipped; one that would need another code is.
      const fits = code >= 0 && code < span + 1;
      if (!fits) clipped++;
      const kept = min + (fits ? Math.floor(code) : code > 0 ? span : 0);
      if (kept === noData) taken++;
      block[k] = kept;
    }
  });
  if (taken) {
    throw new UplandError(
      'no-data',
      `${grouped(taken)} samples with a height come to ${noData}, the code for no data. Choose a range that leaves it free, or another code.`,
      { taken },
    );
  }
  return clipped;
}

/** The file's bytes; with `kernels` made on all threads. `formats` may be another list, for trying what a faulty writer does. */
export async function encode(
  field: Field,
  encoding: Encoding,
  formats: readonly Format[] = allFormats,
  kernels?: Kernels,
): Promise<{ bytes: Uint8Array<ArrayBuffer>; quantised: Quantised; beside: Beside[] }> {
  const format = formats.find((f) => f.id === encoding.format);
  if (!format) throw new UplandError('unknown-format', `There is no format "${encoding.format}".`);
  if (!format.writes.includes(encoding.type)) {
    throw new UplandError('type', `${format.title} is not written with ${encoding.type} samples. It takes ${format.writes.join(', ')}.`);
  }
  const quantised = quantise(field, encoding);
  return { bytes: await format.write(quantised.page, kernels), quantised, beside: format.beside?.(quantised.page) ?? [] };
}
