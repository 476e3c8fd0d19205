import { UplandError } from '../errors';
import type { Field } from '../field/field';
import { statistics } from '../field/statistics';
import { formats as allFormats } from '../formats';
import type { Beside, Format } from '../formats/format';
import { encode, type Encoding } from './encode';
import { prove, type Proof } from './proof';

export interface Delivery {
  name: string;
  bytes: Uint8Array<ArrayBuffer>;
  /** Files that belong to it: the same name, another ending. */
  beside: Beside[];
  encoding: Encoding;
  proof: Proof;
}

/**
 * Writes a field, reads the bytes back and holds them against it. A proof that fails stops the
 * delivery: nothing is handed on, and the error says why.
 */
export async function deliver(field: Field, name: string, encoding: Encoding, formats: readonly Format[] = allFormats): Promise<Delivery> {
  const { bytes, beside } = await encode(field, encoding, formats);
  const proof = await prove(bytes, field, encoding, beside);
  if (!proof.ok) {
    throw new UplandError('proof-failed', `${name} was not handed on: its proof failed. ${proof.faults.join(' ')}`, { proof });
  }
  return { name, bytes, beside, encoding, proof };
}

export interface Cost {
  metresPerCode: number;
  /** Codes between the ground's lowest and highest, at most. */
  codesSpanned: number;
  /** Samples beyond the range. */
  clipped: number;
  bytes: number;
}

/** What an encoding will cost, before anything is written. */
export function costOf(field: Field, encoding: Encoding, perSample: number): Cost {
  const bytes = field.height.length * perSample;
  const { range, type } = encoding;
  if (!range || type[0] === 'f') return { metresPerCode: 0, codesSpanned: Infinity, clipped: 0, bytes };
  const metresPerCode = (range.high - range.low) / (2 ** (8 * perSample) - 1);
  const { lowest, highest } = statistics(field);
  let clipped = 0;
  for (let i = 0; i < field.height.length; i++) {
    const h = field.height[i] + field.ground.datum;
    if (h < range.low - metresPerCode / 2 || h > range.high + metresPerCode / 2) clipped++;
  }
  const from = Math.max(lowest, range.low);
  const to = Math.min(highest, range.high);
  return { metresPerCode, codesSpanned: Math.max(0, Math.floor((to - from) / metresPerCode) + 1), clipped, bytes };
}

/** The name of a file that lies beside another: its ending in place of the other's. */
export const nameBeside = (name: string, ending: string): string => `${name.replace(/\.[^./\\]*$/, '')}${ending}`;
