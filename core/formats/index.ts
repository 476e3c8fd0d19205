import { quoted, StoppedError, UplandError } from '../errors';
import { asciiGrid } from './ascii-grid';
import { bmp } from './bmp';
import { exr } from './exr';
import type { Format, Reading, ReadOptions } from './format';
import { bil, flt } from './header-grid';
import { hgt } from './hgt';
import { jpeg } from './jpeg';
import { pfm, pgm } from './netpbm';
import { npy, npz } from './npy';
import { withSilentNoData } from './no-data';
import { packed } from './packed';
import { png } from './png';
import { parseRawSpec, raw, readRaw } from './raw';
import { tiff } from './tiff';
import { firstLineOf, isMesh, isText, whatItIs } from './unreadable';
import { xyz } from './xyz';

/** Every heightmap format, in the order they are tried. */
export const formats: readonly Format[] = [png, tiff, jpeg, asciiGrid, exr, npy, npz, pgm, pfm, bmp, flt, bil, xyz, packed, hgt, raw];

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
    if (as?.startsWith('raw')) return readRaw(bytes, parseRawSpec(as));
    return withSilentNoData(await (as ? formatById(as) : formatOf(bytes, options)).read(bytes, options));
  } catch (error) {
    throw asFault(error);
  }
}

/** The format that bytes are in; where it is one that is not read here, the error says which. */
function formatOf(bytes: Uint8Array, { beside }: ReadOptions): Format {
  // What says most about itself comes first: points are known by numbers alone, tiles by their length.
  const format = formats.find((f) => f !== hgt && f !== xyz && f.sniff(bytes));
  if (format) return format;
  // The header beside them says more than bytes that look like something by chance.
  if (beside?.['.hdr']) return flt;
  if (hgt.sniff(bytes)) return hgt;
  const known = whatItIs(bytes);
  if (known) throw known;
  if (isMesh(bytes)) throw new UplandError('is-a-mesh', 'This is a mesh, not a heightmap: the Mesh room (and the command `press`) turns it into heights.');
  if (xyz.sniff(bytes)) return xyz;
  if (isText(bytes)) {
    throw new UplandError(
      'text-without-heights',
      `This is text, but neither an ASCII grid (a header with ncols and nrows) nor points (x, y and z a line). It begins with ${quoted(firstLineOf(bytes))}.`,
    );
  }
  return raw;
}

/** Whether bytes say nothing about themselves, so that somebody has to; throws where they are of a kind that is not read here. */
export const saysNothing = (bytes: Uint8Array, beside: Record<string, Uint8Array> = {}): boolean => formatOf(bytes, { beside }) === raw;

/** What libraries and the engine throw about bytes that make no sense, as an error of our own. */
export function asFault(error: unknown): unknown {
  if (error instanceof UplandError || error instanceof StoppedError) return error;
  const reason = error instanceof Error ? error.message : String(error);
  if (error instanceof RangeError)
    return new UplandError('damaged', 'This file is damaged: a number in it points outside of it, or asks for more memory than there is.', { reason });
  return new UplandError('damaged', 'This file is damaged: what it holds does not go together.', { reason });
}
