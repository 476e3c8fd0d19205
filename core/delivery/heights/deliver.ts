import { UplandError } from '../../errors';
import type { Field } from '../../field/field';
import { formats as allFormats } from '../../formats';
import type { Kernels } from '../../kernels/pool';
import type { Beside, Format } from '../../formats/format';
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
export async function deliver(
  field: Field,
  name: string,
  encoding: Encoding,
  { formats = allFormats, kernels }: { formats?: readonly Format[]; kernels?: Kernels } = {},
): Promise<Delivery> {
  const { bytes, beside } = await encode(field, encoding, formats, kernels);
  const proof = await prove(bytes, field, encoding, beside);
  if (!proof.ok) {
    throw new UplandError('proof-failed', `${name} was not handed on: its proof failed. ${proof.faults.join(' ')}`, { proof });
  }
  return { name, bytes, beside, encoding, proof };
}

/** The name of a file that lies beside another: its ending in place of the other's. */
export const nameBeside = (name: string, ending: string): string => `${name.replace(/\.[^./\\]*$/, '')}${ending}`;
