import { Deflate } from 'fflate';
import { concat } from '../concat';

/** Bytes of a part. Parts are packed each by itself, so that threads share them out; the stream is the same with any number of threads. */
export const PART = 1 << 20;

/** Bytes before a part that its matches may reach back into (RFC 1951). */
const WINDOW = 32_768;

export type Level = 1 | 2 | 3 | 6 | 9;

export const partsOf = (length: number): number => Math.max(1, Math.ceil(length / PART));

/** The most bytes that a part comes to. */
export const MOST_PACKED = PART + PART / 8 + 65_536;

/** Part `k` of some bytes, packed by deflate; it ends at a whole byte, and the last one ends the stream. */
export function packPart(bytes: Uint8Array, k: number, level: Level): Uint8Array {
  const from = k * PART;
  const to = Math.min(bytes.length, from + PART);
  const last = to === bytes.length;
  const out: Uint8Array[] = [];
  // The size of its table is given, since what it would choose itself rests on a logarithm.
  const stream = new Deflate({ level, mem: 8, ...(from ? { dictionary: bytes.slice(from - WINDOW, from) } : {}) }, (piece) => out.push(piece));
  stream.push(bytes.subarray(from, to), last);
  if (!last) {
    stream.flush();
    out.push(emptyBlock(stream));
  }
  return concat(out);
}

/**
 * An empty stored block (RFC 1951, 3.2.4), after which a stream stands at a whole byte. The library's own loses
 * the bits that were begun: its `s.r` holds how many they are, and the byte they stand in.
 */
function emptyBlock(stream: Deflate): Uint8Array {
  const { r } = (stream as unknown as { s: { r: number } }).s;
  const [bits, begun] = [r & 7, r >> 3];
  const head = bits === 0 ? [0] : bits + 3 <= 8 ? [begun] : [begun, 0];
  return Uint8Array.of(...head, 0, 0, 0xff, 0xff);
}

/** A zlib stream (RFC 1950) of packed parts. */
export function zlibOf(parts: readonly Uint8Array[], bytes: Uint8Array, level: Level): Uint8Array<ArrayBuffer> {
  const sum = adler32(bytes);
  return concat([Uint8Array.of(0x78, level < 6 ? 0x5e : level < 9 ? 0x9c : 0xda), ...parts, Uint8Array.of(sum >>> 24, sum >>> 16, sum >>> 8, sum)]);
}

/** Bytes whose sums stay within 32 bits (RFC 1950, 9). */
const SUMMED = 3800;

function adler32(bytes: Uint8Array): number {
  let [a, b] = [1, 0];
  for (let from = 0; from < bytes.length; from += SUMMED) {
    const to = Math.min(bytes.length, from + SUMMED);
    for (let i = from; i < to; i++) b += a += bytes[i];
    a %= 65_521;
    b %= 65_521;
  }
  return ((b << 16) | a) >>> 0;
}
