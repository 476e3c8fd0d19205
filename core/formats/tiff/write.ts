import { UplandError } from '../../errors';
import type { Kernels } from '../../kernels/pool';
import { compress, compressEach } from '../deflate';
import { BYTES, bytesOfSamples, isAsInMemory, type Page, type Placed, type RowWriting, type SampleArray, type SampleType } from '../format';
import type { Image } from '../png';
import { putter } from '../raw';
import { applyPredictor } from './codecs';
import { KIND_BYTES, TAG, type TagToWrite } from './directory';
import { placeEntries } from './geotiff';

export async function writeTiff(page: Page, kernels?: Kernels): Promise<Uint8Array<ArrayBuffer>> {
  if (page.options.compression !== 'deflate') {
    const { head, length, put } = plainRows(page);
    const bytes = new Uint8Array(length);
    bytes.set(head);
    for (const part of put(page.samples, 0).parts) bytes.set(part.bytes, part.at);
    return bytes;
  }
  const strips = await packedStrips(page, page.samples, kernels);
  return assemble(entriesOf(page, strips.length), strips);
}

/** A TIFF row by row. Null where it has to be made whole: with overviews. */
export function rowsOfTiff(page: Omit<Page, 'samples'>, kernels?: Kernels): RowWriting | null {
  if (page.options.cloud) return null;
  return page.options.compression === 'deflate' ? packedRows(page, kernels) : plainRows(page);
}

/** Rows that are not packed, as they will lie: their parts can be written as they are there. */
function plainRows(page: Omit<Page, 'samples'>) {
  const { width, height, type } = page;
  const tall = rowsPerStripOf(page);
  const rowBytes = width * BYTES[type];
  const lengths = Array.from({ length: Math.ceil(height / tall) }, (_, k) => rowBytes * Math.min(tall, height - k * tall));
  const { head, offsets: all, length } = headOf([{ entries: entriesOf(page, lengths.length), lengths }]);
  const [offsets] = all;
  return {
    head,
    length,
    tall,
    put(samples: SampleArray, from: number): Placed {
      const bytes = littleEndian(type, samples);
      const parts: Placed['parts'] = [];
      for (let done = 0, k = from / tall; done < bytes.length; k++) {
        const part = bytes.subarray(done, done + lengths[k]);
        const last = parts.at(-1);
        // Strips that follow each other without a gap are one part.
        if (last && last.at + last.bytes.length === offsets[k]) last.bytes = bytes.subarray(last.bytes.byteOffset - bytes.byteOffset, done + lengths[k]);
        else parts.push({ at: offsets[k], bytes: part });
        done += part.length;
      }
      return { parts, length, rows: from + samples.length / width };
    },
  };
}

/** Packed strips, of which the head says where they lie as they come. */
function packedRows(page: Omit<Page, 'samples'>, kernels?: Kernels): RowWriting {
  const { width, height } = page;
  const tall = rowsPerStripOf(page);
  const lengths = Array.from({ length: Math.ceil(height / tall) }, () => 0);
  const head = () => headOf([{ entries: entriesOf(page, lengths.length), lengths }]);
  let last: Promise<unknown> = Promise.resolve();
  return {
    head: head().head,
    tall,
    headChanges: true,
    async put(samples, from) {
      const first = from / tall;
      const before = last;
      const packing = packedStrips(page, samples, kernels);
      last = packing.catch(() => undefined);
      // What was given before lies before it.
      await before;
      const strips = await packing;
      strips.forEach((strip, k) => (lengths[first + k] = strip.length));
      const { head: bytes, offsets, length } = head();
      const parts = strips.map((strip, k) => ({ at: offsets[0][first + k], bytes: strip }));
      return { parts: [{ at: 0, bytes }, ...parts], length, rows: from + samples.length / width };
    },
  };
}

/** Strips of rows, each packed by itself. */
function packedStrips(page: Omit<Page, 'samples'>, samples: SampleArray, kernels?: Kernels): Promise<Uint8Array<ArrayBuffer>[]> {
  const { width, type } = page;
  const length = rowsPerStripOf(page) * width;
  const predictor = predictorOf(page);
  const strips: Uint8Array[] = [];
  for (let from = 0; from < samples.length; from += length) {
    const part = samples.subarray(from, from + length) as SampleArray;
    const strip = littleEndian(type, part).slice();
    if (predictor > 1) applyPredictor(predictor, strip, width, part.length / width, BYTES[type]);
    strips.push(strip);
  }
  return compressEach(kernels, strips);
}

const rowsPerStripOf = ({ width, height, type }: Omit<Page, 'samples'>): number => Math.max(1, Math.min(height, Math.floor(262_144 / (width * BYTES[type]))));

/** By what differences samples are packed; 1: as they are. */
export const predictorOf = ({ type, options }: Omit<Page, 'samples'>): number =>
  options.compression === 'deflate' && BYTES[type] <= 4 ? (type[0] === 'f' ? 3 : 2) : 1;

/** Samples as the file has them; where they lie so in memory, their own bytes. */
export function littleEndian(type: SampleType, samples: SampleArray): Uint8Array<ArrayBuffer> {
  if (isAsInMemory(type, true)) return bytesOfSamples(samples);
  const size = BYTES[type];
  const bytes = new Uint8Array(samples.length * size);
  const put = putter(new DataView(bytes.buffer), type, true);
  for (let i = 0, at = 0; i < samples.length; i++, at += size) put(at, samples[i]);
  return bytes;
}

function entriesOf(page: Omit<Page, 'samples'>, strips: number): TagToWrite[] {
  const { width, height, type, options } = page;
  const predictor = predictorOf(page);
  const none = Array.from({ length: strips }, () => 0);
  return [
    { tag: TAG.width, kind: 4, values: [width] },
    { tag: TAG.height, kind: 4, values: [height] },
    { tag: TAG.bits, kind: 3, values: [BYTES[type] * 8] },
    { tag: TAG.compression, kind: 3, values: [options.compression === 'deflate' ? 8 : 1] },
    { tag: TAG.photometric, kind: 3, values: [1] },
    { tag: TAG.stripOffsets, kind: 4, values: none },
    { tag: TAG.channels, kind: 3, values: [1] },
    { tag: TAG.rowsPerStrip, kind: 4, values: [rowsPerStripOf(page)] },
    { tag: TAG.stripBytes, kind: 4, values: none },
    { tag: TAG.planar, kind: 3, values: [1] },
    ...(predictor > 1 ? [{ tag: TAG.predictor, kind: 3 as const, values: [predictor] }] : []),
    { tag: TAG.sampleFormat, kind: 3, values: [type[0] === 'u' ? 1 : type[0] === 's' ? 2 : 3] },
    ...meaningEntries(page),
  ];
}

/** Where a page lies, what its codes mean, and the number for no data. */
export function meaningEntries({ ground, scale, offset, noData }: Omit<Page, 'samples'>): TagToWrite[] {
  const number = (v: number) => (Object.is(v, -0) ? '0' : String(v));
  return [
    ...placeEntries(ground),
    ...(scale !== 1 || offset !== 0
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
    strips.push(compress(strip));
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
      { tag: TAG.stripBytes, kind: 4, values: strips.map(() => 0) },
      { tag: TAG.planar, kind: 3, values: [1] },
      { tag: TAG.predictor, kind: 3, values: [2] },
      ...(channels === 4 ? [{ tag: TAG.extraSamples, kind: 3 as const, values: [2] }] : []),
      { tag: TAG.sampleFormat, kind: 3, values: each(1) },
    ],
    strips,
  );
}

function assemble(entries: TagToWrite[], strips: Uint8Array[]): Uint8Array<ArrayBuffer> {
  const { head, offsets, length } = headOf([{ entries, lengths: strips.map((strip) => strip.length) }]);
  const bytes = new Uint8Array(length);
  bytes.set(head);
  strips.forEach((strip, i) => bytes.set(strip, offsets[0][i]));
  return bytes;
}

/** One picture of a file: its tags, and the lengths of its strips or tiles. */
export interface DirectoryToWrite {
  entries: TagToWrite[];
  lengths: number[];
}

/**
 * What stands before the strips or tiles of a file, where they lie behind it, and its length in all. Of several pictures the parts of the
 * last come first, as cloud-optimised files have their smallest overview.
 */
export function headOf(directories: DirectoryToWrite[]): { head: Uint8Array<ArrayBuffer>; offsets: number[][]; length: number } {
  const sizeOf = (e: TagToWrite) => e.values.length * KIND_BYTES[e.kind];
  const even = (n: number) => n + (n & 1);
  let at = 8;
  const places = directories.map(({ entries }) => {
    const start = at;
    at += 2 + entries.length * 12 + 4;
    const valueAt = entries.map((e) => {
      if (sizeOf(e) <= 4) return -1;
      const here = at;
      at += even(sizeOf(e));
      return here;
    });
    return { start, valueAt };
  });
  const head = new Uint8Array(at);
  const offsets = directories
    .map(({ lengths }) => lengths)
    .reverse()
    .map((lengths) =>
      lengths.map((length) => {
        const here = at;
        at += even(length);
        return here;
      }),
    )
    .reverse();
  if (at > 0xffffffff) throw new UplandError('too-large', 'A TIFF ends at 4 GiB, and this one would be larger. Write tiles, or fewer samples.');
  head.set([0x49, 0x49, 42, 0]);
  const view = new DataView(head.buffer);
  view.setUint32(4, places[0].start, true);
  directories.forEach(({ entries, lengths }, n) => {
    const { start, valueAt } = places[n];
    for (const entry of entries) {
      if (entry.tag === TAG.stripOffsets || entry.tag === TAG.tileOffsets) entry.values = offsets[n];
      if (entry.tag === TAG.stripBytes || entry.tag === TAG.tileBytes) entry.values = lengths;
    }
    view.setUint16(start, entries.length, true);
    entries.forEach((entry, i) => putEntry(head, view, entry, start + 2 + i * 12, valueAt[i]));
    view.setUint32(start + 2 + entries.length * 12, places[n + 1]?.start ?? 0, true);
  });
  return { head, offsets, length: at };
}

/** A tag at its place in a directory; what is longer than four bytes lies at `valueAt`. */
function putEntry(head: Uint8Array, view: DataView, entry: TagToWrite, here: number, valueAt: number): void {
  view.setUint16(here, entry.tag, true);
  view.setUint16(here + 2, entry.kind, true);
  view.setUint32(here + 4, entry.values.length, true);
  let to = valueAt;
  if (to < 0) to = here + 8;
  else view.setUint32(here + 8, to, true);
  for (let k = 0; k < entry.values.length; k++) {
    const value = entry.values[k];
    if (typeof value === 'string') head[to + k] = value.charCodeAt(0);
    else if (entry.kind === 3) view.setUint16(to + 2 * k, value, true);
    else if (entry.kind === 4) view.setUint32(to + 4 * k, value, true);
    else view.setFloat64(to + 8 * k, value, true);
  }
}
