import { concat } from '../../core/concat';

/** A stream of numbers from 0 to 1, the same for a seed wherever it runs (Mulberry32). */
export function randomFrom(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** Numbers at which readers go wrong: ends of types, and sizes that no file has. */
const TELLING = [
  0, 1, 2, 3, 4, 7, 8, 15, 16, 127, 128, 255, 256, 257, 4095, 16_384, 16_385, 16_386, 32_767, 32_768, 65_535, 65_536, 0x7fffffff, 0x80000000, 0xfffffffe,
  0xffffffff,
];
const WORDS = [
  '0',
  '-1',
  '1',
  '16385',
  '99999999',
  '4294967295',
  '1e999',
  '-1e-999',
  'nan',
  'inf',
  '1,5',
  '',
  '\0',
  '\r',
  '#',
  '"',
  '🏔',
  '../..',
  '__proto__',
  '1e3',
  '0x10',
  '9'.repeat(400),
];

/** A file made out of another one: bytes and numbers changed, cut, doubled, mixed with those of a second one. */
export function mutated(base: Uint8Array, other: Uint8Array, random: () => number): Uint8Array<ArrayBuffer> {
  let bytes = base.slice() as Uint8Array<ArrayBuffer>;
  const whole = (below: number) => Math.floor(random() * below);
  const rounds = 1 + whole(random() < 0.2 ? 40 : 4);
  for (let round = 0; round < rounds; round++) {
    const n = bytes.length;
    if (n === 0) return bytes;
    // Headers say most, so they are hit most.
    const at = random() < 0.5 ? whole(Math.min(n, 96)) : whole(n);
    const view = new DataView(bytes.buffer, bytes.byteOffset, n);
    switch (whole(12)) {
      case 0:
        bytes[at] ^= 1 << whole(8);
        break;
      case 1:
        bytes[at] = TELLING[whole(12)];
        break;
      case 2:
        if (at + 2 <= n) view.setUint16(at, TELLING[whole(TELLING.length)], random() < 0.5);
        break;
      case 3:
      case 4:
        if (at + 4 <= n) view.setUint32(at, TELLING[whole(TELLING.length)], random() < 0.5);
        break;
      case 5:
        if (at + 8 <= n) view.setBigUint64(at, BigInt(TELLING[whole(TELLING.length)]) * BigInt(1 + whole(3)), random() < 0.5);
        break;
      case 6:
        bytes = bytes.slice(0, at);
        break;
      case 7: {
        const length = 1 + whole(Math.min(64, n - at));
        bytes = concat([bytes.subarray(0, at), bytes.subarray(at, at + length), bytes.subarray(at)]);
        break;
      }
      case 8:
        bytes = concat([bytes.subarray(0, at), bytes.subarray(at + 1 + whole(32))]);
        break;
      case 9:
        bytes = concat([bytes.subarray(0, at), other.subarray(whole(other.length))]);
        break;
      case 10:
        bytes.fill(random() < 0.5 ? 0 : 255, at, at + 1 + whole(24));
        break;
      default: {
        // A number in a text, or a word.
        let end = at;
        while (end < n && bytes[end] > 32 && end - at < 16) end++;
        bytes = concat([bytes.subarray(0, at), new TextEncoder().encode(WORDS[whole(WORDS.length)]), bytes.subarray(random() < 0.7 ? end : at)]);
      }
    }
    if (bytes.length > 1 << 20) return bytes.slice(0, 1 << 20);
  }
  return bytes;
}
