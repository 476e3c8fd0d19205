import { UplandError } from '../errors';
import { asciiGrid } from './ascii-grid';
import { bmp } from './bmp';
import { exr } from './exr';
import type { Format, Reading } from './format';
import { hgt } from './hgt';
import { pfm, pgm } from './netpbm';
import { npy } from './npy';
import { png } from './png';
import { parseRawSpec, raw, readRaw } from './raw';
import { tiff } from './tiff';

/** Every heightmap format, in the order they are tried. */
export const formats: readonly Format[] = [png, tiff, asciiGrid, exr, npy, pgm, pfm, bmp, hgt, raw];

export function formatById(id: string): Format {
  const format = formats.find((f) => f.id === id);
  if (!format) throw new UplandError('unknown-format', `There is no format "${id}". There are: ${formats.map((f) => f.id).join(', ')}.`);
  return format;
}

/** The format that a file name's ending asks for. */
export function formatByName(name: string): Format {
  const lower = name.toLowerCase();
  const format = formats.find((f) => f.endings.some((ending) => lower.endsWith(ending)));
  if (!format) {
    throw new UplandError('unknown-ending', `"${name}" has no ending that says how to write it. Known are ${formats.flatMap((f) => f.endings).join(', ')}.`);
  }
  return format;
}

/** Reads a heightmap by what its bytes are; `as` says how to read raw bytes. */
export async function readHeightmap(bytes: Uint8Array<ArrayBuffer>, as?: string): Promise<Reading> {
  if (bytes.length === 0) throw new UplandError('empty-file', 'This file is empty: it has 0 bytes.');
  try {
    if (as) {
      if (as.startsWith('raw')) return readRaw(bytes, parseRawSpec(as));
      return await formatById(as).read(bytes);
    }
    const format = formats.find((f) => f.sniff(bytes));
    if (!format) return await raw.read(bytes);
    return await format.read(bytes);
  } catch (error) {
    if (error instanceof RangeError) {
      throw new UplandError('damaged', 'This file is damaged: a number in it points outside of it, or asks for more memory than there is.', {
        reason: error.message,
      });
    }
    throw error;
  }
}
