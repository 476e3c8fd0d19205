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
    throw new UplandError('cut-short', `This ${format} is cut short: ${part} needs ${needed} bytes and ${Math.max(0, there)} are there.`, { needed, there });
  }
}
