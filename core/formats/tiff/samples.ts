import { UplandError } from '../../errors';
import { BYTES, bytesOfSamples, isAsInMemory, type SampleArray, type SampleType } from '../format';
import { halfToNumber } from '../half';
import { getter } from '../raw';

/** How a TIFF stores a sample. */
export interface Stored {
  kind: 'uint' | 'int' | 'float';
  bits: number;
  /** What it is read into. */
  type: SampleType;
}

const KINDS: Record<number, Stored['kind']> = { 1: 'uint', 2: 'int', 3: 'float', 4: 'uint' };
const NAMES = { uint: 'whole', int: 'signed', float: 'floating-point' };

/** What a TIFF's samples are, from its bits and formats a channel; refuses by name what is not read. */
export function storedAs(bits: number[], formats: number[]): Stored {
  if (bits.some((b) => b !== bits[0]) || formats.some((f) => f !== formats[0])) {
    throw new UplandError('sample-type', `This TIFF has channels of different kinds (${bits.slice(0, 8).join(', ')} bits), which are not read here.`);
  }
  const [size, format] = [bits[0], formats[0]];
  if (format === 5 || format === 6) throw new UplandError('sample-type', 'This TIFF has complex samples, which are no heights.');
  const kind = KINDS[format];
  const type = kind && typeFor(kind, size);
  if (!type) {
    throw new UplandError(
      'sample-type',
      `This TIFF has ${kind ? NAMES[kind] : `kind-${format}`} samples of ${size} bits, which are not read here. Integers of 1 to 16, 24, 32 and 64 bits and floats of 16, 24, 32 and 64 are.`,
    );
  }
  return { kind, bits: size, type };
}

function typeFor(kind: Stored['kind'], bits: number): SampleType | undefined {
  if (kind === 'float') return bits === 16 || bits === 24 || bits === 32 ? 'f32' : bits === 64 ? 'f64' : undefined;
  if (bits === 64) return 'f64';
  if (!(bits >= 1 && (bits <= 16 || bits === 24 || bits === 32))) return undefined;
  if (kind === 'uint') return bits <= 8 ? 'u8' : bits <= 16 ? 'u16' : 'u32';
  return bits <= 16 ? 's16' : 's32';
}

export const rowBytesOf = (samples: number, { bits }: Stored): number => Math.ceil((samples * bits) / 8);

/** Gets the sample with a number (counted along a row, all channels) of a row that begins at a byte. */
type Get = (row: number, index: number) => number;

/** A way to the samples of unpacked rows. */
export function samplesOf(block: Uint8Array<ArrayBuffer>, { kind, bits, type }: Stored, little: boolean): Get {
  const view = new DataView(block.buffer, block.byteOffset, block.byteLength);
  if (bits === 8 && kind === 'int') return (row, i) => view.getInt8(row + i);
  if (kind === 'float' && bits === 16) return (row, i) => halfToNumber(view.getUint16(row + 2 * i, little));
  if (kind === 'float' && bits === 24) return (row, i) => float24(threeBytes(block, row + 3 * i, little));
  // As GDAL writes them, in either byte order (seen: 66051 is 01 02 03 in a little-endian file).
  if (bits === 24 && kind === 'uint') return (row, i) => threeBytes(block, row + 3 * i, false);
  if (bits === 24) return (row, i) => (threeBytes(block, row + 3 * i, false) << 8) >> 8;
  if (bits === 64 && kind === 'uint') return (row, i) => Number(view.getBigUint64(row + 8 * i, little));
  if (bits === 64 && kind === 'int') return (row, i) => Number(view.getBigInt64(row + 8 * i, little));
  if (bits === 8 || bits === 16 || bits === 32 || bits === 64) {
    const get = getter(view, type, little);
    const size = bits / 8;
    return (row, i) => get(row + size * i);
  }
  // Of other widths the bits follow one another, highest first, whatever the byte order.
  const packed: Get = (row, i) => {
    const from = i * bits;
    const at = row + (from >> 3);
    const window = (block[at] << 16) | ((block[at + 1] ?? 0) << 8) | (block[at + 2] ?? 0);
    return (window >> (24 - (from & 7) - bits)) & ((1 << bits) - 1);
  };
  return kind === 'uint' ? packed : (row, i) => (packed(row, i) << (32 - bits)) >> (32 - bits);
}

const threeBytes = (b: Uint8Array, at: number, little: boolean): number =>
  little ? b[at] | (b[at + 1] << 8) | (b[at + 2] << 16) : b[at + 2] | (b[at + 1] << 8) | (b[at] << 16);

/** A float of 24 bits: 1 sign, 7 exponent, 16 fraction (TIFF Technical Note 3). */
function float24(code: number): number {
  const sign = code & 0x800000 ? -1 : 1;
  const exponent = (code >> 16) & 127;
  const fraction = code & 0xffff;
  if (exponent === 127) return fraction ? NaN : sign * Infinity;
  if (exponent === 0) return sign * fraction * 2 ** (-62 - 16);
  return sign * (1 + fraction / 65_536) * 2 ** (exponent - 63);
}

/** Where a block of samples goes within its picture. */
export interface Place {
  left: number;
  top: number;
  blockWidth: number;
  rows: number;
  /** Bytes of a row of the block. */
  rowBytes: number;
  /** Channels side by side, and which of them. */
  channels: number;
  channel: number;
}

/** Whether a part's rows hold samples of one channel just as memory does, so that they can be copied by bytes. */
export const isCopied = ({ kind, bits, type }: Stored, little: boolean, channels: number): boolean =>
  channels === 1 && isAsInMemory(type, little) && bits === 8 * BYTES[type] && (kind === 'float' || bits < 64);

/** The bytes of unpacked rows into their place in a picture: for what {@link isCopied}. */
export function copyBytes(block: Uint8Array, into: SampleArray, width: number, height: number, { left, top, blockWidth, rows, rowBytes }: Place): void {
  const size = into.BYTES_PER_ELEMENT;
  const to = bytesOfSamples(into);
  const count = Math.min(blockWidth, width - left) * size;
  const tall = Math.min(rows, height - top);
  if (left === 0 && rowBytes === width * size) {
    to.set(block.subarray(0, tall * rowBytes), top * rowBytes);
    return;
  }
  for (let row = 0; row < tall; row++) to.set(block.subarray(row * rowBytes, row * rowBytes + count), ((top + row) * width + left) * size);
}

/** One channel of unpacked rows into its place in a picture; `stride`: samples of a row, where they are counted through the whole block. */
export function copyBlock(get: Get, into: SampleArray, width: number, height: number, place: Place, stride = 0): void {
  const { left, top, blockWidth, rows, rowBytes, channels, channel } = place;
  const right = Math.min(width, left + blockWidth);
  for (let row = 0; row < rows && top + row < height; row++) {
    const start = row * rowBytes;
    let from = channel + row * stride;
    for (let i = (top + row) * width + left, end = (top + row) * width + right; i < end; i++, from += channels) into[i] = get(start, from);
  }
}
