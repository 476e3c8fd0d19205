import { grouped } from '../grouped';
import { NO_HEIGHT, scan } from '../kernels/scan';
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

/** Samples that are looked through at a time: a loop of its own is compiled once, and runs at full speed from the second block on. */
const BLOCK = 65_536;

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
  for (let from = 0; from < samples.length; from += BLOCK) {
    const found = nearest(samples, from, Math.min(samples.length, from + BLOCK), exact, said, slack);
    if (found === exact) return exact;
    near ??= found;
  }
  // Beyond what a float32 holds, the lowest or highest of them is meant.
  return near ?? (Number.isFinite(exact) ? exact : said);
}

/** The number itself where it is among some samples, else the first within the slack, else null. */
function nearest(samples: SampleArray, from: number, to: number, exact: number, said: number, slack: number): number | null {
  let near: number | null = null;
  for (let i = from; i < to; i++) {
    const v = samples[i];
    if (v === exact) return exact;
    if (near === null && Math.abs(v - said) <= slack) near = v;
  }
  return near;
}

/** Where among some samples a number lies beyond every height; their end where none does. */
function beyond(samples: SampleArray, from: number, to: number): number {
  if (samples instanceof Float32Array) {
    const at = scan(samples, from, to).beyond;
    return at < 0 ? to : from + at;
  }
  for (let i = from; i < to; i++) if (samples[i] >= NO_HEIGHT || samples[i] <= -NO_HEIGHT) return i;
  return to;
}

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
    // Most files have none: they are gone through by blocks.
    if (i % BLOCK === 0)
      while (i < samples.length && beyond(samples, i, Math.min(samples.length, i + BLOCK)) === Math.min(samples.length, i + BLOCK)) i += BLOCK;
    if (i >= samples.length) break;
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
