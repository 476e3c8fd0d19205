import { deflateSync } from 'node:zlib';
import { describe, expect, it } from 'vitest';
import { hash32 } from '../field/hash';
import { adler32, crc32 } from './checksums';

const text = (words: string) => new TextEncoder().encode(words);
const bytes = (length: number) => Uint8Array.from({ length }, (_, i) => hash32(3, i));

/** The long division that the sum stands for (PNG, 3rd edition, annex D; the polynomial of ISO 3309), bit by bit. */
function byDivision(of: Uint8Array): number {
  let c = 0xffffffff;
  for (const byte of of) {
    c ^= byte;
    for (let k = 0; k < 8; k++) c = c & 1 ? (c >>> 1) ^ 0xedb88320 : c >>> 1;
  }
  return (c ^ 0xffffffff) >>> 0;
}

/** The two sums as the standard words them (RFC 1950, 8.2). */
function bySums(of: Uint8Array): number {
  let [a, b] = [1, 0];
  for (const byte of of) [a, b] = [(a + byte) % 65_521, (b + a + byte) % 65_521];
  return b * 65_536 + a;
}

describe('checksums', () => {
  it('are those that are published', () => {
    // The check value of CRC-32 in the catalogue of parametrised CRC algorithms (CRC-32/ISO-HDLC).
    expect(crc32(text('123456789'))).toBe(0xcbf43926);
    // The chunk that ends every PNG (PNG, 3rd edition, 11.2.5 with 5.3).
    expect(crc32(text('IEND'))).toBe(0xae426082);
    expect(crc32(new Uint8Array(0))).toBe(0);
    expect(adler32(new Uint8Array(0))).toBe(1);
  });

  it.each([1, 7, 8, 9, 100, 5_552, 5_553, 40_001])('of %i bytes are the definitions’', (length) => {
    expect(crc32(bytes(length))).toBe(byDivision(bytes(length)));
    expect(adler32(bytes(length))).toBe(bySums(bytes(length)));
  });

  it('stay within their words for the largest bytes there are, as zlib’s do', () => {
    const most = new Uint8Array(700_000).fill(255);
    const packed = deflateSync(most);
    expect(adler32(most)).toBe(packed.readUInt32BE(packed.length - 4));
  });

  it('go on where others ended, wherever that is', () => {
    const all = bytes(600_000);
    for (const cut of [0, 1, 13, 262_144, 599_999]) {
      expect(crc32(all.subarray(cut), crc32(all.subarray(0, cut)))).toBe(crc32(all));
      expect(adler32(all.subarray(cut), adler32(all.subarray(0, cut)))).toBe(adler32(all));
    }
  });
});
