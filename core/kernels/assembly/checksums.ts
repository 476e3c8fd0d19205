// Sums that files carry: of PNG's chunks (PNG, 5.5 and annex D) and of zlib streams (RFC 1950, 9).

/** Bytes of the tables that `crc32` goes by. */
const TABLES = 8;

/** Tables for eight bytes at a time; the first is the one of annex D. */
export function crcTables(tables: usize): void {
  for (let n = 0; n < TABLES * 256; n++) {
    let c: u32 = n < 256 ? n : load<u32>(tables + ((n - 256) << 2));
    if (n < 256) for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
    else c = load<u32>(tables + ((c & 255) << 2)) ^ (c >>> 8);
    store<u32>(tables + (n << 2), c);
  }
}

// @ts-expect-error: a decorator of the compiler
@inline
function stepOf(tables: usize, table: usize, byte: u32): u32 {
  return load<u32>(tables + (table << 10) + (<usize>(byte & 255) << 2));
}

/** The checksum of some bytes, which stand behind others that had the sum `before`; of none it is 0. */
export function crc32(tables: usize, bytes: usize, length: i32, before: u32): u32 {
  let c = ~before;
  let at = bytes;
  const end = bytes + length;
  for (; at + 8 <= end; at += 8) {
    const low = c ^ load<u32>(at);
    const high = load<u32>(at, 4);
    c =
      stepOf(tables, 7, low) ^
      stepOf(tables, 6, low >>> 8) ^
      stepOf(tables, 5, low >>> 16) ^
      stepOf(tables, 4, low >>> 24) ^
      stepOf(tables, 3, high) ^
      stepOf(tables, 2, high >>> 8) ^
      stepOf(tables, 1, high >>> 16) ^
      stepOf(tables, 0, high >>> 24);
  }
  for (; at < end; at++) c = stepOf(tables, 0, c ^ load<u8>(at)) ^ (c >>> 8);
  return ~c;
}

/** Bytes whose sums stay within 32 bits. */
const SUMMED = 5552;

/** Adler-32 of some bytes, which stand behind others that had the sum `before`; of none it is 1. */
export function adler32(bytes: usize, length: i32, before: u32): u32 {
  let a = before & 0xffff;
  let b = before >>> 16;
  const end = bytes + length;
  for (let at = bytes; at < end;) {
    const stop = min(end, at + SUMMED);
    for (; at < stop; at++) {
      a += load<u8>(at);
      b += a;
    }
    a %= 65_521;
    b %= 65_521;
  }
  return (b << 16) | a;
}
