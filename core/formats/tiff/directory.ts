import { UplandError } from '../../errors';
import { checkLength } from '../limits';
import { viewsOf, type ByteSource } from '../source';

/** A tag to be written. */
export interface TagToWrite {
  tag: number;
  kind: 2 | 3 | 4 | 12;
  values: number[] | string;
}

export const TAG = {
  subfile: 254,
  width: 256,
  height: 257,
  bits: 258,
  compression: 259,
  photometric: 262,
  fillOrder: 266,
  stripOffsets: 273,
  orientation: 274,
  channels: 277,
  rowsPerStrip: 278,
  stripBytes: 279,
  planar: 284,
  predictor: 317,
  colourMap: 320,
  tileWidth: 322,
  tileHeight: 323,
  tileOffsets: 324,
  tileBytes: 325,
  extraSamples: 338,
  sampleFormat: 339,
  jpegTables: 347,
  gdalMetadata: 42_112,
  noData: 42_113,
  lerc: 50_674,
} as const;

/** Bytes of a value by its kind (TIFF 6.0, section 2; 16 to 18 are those of BigTIFF). */
export const KIND_BYTES = [0, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8, 4, 0, 0, 8, 8, 8];

/** The tags of one picture of a TIFF. */
export interface Directory {
  has(tag: number): boolean;
  /** The first number of a tag. */
  first(tag: number): number | undefined;
  /** The numbers of a tag; of a list longer than `most` the first ones. */
  numbers(tag: number, most?: number): number[] | undefined;
  text(tag: number): string | undefined;
  bytes(tag: number): Uint8Array<ArrayBuffer> | undefined;
}

interface Entry {
  kind: number;
  count: number;
  at: number;
}

/** Entries that a directory may have, and directories a file: more are a loop or damage. */
const MOST_ENTRIES = 4096;
const MOST_DIRECTORIES = 1024;
/** Numbers that one tag may list. */
const MOST_NUMBERS = 4_000_000;
const MOST_TEXT = 1 << 20;

/**
 * The directories of a TIFF, classic (version 42, 32-bit offsets) or BigTIFF (version 43, 64-bit
 * offsets), in their order in the file. Source: TIFF 6.0, section 2; the BigTIFF design (Aware
 * Systems / libtiff).
 */
export function directoriesOf(source: ByteSource, little: boolean): Directory[] {
  const view = viewsOf(source);
  const big = view(2, 2).getUint16(0, little) === 43;
  if (big) {
    checkLength('TIFF', 'the header', 16, source.length);
    if (view(4, 2).getUint16(0, little) !== 8) throw new UplandError('damaged', 'This BigTIFF is damaged: its offsets are not of 8 bytes.');
  }
  const offsetAt = (at: number): number => {
    if (!big) return view(at, 4).getUint32(0, little);
    const value = view(at, 8).getBigUint64(0, little);
    if (value > BigInt(Number.MAX_SAFE_INTEGER)) throw new UplandError('damaged', 'This BigTIFF is damaged: it points outside of itself.');
    return Number(value);
  };
  const found: Directory[] = [];
  const seen = new Set<number>();
  let start = offsetAt(big ? 8 : 4);
  while (start !== 0 && !seen.has(start) && found.length < MOST_DIRECTORIES) {
    seen.add(start);
    const one = readDirectory(source, view, little, big, start, offsetAt, found.length === 0);
    if (!one) break;
    found.push(one.directory);
    start = one.next;
  }
  if (found.length === 0) throw new UplandError('damaged', 'This TIFF is damaged: it has no directory.');
  return found;
}

/** One directory and where the next one is; null where a later one does not lie within the file. */
function readDirectory(
  source: ByteSource,
  view: ReturnType<typeof viewsOf>,
  little: boolean,
  big: boolean,
  start: number,
  offsetAt: (at: number) => number,
  required: boolean,
): { directory: Directory; next: number } | null {
  const [head, size, inline] = big ? [8, 20, 8] : [2, 12, 4];
  if (!required && start + head > source.length) return null;
  checkLength('TIFF', 'its directory', start + head, source.length);
  const entries = big ? offsetAt(start) : view(start, 2).getUint16(0, little);
  if (entries > MOST_ENTRIES) {
    if (!required) return null;
    checkLength('TIFF', 'its directory', start + head + entries * size, source.length);
    throw new UplandError('damaged', `This TIFF is damaged: its directory lists ${entries} tags.`);
  }
  if (!required && start + head + entries * size > source.length) return null;
  checkLength('TIFF', 'its directory', start + head + entries * size, source.length);
  const table = new Map<number, Entry>();
  for (let i = 0; i < entries; i++) {
    const at = start + head + i * size;
    const kind = view(at + 2, 2).getUint16(0, little);
    const count = big ? offsetAt(at + 4) : view(at + 4, 4).getUint32(0, little);
    const length = (KIND_BYTES[kind] ?? 0) * count;
    if (length === 0) continue;
    const valueAt = length <= inline ? at + size - inline : offsetAt(at + size - inline);
    const tag = view(at, 2).getUint16(0, little);
    // What a tag that nobody asks for holds may lie anywhere.
    table.set(tag, { kind, count, at: valueAt });
  }
  const nextAt = start + head + entries * size;
  const next = nextAt + inline <= source.length ? offsetAt(nextAt) : 0;
  return { directory: directoryOver(source, view, little, table), next };
}

function directoryOver(source: ByteSource, view: ReturnType<typeof viewsOf>, little: boolean, table: Map<number, Entry>): Directory {
  const within = (tag: number): Entry | undefined => {
    const entry = table.get(tag);
    if (entry) checkLength('TIFF', `the tag ${tag}`, entry.at + KIND_BYTES[entry.kind] * entry.count, source.length);
    return entry;
  };
  const wide = (value: bigint) => (value > BigInt(Number.MAX_SAFE_INTEGER) ? Infinity : Number(value));
  const getters: Record<number, (v: DataView) => number> = {
    1: (v) => v.getUint8(0),
    3: (v) => v.getUint16(0, little),
    4: (v) => v.getUint32(0, little),
    6: (v) => v.getInt8(0),
    7: (v) => v.getUint8(0),
    8: (v) => v.getInt16(0, little),
    9: (v) => v.getInt32(0, little),
    11: (v) => v.getFloat32(0, little),
    12: (v) => v.getFloat64(0, little),
    13: (v) => v.getUint32(0, little),
    16: (v) => wide(v.getBigUint64(0, little)),
    17: (v) => wide(v.getBigInt64(0, little)),
    18: (v) => wide(v.getBigUint64(0, little)),
  };
  const numbers = (tag: number, most = MOST_NUMBERS) => {
    const entry = within(tag);
    const get = entry && getters[entry.kind];
    if (!entry || !get) return undefined;
    const size = KIND_BYTES[entry.kind];
    const out = new Array<number>(Math.min(most, entry.count));
    for (let i = 0; i < out.length; i++) out[i] = get(view(entry.at + i * size, size));
    return out;
  };
  return {
    has: (tag) => table.has(tag),
    first: (tag) => numbers(tag, 1)?.[0],
    numbers,
    text(tag) {
      const entry = within(tag);
      if (!entry || entry.kind !== 2) return undefined;
      const text = new TextDecoder('latin1').decode(source.bytes(entry.at, entry.at + Math.min(MOST_TEXT, entry.count)));
      const end = text.indexOf('\0');
      return end < 0 ? text : text.slice(0, end);
    },
    bytes(tag) {
      const entry = within(tag);
      return entry && source.bytes(entry.at, entry.at + entry.count * KIND_BYTES[entry.kind]);
    },
  };
}

/**
 * The picture among a file's directories that is meant: of overviews and masks (bits 0 and 2 of
 * NewSubfileType) none, of what is left the first.
 */
export function mainDirectory(directories: readonly Directory[]): { directory: Directory; odd: string[] } {
  const full = directories.filter((d) => ((d.first(TAG.subfile) ?? 0) & 5) === 0 && d.has(TAG.width));
  if (full.length === 0) return { directory: directories[0], odd: [] };
  return { directory: full[0], odd: full.length > 1 ? [`It holds ${full.length} pictures; the first is read.`] : [] };
}
