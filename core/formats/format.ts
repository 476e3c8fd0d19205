import type { Kernels } from '../kernels/pool';
import type { Ground, Registration } from '../field/ground';
import type { ByteSource } from './source';

/** The types that samples are stored at; `u24` is what three 8-bit channels hold together. */
export const SAMPLE_TYPES = ['u8', 'u16', 's16', 'u24', 'u32', 's32', 'f32', 'f64'] as const;
export type SampleType = (typeof SAMPLE_TYPES)[number];
export type SampleArray = Uint8Array | Uint16Array | Int16Array | Uint32Array | Int32Array | Float32Array | Float64Array;

/** Smallest and largest code of an integer type; null for floats. */
export const CODES: Record<SampleType, { min: number; max: number; bits: number } | null> = {
  u8: { min: 0, max: 255, bits: 8 },
  u16: { min: 0, max: 65_535, bits: 16 },
  s16: { min: -32_768, max: 32_767, bits: 16 },
  u24: { min: 0, max: 16_777_215, bits: 24 },
  u32: { min: 0, max: 4_294_967_295, bits: 32 },
  s32: { min: -2_147_483_648, max: 2_147_483_647, bits: 32 },
  f32: null,
  f64: null,
};

export const BYTES: Record<SampleType, number> = { u8: 1, u16: 2, s16: 2, u24: 3, u32: 4, s32: 4, f32: 4, f64: 8 };

const ARRAYS = { u8: Uint8Array, u16: Uint16Array, s16: Int16Array, u24: Uint32Array, u32: Uint32Array, s32: Int32Array, f32: Float32Array, f64: Float64Array };

export function makeSamples(type: SampleType, count: number): SampleArray {
  return new ARRAYS[type](count);
}

/** Whether this machine keeps the lowest byte of a number first; nearly all do. */
const LITTLE = new Uint8Array(Uint16Array.of(1).buffer)[0] === 1;

/** Whether a file's numbers of a type lie as they do in memory, so that they are copied by bytes and not one by one. */
export const isAsInMemory = (type: SampleType, little: boolean): boolean => type !== 'u24' && (type === 'u8' || little === LITTLE);

/** The bytes of samples, as they lie in memory. */
export const bytesOfSamples = ({ buffer, byteOffset, byteLength }: SampleArray): Uint8Array<ArrayBuffer> =>
  new Uint8Array(buffer as ArrayBuffer, byteOffset, byteLength);

const BLOCK = 65_536;

/**
 * Fills samples of any type by blocks of doubles or, where the type is of whole numbers, of 32-bit
 * integers: a loop over them runs at one speed, whatever the type. Wants numbers that the type can
 * hold; of 32 bits without a sign the upper half wraps and comes out right.
 */
export function fillInBlocks(samples: SampleArray, fill: (block: Float64Array | Int32Array, from: number) => void): void {
  const block = samples instanceof Float32Array || samples instanceof Float64Array ? new Float64Array(BLOCK) : new Int32Array(BLOCK);
  for (let from = 0; from < samples.length; from += BLOCK) {
    const part = block.subarray(0, Math.min(BLOCK, samples.length - from));
    fill(part, from);
    samples.set(part, from);
  }
}

/** Goes through samples of any type by blocks of doubles, so many at a time. */
export function readInBlocks(samples: SampleArray, read: (block: Float64Array, from: number) => void, size = BLOCK): void {
  const block = new Float64Array(size);
  for (let from = 0; from < samples.length; from += size) {
    const part = samples.subarray(from, from + size);
    block.set(part);
    read(block.subarray(0, part.length), from);
  }
}

/** What is read of a file with several bands: one of them (counted from 1), their luminance, or a height packed over red, green and blue. */
export type Band = number | 'luminance' | 'packed';

export interface ReadOptions {
  /** Left out: the first band, of a colour picture what it looks to be. */
  band?: Band;
  /** The bytes of files that belong to this one, by ending, such as `.hdr` or `.prj`. */
  beside?: Record<string, Uint8Array>;
  /** Share of the file that is read, 0 to 1. */
  progress?(share: number): void;
  signal?: AbortSignal;
}

/** A file that belongs to another one: the same name, another ending. */
export interface Beside {
  ending: string;
  bytes: Uint8Array<ArrayBuffer>;
}

/** One band of a file, at the file's own type: row 0 is the north edge. */
export interface Reading {
  format: string;
  width: number;
  height: number;
  /** Bands in the file; the first one (or the one asked for) is in `samples`. */
  channels: number;
  /** Which band `samples` is, where there are several. */
  band?: Band;
  type: SampleType;
  samples: SampleArray;
  /** `m`: the numbers are metres (after scale and offset). `code`: they stand for something the file does not say. */
  unit: 'm' | 'code';
  /** metres = offset + scale × sample, where the file says so. */
  scale: number;
  offset: number;
  spacing: { x: number; y: number } | null;
  registration: Registration | null;
  noData: number | null;
  georeference?: Ground['georeference'];
  /** The heights are in feet; `scale` turns them into metres. */
  feet?: boolean;
  /** A picture packed with loss: its grid of 8 × 8 blocks may show. */
  lossy?: boolean;
  /** How the bytes can be read again without the files beside them. */
  as?: string;
  /** What was out of the ordinary, a sentence each. */
  odd: string[];
}

/** What a picture says of its codes, which is nothing: neither what they stand for nor where they lie. */
export const BARE_CODES = { unit: 'code', scale: 1, offset: 0, spacing: null, registration: null } as const;

/** A file of one band that can be read row by row: what it says of itself, and its rows as they are asked for. */
export interface RowReading extends Omit<Reading, 'samples' | 'band'> {
  /** Rows that lie together in the file: reading begins at a multiple of them. */
  tall: number;
  /** The samples of the rows `from` … `to` − 1; `whole`: it turned out that the file can only be read whole. */
  rows(from: number, to: number, signal?: AbortSignal): Promise<{ samples: SampleArray; whole: boolean }>;
}

/** What a writer is given: the samples at their final type, and what goes into the header. */
export interface Page {
  width: number;
  height: number;
  type: SampleType;
  samples: SampleArray;
  ground: Ground;
  /** metres = offset + scale × code. */
  scale: number;
  offset: number;
  noData: number | null;
  options: WriteOptions;
}

/** A file that is written from its first row to its last. */
export interface RowWriting {
  /** What stands before the samples. */
  head: Uint8Array<ArrayBuffer>;
  /** Bytes of the whole file, where they are known before the samples are there. */
  length?: number;
  /** Rows that lie together: pieces begin at a multiple of them. */
  tall: number;
  /** What stands before the samples changes with every piece: the file is opened anew to be read back. */
  headChanges?: boolean;
  /** Takes the samples of the rows from `from` on, from north to south; the next may be given while these are packed. */
  put(samples: SampleArray, from: number): Placed | Promise<Placed>;
}

/** What a piece of samples adds to a file. */
export interface Placed {
  /** Bytes and where they lie. */
  parts: { at: number; bytes: Uint8Array }[];
  /** Bytes of the file so far. */
  length: number;
  /** Rows that can be read back now. */
  rows: number;
}

export interface WriteOptions {
  order?: 'le' | 'be';
  rows?: 'north' | 'south';
  skip?: number;
  compression?: 'none' | 'deflate';
  /** A TIFF in tiles with its overviews, the directories first, so that a part of it can be read over a network. */
  cloud?: boolean;
}

export interface Format {
  id: string;
  title: string;
  /** File-name endings, the usual one first. */
  endings: string[];
  mediaType: string;
  /** The sample types it can write. */
  writes: readonly SampleType[];
  /** Whether the file itself can say what its codes mean in metres. */
  carriesRange: boolean;
  /** Cannot be written. */
  readOnly?: boolean;
  /** The only sample counts a side that it can hold; left out: any. */
  sides?: readonly number[];
  /** Whether the bytes look like this format. */
  sniff(bytes: Uint8Array): boolean;
  read(bytes: Uint8Array<ArrayBuffer>, options?: ReadOptions): Promise<Reading>;
  /** The same by rows, of a source that need not be in memory; null where this file has to be read whole. */
  open?(source: ByteSource, options?: ReadOptions): RowReading | null;
  /** The same bytes with kernels or without; with them on all threads, where it can. */
  write(page: Page, kernels?: Kernels): Promise<Uint8Array<ArrayBuffer>>;
  /** The same bytes row by row; null where it has to be made whole. */
  writeRows?(page: Omit<Page, 'samples'>, kernels?: Kernels): RowWriting | null;
  /** Files that have to lie beside the one written. */
  beside?(page: Page): Beside[];
}
