import { grouped } from '../grouped';
import type { Reading, SampleArray, SampleType } from './format';

/**
 * A number out of a header's text, as files spell it: with a decimal comma, with the words that
 * old C libraries print for what is not a number. NaN where it is none.
 */
export function numberIn(text: string): number {
  const plain = text.trim().replace(/[\0"']/g, '');
  if (/^[-+]?\d+,\d+([eE][-+]?\d+)?$/.test(plain)) return Number(plain.replace(',', '.'));
  if (/^[-+]?(1\.#(qnan|ind|snan)\d*|nan(\(.*\))?)$/i.test(plain)) return NaN;
  if (/^[-+]?(1\.#inf\d*|inf(inity)?)$/i.test(plain)) return plain[0] === '-' ? -Infinity : Infinity;
  return plain === '' ? NaN : Number(plain);
}

/** Digits that headers print of a number: six at the least. */
const PRINTED = 2e-6;

/**
 * The number that stands for no height among a file's samples, given how a header spells it:
 * "-9999.9" for a float32 of −9999.900390625, "-3.402823e+38" for the lowest float there is.
 * The sample's own number where there is one within the digits that are printed; otherwise the
 * header's.
 */
export function noDataAmong(samples: SampleArray, type: SampleType, said: number): number | null {
  if (Number.isNaN(said)) return null;
  if (type[0] !== 'f') return said;
  const exact = type === 'f32' ? Math.fround(said) : said;
  const slack = Math.abs(said) * PRINTED;
  let near: number | null = null;
  for (let i = 0; i < samples.length; i++) {
    const v = samples[i];
    if (v === exact) return exact;
    if (near === null && Math.abs(v - said) <= slack) near = v;
  }
  // Beyond what a float32 holds, the lowest or highest of them is meant.
  return near ?? (Number.isFinite(exact) ? exact : said);
}

/** No height reaches so far: what does is a sign, whoever forgot to say so. */
const NO_HEIGHT = 1e37;

/**
 * Takes the lowest or highest number there is for "no height" in a file of floats that names
 * none: −3.4028235e38 in all its spellings, and says so.
 */
export function withSilentNoData(reading: Reading): Reading {
  if (reading.type[0] !== 'f' || reading.noData !== null) return reading;
  const { samples } = reading;
  let sign: number | null = null;
  let count = 0;
  for (let i = 0; i < samples.length; i++) {
    const v = samples[i];
    if (v - v !== 0 || (v < NO_HEIGHT && v > -NO_HEIGHT)) continue;
    sign ??= v;
    if (v === sign) count++;
    else return reading;
  }
  if (sign === null) return reading;
  return {
    ...reading,
    noData: sign,
    odd: [...reading.odd, `${grouped(count)} samples hold ${sign.toPrecision(7)}, which is no height: they were taken for no data.`],
  };
}
