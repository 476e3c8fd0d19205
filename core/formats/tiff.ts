import { throwIfStopped, UplandError } from '../errors';
import { oneBand, planesFor } from './bands';
import { compress, decompress } from './deflate';
import { BYTES, makeSamples, type Format, type Page, type Reading, type ReadOptions, type SampleArray, type SampleType } from './format';
import { placeEntries, placeOf } from './geotiff';
import { checkLength, checkSize } from './limits';
import { getter, putter } from './raw';
import type { Image } from './png';
import { applyPredictor, undoPredictor, unpackBits, unpackLzw } from './tiff-codecs';

const TAG = {
  width: 256,
  height: 257,
  bits: 258,
  compression: 259,
  photometric: 262,
  stripOffsets: 273,
  channels: 277,
  rowsPerStrip: 278,
  stripBytes: 279,
  planar: 284,
  predictor: 317,
  tileWidth: 322,
  tileHeight: 323,
  tileOffsets: 324,
  tileBytes: 325,
  extraSamples: 338,
  sampleFormat: 339,
  gdalMetadata: 42_112,
  noData: 42_113,
} as const;

const KIND_BYTES = [0, 1, 1, 2, 4, 8, 1, 1, 2, 4, 8, 4, 8];

/**
 * TIFF 6.0 with GeoTIFF keys (OGC 19-008). Reads strips and tiles of 8, 16 and 32-bit integers
 * and 32 and 64-bit floats, both byte orders, packed by none, LZW, Deflate or PackBits, with
 * predictors 1 to 3. Writes little-endian strips, with the spacing and registration as GeoTIFF
 * keys and, for codes, their scale and offset in metres as GDAL metadata.
 */
export const tiff: Format = {
  id: 'tiff',
  title: 'TIFF',
  endings: ['.tif', '.tiff'],
  mediaType: 'image/tiff',
  writes: ['f32', 'u16', 'u8', 's16', 'u32', 's32', 'f64'],
  carriesRange: true,
  sniff: (b) => (b[0] === 0x49 && b[1] === 0x49 && b[2] === 42 && b[3] === 0) || (b[0] === 0x4d && b[1] === 0x4d && b[2] === 0 && b[3] === 42),
  read,
  write: async (page) => write(page),
};

export interface Directory {
  numbers(tag: number): number[] | undefined;
  text(tag: number): string | undefined;
}

async function read(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  checkLength('TIFF', 'the header', 8, bytes.length);
  if (!tiff.sniff(bytes)) throw new UplandError('not-tiff', 'This is not a TIFF: its first bytes are not those of one.');
  const little = bytes[0] === 0x49;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const directory = readDirectory(view, little);
  const one = (tag: number, otherwise?: number) => {
    const value = directory.numbers(tag)?.[0] ?? otherwise;
    if (value === undefined) throw new UplandError('damaged', `This TIFF is damaged: the tag ${tag} is missing.`, { tag });
    return value;
  };
  const width = one(TAG.width);
  const height = one(TAG.height);
  checkSize('TIFF', width, height);
  const channels = one(TAG.channels, 1);
  const planar = one(TAG.planar, 1);
  const type = sampleType(one(TAG.bits, 1), one(TAG.sampleFormat, 1));
  const compression = one(TAG.compression, 1);
  const predictor = one(TAG.predictor, 1);
  if (![1, 5, 8, 32_946, 32_773].includes(compression)) {
    throw new UplandError('compression', `This TIFF is packed by method ${compression}, which is not read here. Save it unpacked, or with LZW or Deflate.`, {
      compression,
    });
  }
  if (channels < 1 || channels > 64) throw new UplandError('damaged', `This TIFF says it has ${channels} channels.`);
  const size = BYTES[type];
  const interleaved = planar === 2 ? 1 : channels;

  const tiled = directory.numbers(TAG.tileOffsets) !== undefined;
  const blockWidth = tiled ? one(TAG.tileWidth) : width;
  const blockHeight = tiled ? one(TAG.tileHeight) : Math.min(height, one(TAG.rowsPerStrip, height));
  if (!(blockWidth >= 1 && blockHeight >= 1 && blockWidth <= 65_536 && blockHeight <= 65_536)) {
    throw new UplandError('damaged', `This TIFF is damaged: its parts are ${blockWidth} × ${blockHeight} samples.`);
  }
  const offsets = directory.numbers(tiled ? TAG.tileOffsets : TAG.stripOffsets);
  if (!offsets) throw new UplandError('damaged', 'This TIFF is damaged: it does not say where its samples are.');
  const columns = Math.ceil(width / blockWidth);
  const blockRows = Math.ceil(height / blockHeight);
  const blocks = columns * blockRows;
  // Planes that lie apart are stored one whole band after the other.
  const stored = blocks * (planar === 2 ? channels : 1);
  if (offsets.length < stored) {
    throw new UplandError('damaged', `This TIFF is damaged: ${stored} parts are needed and ${offsets.length} are listed.`);
  }
  const lengths = directory.numbers(tiled ? TAG.tileBytes : TAG.stripBytes) ?? [];
  const photometric = one(TAG.photometric, 1);
  const colour = photometric === 2;
  const wanted = planesFor('TIFF', channels, colour, options.band);
  const planes = wanted.map(() => makeSamples(type, width * height));

  const take = async (index: number, b: number, copies: { channel: number; into: SampleArray }[]) => {
    const left = (b % columns) * blockWidth;
    const top = Math.floor(b / columns) * blockHeight;
    const rows = tiled ? blockHeight : Math.min(blockHeight, height - top);
    const expected = blockWidth * rows * interleaved * size;
    const length = lengths[index] ?? expected;
    checkLength('TIFF', `part ${index + 1} of ${stored}`, offsets[index] + length, bytes.length);
    const packed = bytes.subarray(offsets[index], offsets[index] + length);
    const block = await unpack(compression, packed, expected);
    if (predictor > 1) undoPredictor(predictor, block, blockWidth, rows, interleaved, size, little);
    for (const { channel, into } of copies) copyBlock(block, type, little, into, width, height, left, top, blockWidth, rows, interleaved, channel);
  };
  for (let b = 0; b < blocks; b++) {
    throwIfStopped(options.signal);
    options.progress?.(b / blocks);
    if (planar === 2) for (const [k, channel] of wanted.entries()) await take(channel * blocks + b, b, [{ channel: 0, into: planes[k] }]);
    else
      await take(
        b,
        b,
        wanted.map((channel, k) => ({ channel, into: planes[k] })),
      );
  }
  if (photometric === 0 && type[0] === 'u') {
    const top = 2 ** (size * 8) - 1;
    for (const samples of planes) for (let i = 0; i < samples.length; i++) samples[i] = top - samples[i];
  }
  const chosen = oneBand(planes, type, channels, colour, options.band);
  const meaning = meaningOf(directory, type, photometric, height);
  return { format: 'tiff', width, height, channels, ...meaning, ...chosen, odd: [...meaning.odd, ...chosen.odd] };
}

/** Scale, unit, place and no-data as the tags have them. */
function meaningOf(directory: Directory, type: SampleType, photometric: number, rows: number) {
  const odd: string[] = [];
  if (photometric === 0 && type[0] === 'u') odd.push('White was 0 in it; that was turned round.');
  const place = placeOf(directory, rows);
  odd.push(...place.odd);
  const metadata = directory.text(TAG.gdalMetadata);
  const item = (role: string) => {
    const match = metadata && new RegExp(`role="${role}"[^>]*>\\s*([-+0-9.eE]+)\\s*<`).exec(metadata);
    return match ? Number(match[1]) : undefined;
  };
  const scale = item('scale');
  const offset = item('offset');
  const noDataText = directory.text(TAG.noData)?.trim();
  const noData = noDataText ? Number(noDataText) : NaN;
  const inMetres = type[0] === 'f' || scale !== undefined || offset !== undefined || place.registration !== undefined;
  const foot = place.feet ?? 1;
  return {
    unit: inMetres ? ('m' as const) : ('code' as const),
    scale: (scale ?? 1) * foot,
    offset: (offset ?? 0) * foot,
    spacing: place.spacing,
    registration: place.registration ?? null,
    noData: Number.isNaN(noData) ? null : noData,
    georeference: place.georeference,
    ...(place.feet ? { feet: true } : {}),
    odd,
  };
}

function readDirectory(view: DataView, little: boolean): Directory {
  const start = view.getUint32(4, little);
  checkLength('TIFF', 'its directory', start + 2, view.byteLength);
  const entries = view.getUint16(start, little);
  checkLength('TIFF', 'its directory', start + 2 + entries * 12, view.byteLength);
  const found = new Map<number, { kind: number; count: number; at: number }>();
  for (let i = 0; i < entries; i++) {
    const at = start + 2 + i * 12;
    const tag = view.getUint16(at, little);
    const kind = view.getUint16(at + 2, little);
    const count = view.getUint32(at + 4, little);
    const size = (KIND_BYTES[kind] ?? 0) * count;
    if (size === 0) continue;
    const valueAt = size <= 4 ? at + 8 : view.getUint32(at + 8, little);
    checkLength('TIFF', `the tag ${tag}`, valueAt + size, view.byteLength);
    found.set(tag, { kind, count, at: valueAt });
  }
  return {
    numbers(tag) {
      const entry = found.get(tag);
      if (!entry) return undefined;
      const { kind, count, at } = entry;
      const size = KIND_BYTES[kind];
      const types: Record<number, SampleType> = { 1: 'u8', 3: 'u16', 4: 'u32', 7: 'u8', 8: 's16', 9: 's32', 11: 'f32', 12: 'f64' };
      const type = types[kind];
      if (!type) return undefined;
      const get = getter(view, type, little);
      return Array.from({ length: count }, (_, i) => get(at + i * size));
    },
    text(tag) {
      const entry = found.get(tag);
      if (!entry || entry.kind !== 2) return undefined;
      return new TextDecoder('latin1').decode(new Uint8Array(view.buffer, view.byteOffset + entry.at, entry.count)).replace(/\0+$/, '');
    },
  };
}

function sampleType(bits: number, format: number): SampleType {
  const types: Record<string, SampleType> = { '8-1': 'u8', '16-1': 'u16', '16-2': 's16', '32-1': 'u32', '32-2': 's32', '32-3': 'f32', '64-3': 'f64' };
  const type = types[`${bits}-${format}`];
  if (!type) {
    const kind = format === 1 ? 'whole' : format === 2 ? 'signed' : format === 3 ? 'floating-point' : `kind-${format}`;
    throw new UplandError(
      'sample-type',
      `This TIFF has ${kind} samples of ${bits} bits, which are not read here. 8, 16 and 32-bit integers and 32 and 64-bit floats are.`,
    );
  }
  return type;
}

async function unpack(compression: number, packed: Uint8Array<ArrayBuffer>, expected: number): Promise<Uint8Array<ArrayBuffer>> {
  if (compression === 1) {
    checkLength('TIFF', 'a strip', expected, packed.length);
    return packed.slice(0, expected);
  }
  if (compression === 32_773) return unpackBits(packed, expected);
  if (compression === 5) return unpackLzw(packed, expected);
  return decompress('TIFF', packed, expected);
}

function copyBlock(
  block: Uint8Array,
  type: SampleType,
  little: boolean,
  samples: { [index: number]: number },
  width: number,
  height: number,
  left: number,
  top: number,
  blockWidth: number,
  rows: number,
  channels: number,
  channel: number,
): void {
  const get = getter(new DataView(block.buffer, block.byteOffset, block.byteLength), type, little);
  const size = BYTES[type] * channels;
  const right = Math.min(width, left + blockWidth);
  for (let row = 0; row < rows && top + row < height; row++) {
    let at = row * blockWidth * size + channel * BYTES[type];
    for (let i = (top + row) * width + left, end = (top + row) * width + right; i < end; i++, at += size) samples[i] = get(at);
  }
}

export interface Entry {
  tag: number;
  kind: 2 | 3 | 4 | 12;
  values: number[] | string;
}

function write({ width, height, type, samples, ground, scale, offset, noData, options }: Page): Uint8Array<ArrayBuffer> {
  const size = BYTES[type];
  const rowsPerStrip = Math.max(1, Math.min(height, Math.floor(262_144 / (width * size))));
  const deflated = options.compression === 'deflate';
  const predictor = deflated && size <= 4 ? (type[0] === 'f' ? 3 : 2) : 1;
  const strips: Uint8Array[] = [];
  for (let top = 0; top < height; top += rowsPerStrip) {
    const rows = Math.min(rowsPerStrip, height - top);
    const strip = new Uint8Array(rows * width * size);
    const put = putter(new DataView(strip.buffer), type, true);
    for (let i = 0, at = 0; i < rows * width; i++, at += size) put(at, samples[top * width + i]);
    if (predictor > 1) applyPredictor(predictor, strip, width, rows, size);
    strips.push(deflated ? compress(strip) : strip);
  }
  const number = (v: number) => (Object.is(v, -0) ? '0' : String(v));
  const scaled = scale !== 1 || offset !== 0;
  const entries: Entry[] = [
    { tag: TAG.width, kind: 4, values: [width] },
    { tag: TAG.height, kind: 4, values: [height] },
    { tag: TAG.bits, kind: 3, values: [size * 8] },
    { tag: TAG.compression, kind: 3, values: [deflated ? 8 : 1] },
    { tag: TAG.photometric, kind: 3, values: [1] },
    { tag: TAG.stripOffsets, kind: 4, values: strips.map(() => 0) },
    { tag: TAG.channels, kind: 3, values: [1] },
    { tag: TAG.rowsPerStrip, kind: 4, values: [rowsPerStrip] },
    { tag: TAG.stripBytes, kind: 4, values: strips.map((s) => s.length) },
    { tag: TAG.planar, kind: 3, values: [1] },
    ...(predictor > 1 ? [{ tag: TAG.predictor, kind: 3 as const, values: [predictor] }] : []),
    { tag: TAG.sampleFormat, kind: 3, values: [type[0] === 'u' ? 1 : type[0] === 's' ? 2 : 3] },
    ...placeEntries(ground),
    ...(scaled
      ? [
          {
            tag: TAG.gdalMetadata,
            kind: 2 as const,
            values: `<GDALMetadata><Item name="OFFSET" sample="0" role="offset">${number(offset)}</Item><Item name="SCALE" sample="0" role="scale">${number(scale)}</Item></GDALMetadata>\0`,
          },
        ]
      : []),
    ...(noData !== null ? [{ tag: TAG.noData, kind: 2 as const, values: `${number(noData)}\0` }] : []),
  ];
  return assemble(entries, strips);
}

/** A picture of several channels, side by side at every sample, packed by deflate with predictor 2; a fourth channel is alpha that stands by itself. */
export function tiffOf({ width, height, channels, samples }: Image): Uint8Array<ArrayBuffer> {
  const size = samples.BYTES_PER_ELEMENT;
  const rowsPerStrip = Math.max(1, Math.min(height, Math.floor(262_144 / (width * channels * size))));
  const strips: Uint8Array[] = [];
  for (let top = 0; top < height; top += rowsPerStrip) {
    const rows = Math.min(rowsPerStrip, height - top);
    const part = samples.subarray(top * width * channels, (top + rows) * width * channels);
    const strip = new Uint8Array(part.length * size);
    if (size === 1) strip.set(part);
    else for (let i = 0; i < part.length; i++) [strip[2 * i], strip[2 * i + 1]] = [part[i] & 255, part[i] >> 8];
    applyPredictor(2, strip, width, rows, size, channels);
    strips.push(compress(strip, 3));
  }
  const each = (value: number) => Array.from({ length: channels }, () => value);
  return assemble(
    [
      { tag: TAG.width, kind: 4, values: [width] },
      { tag: TAG.height, kind: 4, values: [height] },
      { tag: TAG.bits, kind: 3, values: each(8 * size) },
      { tag: TAG.compression, kind: 3, values: [8] },
      { tag: TAG.photometric, kind: 3, values: [channels === 1 ? 1 : 2] },
      { tag: TAG.stripOffsets, kind: 4, values: strips.map(() => 0) },
      { tag: TAG.channels, kind: 3, values: [channels] },
      { tag: TAG.rowsPerStrip, kind: 4, values: [rowsPerStrip] },
      { tag: TAG.stripBytes, kind: 4, values: strips.map((s) => s.length) },
      { tag: TAG.planar, kind: 3, values: [1] },
      { tag: TAG.predictor, kind: 3, values: [2] },
      ...(channels === 4 ? [{ tag: TAG.extraSamples, kind: 3 as const, values: [2] }] : []),
      { tag: TAG.sampleFormat, kind: 3, values: each(1) },
    ],
    strips,
  );
}

function assemble(entries: Entry[], strips: Uint8Array[]): Uint8Array<ArrayBuffer> {
  const sizeOf = (e: Entry) => e.values.length * KIND_BYTES[e.kind];
  const even = (n: number) => n + (n & 1);
  let at = 8 + 2 + entries.length * 12 + 4;
  const valueAt = entries.map((e) => {
    if (sizeOf(e) <= 4) return -1;
    const here = at;
    at += even(sizeOf(e));
    return here;
  });
  const offsets = entries.find((e) => e.tag === TAG.stripOffsets)!;
  offsets.values = strips.map((strip) => {
    const here = at;
    at += even(strip.length);
    return here;
  });
  if (at > 0xffffffff) throw new UplandError('too-large', 'A TIFF ends at 4 GiB, and this one would be larger. Write tiles, or fewer samples.');
  const bytes = new Uint8Array(at);
  const view = new DataView(bytes.buffer);
  bytes.set([0x49, 0x49, 42, 0]);
  view.setUint32(4, 8, true);
  view.setUint16(8, entries.length, true);
  entries.forEach((entry, i) => {
    const here = 10 + i * 12;
    view.setUint16(here, entry.tag, true);
    view.setUint16(here + 2, entry.kind, true);
    view.setUint32(here + 4, entry.values.length, true);
    let to = valueAt[i];
    if (to < 0) to = here + 8;
    else view.setUint32(here + 8, to, true);
    for (let k = 0; k < entry.values.length; k++) {
      const value = entry.values[k];
      if (typeof value === 'string') bytes[to + k] = value.charCodeAt(0);
      else if (entry.kind === 3) view.setUint16(to + 2 * k, value, true);
      else if (entry.kind === 4) view.setUint32(to + 4 * k, value, true);
      else view.setFloat64(to + 8 * k, value, true);
    }
  });
  strips.forEach((strip, i) => bytes.set(strip, (offsets.values as number[])[i]));
  return bytes;
}
