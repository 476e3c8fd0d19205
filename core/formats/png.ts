import { crc32 } from '../kernels/checksums';
import { PngRows, PngRowsBack } from '../kernels/png-rows';
import { UplandError } from '../errors';
import { oneBand, planesFor } from './bands';
import { concat } from '../concat';
import type { Kernels } from '../kernels/pool';
import { checkInflated, compress, compressEach, Compressing, Inflating } from './deflate';
import {
  BARE_CODES,
  BYTES,
  makeSamples,
  type Format,
  type Page,
  type Placed,
  type Reading,
  type ReadOptions,
  type RowReading,
  type RowWriting,
} from './format';
import { aboutCodes, aboutTones, CHANNELS, chunksOf, isPng, paletteTones, parseHeader, passesOf, SIGNATURE, TONES, transparentOf } from './png-chunks';
import { inMemory, type ByteSource } from './source';
import { checkLength, checkUnpacked } from './limits';

/**
 * PNG (W3C PNG, 3rd edition): greyscale of 8 and 16 bits, and of a colour picture one band, the
 * luminance, or heights packed over its channels. 16-bit samples are big-endian. Read row by
 * row as it is unpacked. On data no gAMA, sRGB or iCCP chunk is written, and none is applied on
 * reading, only reported.
 */
export const png: Format = {
  id: 'png',
  title: 'PNG',
  endings: ['.png'],
  mediaType: 'image/png',
  writes: ['u16', 'u8'],
  carriesRange: false,
  sniff: isPng,
  read,
  open,
  write,
  writeRows,
};

async function read(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions = {}): Promise<Reading> {
  const { width, height, bands, colour, type, planes, odd, transparent } = await unpack(bytes, options, (count, coloured) =>
    planesFor('PNG', count, coloured, options.band),
  );
  const chosen = oneBand(planes, type, bands, colour, options.band);
  return {
    format: 'png',
    width,
    height,
    ...BARE_CODES,
    ...chosen,
    noData: transparent !== null && bands === 1 ? transparent : null,
    channels: bands,
    odd: [...odd, ...chosen.odd],
  };
}

/** A PNG without a palette as it was written, its channels side by side; null for a picture of another kind. */
export async function decodeImage(bytes: Uint8Array<ArrayBuffer>): Promise<Image | null> {
  const source = inMemory(bytes);
  if (!isPng(bytes) || bytes.length < 57) return null;
  const { width, height, depth, colour, interlaced } = parseHeader(new DataView(bytes.buffer, bytes.byteOffset), 16);
  const channels = CHANNELS[colour];
  if (interlaced || depth < 8 || colour === 3 || channels === 2 || chunkName(bytes, 37) !== 'IDAT') return null;
  const wide = depth === 16;
  const back = channels * (wide ? 2 : 1);
  const size = width * back;
  checkInflated('PNG', bytes.length, height * (size + 1));
  const samples = makeSamples(wide ? 'u16' : 'u8', width * height * channels) as Image['samples'];
  const inflating = new Inflating('PNG', packedOf(source, 33), height * (size + 1));
  const rows = new PngRowsBack(size, back);
  const line = new Uint8Array(size + 1);
  try {
    for (let y = 0; y < height; y++) {
      await inflating.fill(line);
      const row = rows.take(filterIn(line), line.subarray(1));
      samples.set(wide ? rows.codes() : row, y * width * channels);
    }
    await inflating.end();
  } finally {
    inflating.close();
  }
  return { width, height, channels: channels as Image['channels'], samples };
}

/** The rows of greyscale of 8 or 16 bits as they are asked for; null where the picture has to be read whole. */
function open(source: ByteSource, options: ReadOptions = {}): RowReading | null {
  const first = source.bytes(0, 33);
  if (first.length < 33 || chunkName(first, 12) !== 'IHDR') return null;
  const view = new DataView(first.buffer, first.byteOffset, first.byteLength);
  if (view.getUint32(8) !== 13 || crc32(first.subarray(12, 29)) !== view.getUint32(29)) return null;
  const { width, height, depth, colour, interlaced } = parseHeader(view, 16);
  if (colour !== 0 || depth < 8 || interlaced) return null;
  const before = source.more ? { at: 33, odd: [] } : beforeRows(source);
  if (!before) return null;
  const { at, odd } = before;
  planesFor('PNG', 1, false, options.band);
  const type = depth === 16 ? 'u16' : 'u8';
  const size = width * BYTES[type];
  const expected = height * (size + 1);
  if (!source.more) {
    checkInflated('PNG', source.length, expected);
    checkUnpacked('PNG', source.length, width * height * BYTES[type]);
  }

  let inflating: Inflating | undefined;
  let next = 0;
  const line = new Uint8Array(size + 1);
  let undone = new PngRowsBack(size, BYTES[type]);
  return {
    format: 'png',
    width,
    height,
    channels: 1,
    type,
    ...BARE_CODES,
    noData: null,
    odd,
    tall: 1,
    async rows(from, to, signal) {
      if (!inflating || from < next) {
        inflating?.close();
        inflating = new Inflating('PNG', packedOf(source, at), expected);
        undone = new PngRowsBack(size, BYTES[type]);
        next = 0;
      }
      const samples = makeSamples(type, (to - from) * width) as Uint8Array | Uint16Array;
      for (; next < to; next++) {
        await inflating.fill(line, signal);
        const row = undone.take(filterIn(line), line.subarray(1));
        if (next >= from) samples.set(depth === 8 ? row : undone.codes(), (next - from) * width);
      }
      if (next === height) await inflating.end();
      return { samples, whole: false };
    },
  };
}

/** Where the first chunk of rows lies, and what stands before it that is out of the ordinary; null where the picture has to be read whole. */
function beforeRows(source: ByteSource): { at: number; odd: string[] } | null {
  const odd: string[] = [];
  let at = 33;
  for (;;) {
    const head = source.bytes(at, at + 8);
    const kind = chunkName(head, 4);
    if (kind === 'IDAT') break;
    // What is transparent, and what is damaged, has its words where pictures are read whole.
    if (head.length < 8 || kind === 'tRNS' || kind === 'IEND') return null;
    if (TONES.includes(kind)) odd.push(aboutTones(kind));
    at += 12 + new DataView(head.buffer, head.byteOffset).getUint32(0);
  }
  return chunkName(source.bytes(source.length - 12, source.length), 4) === 'IEND' ? { at, odd } : null;
}

/** The filter that a row says it is under. */
function filterIn([filter]: Uint8Array): number {
  if (filter > 4) throw new UplandError('damaged', `This PNG is damaged: a row has the filter ${filter}, and there are only 0 to 4.`);
  return filter;
}

const chunkName = (bytes: Uint8Array, at: number) => String.fromCharCode(...bytes.subarray(at, at + 4));

/** Bytes of a chunk that are looked at together. */
const SLICE = 1 << 20;

/** What the IDAT chunks from `at` on hold, as it is asked for. */
async function* packedOf(source: ByteSource, at: number): AsyncGenerator<Uint8Array<ArrayBuffer>> {
  const there = async (what: string, from: number, to: number) => {
    while (to > source.length && (await source.more?.()));
    checkLength('PNG', what, to - from, source.length - from);
  };
  for (;;) {
    await there(`its chunk at byte ${at}`, at, at + 12);
    const head = source.bytes(at, at + 8);
    if (chunkName(head, 4) !== 'IDAT') return;
    const end = at + 8 + new DataView(head.buffer, head.byteOffset).getUint32(0);
    await there('its IDAT chunk', at + 8, end + 4);
    let sum = crc32(head.subarray(4, 8));
    for (let from = at + 8; from < end; from += SLICE) {
      const slice = source.bytes(from, Math.min(end, from + SLICE));
      sum = crc32(slice, sum);
      yield slice;
    }
    const told = source.bytes(end, end + 4);
    if (sum !== new DataView(told.buffer, told.byteOffset).getUint32(0)) {
      throw new UplandError('damaged', `This PNG is damaged: the checksum of its IDAT chunk at byte ${at} is wrong.`, { at });
    }
    at = end + 4;
  }
}

/** Every channel of a PNG, each by itself, through the same reader as heights. */
export async function decodePlanes(bytes: Uint8Array<ArrayBuffer>): Promise<{ width: number; height: number; planes: (Uint8Array | Uint16Array)[] }> {
  return unpack(bytes, {}, (count) => Array.from({ length: count }, (_, i) => i));
}

/** The planes of a PNG that are wanted of so many bands. */
async function unpack(bytes: Uint8Array<ArrayBuffer>, options: ReadOptions, want: (bands: number, colour: boolean) => number[]) {
  const chunks = chunksOf(bytes);
  const { header, palette, data, odd } = chunks;
  const channels = CHANNELS[header.colour];
  let tones: Uint8Array[] | undefined;
  if (header.colour === 3) {
    tones = paletteTones(palette);
    odd.push(tones.length === 1 ? 'Its greys were listed in a palette.' : 'Its colours were listed in a palette.');
  }
  // A palette of colours stands for three channels, whatever the file counts.
  const colour = header.colour !== 0;
  const bands = tones ? tones.length : channels;
  const wanted = want(bands, colour);

  const passes = passesOf(header);
  const bitsPerPixel = channels * header.depth;
  const rowBytes = (width: number) => Math.ceil((width * bitsPerPixel) / 8);
  const expected = passes.reduce((sum, p) => sum + (p.width ? p.height * (1 + rowBytes(p.width)) : 0), 0);
  const packed = data.reduce((sum, part) => sum + part.length, 0);
  checkInflated('PNG', packed, expected);
  const type = header.depth === 16 ? 'u16' : 'u8';
  const count = header.width * header.height;
  const transparent = transparentOf(chunks);
  odd.push(...aboutCodes(chunks, tones, transparent));
  checkUnpacked('PNG', bytes.length, count * (wanted.length === 3 ? 4 : wanted.length) * (header.depth === 16 ? 2 : 1));
  const planes = wanted.map(() => makeSamples(type, count) as Uint8Array | Uint16Array);
  const inflating = new Inflating('PNG', data, expected, options.signal);
  let done = 0;
  try {
    for (const pass of passes) {
      if (pass.width === 0) continue;
      const size = rowBytes(pass.width);
      const line = new Uint8Array(size + 1);
      const rows = new PngRowsBack(size, Math.max(1, bitsPerPixel >> 3));
      for (let y = 0; y < pass.height; y++) {
        await inflating.fill(line);
        const row = rows.take(filterIn(line), line.subarray(1));
        const start = (pass.top + y * pass.stepY) * header.width + pass.left;
        for (let k = 0; k < wanted.length; k++) {
          if (tones) spread(row, pass.width, header.depth, 1, 0, planes[k], start, pass.stepX, tones[wanted[k]]);
          else if (size === pass.width && pass.stepX === 1 && header.depth === 8) planes[k].set(row, start);
          else spread(row, pass.width, header.depth, channels, wanted[k], planes[k], start, pass.stepX);
        }
        done += size + 1;
        if ((y & 63) === 0) options.progress?.(done / expected);
      }
    }
  } finally {
    inflating.close();
  }
  return { width: header.width, height: header.height, bands, colour, type, planes, odd, transparent } as const;
}

/** One channel of an unfiltered row into its plane. */
function spread(
  row: Uint8Array,
  width: number,
  depth: number,
  channels: number,
  channel: number,
  samples: Uint8Array | Uint16Array,
  start: number,
  step: number,
  tones?: Uint8Array,
): void {
  if (depth === 16) {
    for (let x = 0, at = 2 * channel; x < width; x++, at += 2 * channels) samples[start + x * step] = (row[at] << 8) | row[at + 1];
  } else if (depth === 8) {
    for (let x = 0, at = channel; x < width; x++, at += channels) samples[start + x * step] = tones ? tones[row[at]] : row[at];
  } else {
    const mask = (1 << depth) - 1;
    for (let x = 0; x < width; x++) {
      const bit = x * depth;
      const value = (row[bit >> 3] >> (8 - depth - (bit & 7))) & mask;
      samples[start + x * step] = tones ? tones[value] : value;
    }
  }
}

/** A picture of 1, 3 or 4 channels, interleaved, of 8 or 16 bits. */
export interface Image {
  width: number;
  height: number;
  channels: 1 | 3 | 4;
  samples: Uint8Array<ArrayBuffer> | Uint16Array<ArrayBuffer>;
}

/** A PNG of grey, red-green-blue or red-green-blue-alpha; 16 bits where the samples have them. */
export const encodeImage = (image: Image): Uint8Array<ArrayBuffer> => fileOf(image, compress(filteredRows(image)));

/** The bytes of {@link encodeImage}, packed over all threads. */
export async function packImage(image: Image, kernels: Kernels): Promise<Uint8Array<ArrayBuffer>> {
  const [packed] = await compressEach(kernels, [filteredRows(image)]);
  return fileOf(image, packed);
}

const filteredRows = ({ width, channels, samples }: Image) => new FilteredRows(width, channels, samples.BYTES_PER_ELEMENT).take(samples);

/** An 8-bit RGB PNG, for maps that are colour. */
export const encodeRgb = (samples: Uint8Array<ArrayBuffer>, width: number, height: number): Uint8Array<ArrayBuffer> =>
  encodeImage({ width, height, channels: 3, samples });

async function write(page: Page, kernels?: Kernels): Promise<Uint8Array<ArrayBuffer>> {
  const { head, put } = writeRows(page, kernels);
  const { parts } = await put(page.samples, 0);
  return concat([head, ...parts.map(({ bytes }) => bytes)]);
}

/** Heights row by row: a chunk for every part of the packed rows. */
function writeRows({ width, height, type }: Omit<Page, 'samples'>, kernels?: Kernels): RowWriting {
  const rows = new FilteredRows(width, 1, BYTES[type]);
  const size = rows.size;
  const compressing = new Compressing(height * size, kernels);
  const head = concat([Uint8Array.from(SIGNATURE), chunk('IHDR', headerOf(width, height, 8 * BYTES[type], 1))]);
  let end = Promise.resolve(head.length);
  return {
    head,
    tall: 1,
    async put(samples, from): Promise<Placed> {
      const adding = compressing.add(rows.take(samples as Uint8Array | Uint16Array));
      // What was given before lies before it.
      const placing = end.then(async (at) => {
        const { parts, held } = await adding;
        const chunks = parts.map((part) => chunk('IDAT', part));
        if (from * width + samples.length === width * height) chunks.push(chunk('IEND', new Uint8Array(0)));
        const placed: Placed = { parts: [], length: at, rows: Math.floor(held / size) };
        for (const bytes of chunks) {
          placed.parts.push({ at: placed.length, bytes });
          placed.length += bytes.length;
        }
        return placed;
      });
      end = placing.then(({ length }) => length);
      // Whoever waits for it hears of what goes wrong.
      end.catch(() => undefined);
      return placing;
    },
  };
}

/** Rows under the filters that suit them, each with its filter's number before it. */
class FilteredRows {
  /** Bytes of a row. */
  readonly size: number;
  private readonly across: number;
  private readonly rows: PngRows;

  constructor(width: number, channels: number, bytes: number) {
    this.across = width * channels;
    const back = channels * bytes;
    this.size = width * back + 1;
    // A quarter of a long row says as well which filter suits it.
    this.rows = new PngRows(width * back, back, width >= 1024 ? 4 : 1);
  }

  /** The next ones. */
  take(samples: Uint8Array | Uint16Array): Uint8Array {
    const { across, size } = this;
    const count = samples.length / across;
    const out = new Uint8Array(count * size);
    for (let y = 0, at = 0; y < count; y++, at += size)
      out[at] = this.rows.take(samples.subarray(y * across, (y + 1) * across), out.subarray(at + 1, at + size));
    return out;
  }
}

/** A whole file out of its packed rows. */
function fileOf({ width, height, channels, samples }: Image, packed: Uint8Array): Uint8Array<ArrayBuffer> {
  const header = headerOf(width, height, 8 * samples.BYTES_PER_ELEMENT, channels);
  return concat([Uint8Array.from(SIGNATURE), chunk('IHDR', header), chunk('IDAT', packed), chunk('IEND', new Uint8Array(0))]);
}

function headerOf(width: number, height: number, depth: number, channels: Image['channels']): Uint8Array {
  const header = new Uint8Array(13);
  const view = new DataView(header.buffer);
  view.setUint32(0, width);
  view.setUint32(4, height);
  header[8] = depth;
  header[9] = { 1: 0, 3: 2, 4: 6 }[channels];
  return header;
}

function chunk(kind: string, body: Uint8Array): Uint8Array {
  const out = new Uint8Array(body.length + 12);
  const view = new DataView(out.buffer);
  view.setUint32(0, body.length);
  for (let i = 0; i < 4; i++) out[4 + i] = kind.charCodeAt(i);
  out.set(body, 8);
  view.setUint32(8 + body.length, crc32(out.subarray(4, 8 + body.length)));
  return out;
}
