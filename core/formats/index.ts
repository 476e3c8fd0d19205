import { UplandError } from '../errors';
import { asciiGrid } from './ascii-grid';
import { bmp } from './bmp';
import { exr } from './exr';
import type { Format, Reading, ReadOptions } from './format';
import { bil, flt } from './header-grid';
import { hgt } from './hgt';
import { jpeg } from './jpeg';
import { pfm, pgm } from './netpbm';
import { npy } from './npy';
import { packed } from './packed';
import { png } from './png';
import { parseRawSpec, raw, readRaw } from './raw';
import { tiff } from './tiff';
import { xyz } from './xyz';

/** Every heightmap format, in the order they are tried. */
export const formats: readonly Format[] = [png, tiff, jpeg, asciiGrid, exr, npy, pgm, pfm, bmp, flt, bil, xyz, packed, hgt, raw];

export function formatById(id: string): Format {
  const format = formats.find((f) => f.id === id);
  if (!format) throw new UplandError('unknown-format', `There is no format "${id}". There are: ${formats.map((f) => f.id).join(', ')}.`);
  return format;
}

/** The format that a file name's ending asks for. */
export function formatByName(name: string): Format {
  const lower = name.toLowerCase();
  // The longest ending that fits: a packed PNG has its own before `.png`.
  const lengthOf = (f: Format) => Math.max(0, ...f.endings.filter((ending) => lower.endsWith(ending)).map((ending) => ending.length));
  const best = formats.reduce((a, b) => (lengthOf(b) > lengthOf(a) ? b : a));
  const format = lengthOf(best) > 0 ? best : undefined;
  if (format?.readOnly) throw new UplandError('read-only', `${format.title} is read but not written. Write PNG of 16 bits, TIFF or raw.`);
  if (!format) {
    throw new UplandError(
      'unknown-ending',
      `"${name}" has no ending that says how to write it. Known are ${formats
        .filter((f) => !f.readOnly)
        .flatMap((f) => f.endings)
        .join(', ')}.`,
    );
  }
  return format;
}

/** Reads a heightmap by what its bytes (and the files beside it) are; `as` says how to read raw bytes. */
export async function readHeightmap(bytes: Uint8Array<ArrayBuffer>, as?: string, options: ReadOptions = {}): Promise<Reading> {
  if (bytes.length === 0) throw new UplandError('empty-file', 'This file is empty: it has 0 bytes.');
  try {
    if (as) {
      if (as.startsWith('raw')) return readRaw(bytes, parseRawSpec(as));
      return await formatById(as).read(bytes, options);
    }
    const format = formats.find((f) => f.sniff(bytes));
    if (!format && options.beside?.['.hdr']) return await flt.read(bytes, options);
    return await (format ?? raw).read(bytes, options);
  } catch (error) {
    if (error instanceof RangeError) {
      throw new UplandError('damaged', 'This file is damaged: a number in it points outside of it, or asks for more memory than there is.', {
        reason: error.message,
      });
    }
    throw error;
  }
}
