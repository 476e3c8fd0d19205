import lerc, { type LercPixels } from 'lerc';
import { UplandError } from '../../errors';
import type { Stored } from './samples';

/** What a block of LERC holds: a list of samples a channel, and 0 where a sample has no height. */
export interface LercBlock {
  planes: ArrayLike<number>[];
  mask: Uint8Array | null;
}

/**
 * A block packed by LERC (limited error raster compression, version 1, and 2 up to 2.5), by the
 * library of its makers. Its size is looked up before room is made for it.
 */
export function unpackLerc(bytes: Uint8Array<ArrayBuffer>, width: number, rows: number, channels: number, { type }: Stored): LercBlock {
  const size = sizeOf(bytes);
  if (!size || size.width !== width || size.rows !== rows) {
    throw new UplandError('damaged', `This TIFF is damaged: a part packed by LERC is not the ${width} × ${rows} samples that it should be.`);
  }
  let pixels: LercPixels;
  try {
    pixels = lerc.decode(bytes.slice().buffer);
  } catch (error) {
    throw new UplandError('damaged', 'This TIFF is damaged: a part packed by LERC cannot be unpacked.', { reason: String(error) });
  }
  const planes = pixels.pixels.flatMap((band) => apart(band, width * rows));
  if (planes.length < channels || planes[0].length !== width * rows) {
    throw new UplandError('damaged', `This TIFF is damaged: a part packed by LERC holds ${planes.length} channels of ${type} samples, not ${channels}.`);
  }
  return { planes, mask: pixels.mask ?? null };
}

/** Several values a sample lie one list after the other. */
function apart(band: ArrayLike<number>, count: number): ArrayLike<number>[] {
  if (band.length === count || band.length % count !== 0) return [band];
  const all = band as Float32Array;
  return Array.from({ length: band.length / count }, (_, k) => all.subarray(k * count, (k + 1) * count));
}

/** Columns and rows as the header of either version has them. */
function sizeOf(bytes: Uint8Array<ArrayBuffer>): { width: number; rows: number } | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const magic = String.fromCharCode(...bytes.subarray(0, 10));
  if (bytes.length < 34) return null;
  if (magic === 'CntZImage ') return { rows: view.getInt32(18, true), width: view.getInt32(22, true) };
  if (!magic.startsWith('Lerc2 ')) return null;
  const at = view.getInt32(6, true) >= 3 ? 14 : 10;
  return { rows: view.getInt32(at, true), width: view.getInt32(at + 4, true) };
}
