import { grouped } from '../grouped';
import { UplandError } from '../errors';
import { MAX_SIDE } from '../field/ground';

/** Refuses sizes that no ground can have, before anything is allocated for them. */
export function checkSize(format: string, width: number, height: number): void {
  if (!(width >= 1 && height >= 1)) {
    throw new UplandError('empty-picture', `This ${format} says it is ${width} × ${height} samples. There is nothing in it.`, { width, height });
  }
  if (width > MAX_SIDE || height > MAX_SIDE) {
    throw new UplandError(
      'too-large',
      `This ${format} says it is ${width} × ${height} samples; ${MAX_SIDE} a side is the most. Its header may be damaged, or it has to be cut into parts first.`,
      { width, height },
    );
  }
}

/** Refuses a file that ends before the bytes it promises. */
export function checkLength(format: string, part: string, needed: number, there: number): void {
  if (there < needed) {
    throw new UplandError('cut-short', `This ${format} is cut short: ${part} needs ${grouped(needed)} bytes and ${grouped(Math.max(0, there))} are there.`, {
      needed,
      there,
    });
  }
}

/** Bytes that any file may unpack to, however small it is: a level ground of 8 193² samples of 16 bits. */
const LEAST_UNPACKED = 136 * 2 ** 20;
/**
 * What a file may unpack to beyond that, as a multiple of its own bytes. Grounds pack to a half or
 * a tenth; masks with level areas reach 1 : 24 only when they are small.
 */
const MOST_RATIO = 24;

/** Bytes that a file may unpack to. */
export const mostUnpacked = (fileBytes: number, ratio = MOST_RATIO): number => Math.max(LEAST_UNPACKED, ratio * fileBytes);

/**
 * Refuses a file that would take far more memory than a file of its size honestly needs, before
 * room is made for it: packed files of a few bytes can promise gigabytes.
 */
export function checkUnpacked(format: string, fileBytes: number, unpackedBytes: number, ratio = MOST_RATIO): void {
  const most = mostUnpacked(fileBytes, ratio);
  if (unpackedBytes <= most) return;
  const mebibytes = (bytes: number) => Math.round(bytes / 2 ** 20);
  throw new UplandError(
    'unpacks-too-large',
    `This ${format} has ${grouped(fileBytes)} bytes and would unpack to ${mebibytes(unpackedBytes)} MiB; ${mebibytes(most)} MiB is the most for a file of its size. Save it unpacked, or cut into parts.`,
    { fileBytes, unpackedBytes, most },
  );
}
