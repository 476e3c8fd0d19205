import { deflateSync, inflateSync } from 'node:zlib';
import { pathToFileURL } from 'node:url';
import { resolve } from 'node:path';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { nodeKernels } from '../../cli/node-kernels';
import { hash32 } from '../field/hash';
import { compress, compressEach, Compressing } from '../formats/deflate';
import { concat } from '../concat';
import { DEFLATE_ROOM, mostPacked, PART, partsOf } from './deflate-parts';
import { instantiate } from './loader';

const kernels = nodeKernels(pathToFileURL(resolve('cli/dist/pool-worker.mjs')), 2);
afterAll(() => kernels.close());

/** Bytes as filtered rows of ground are: small differences, with noise in some stretches and runs in others. */
function rows(length: number): Uint8Array {
  const out = new Uint8Array(length);
  let seed = 1;
  for (let i = 0; i < length; i++) {
    seed = (Math.imul(seed, 1_664_525) + 1_013_904_223) >>> 0;
    const stretch = (i >> 15) % 4;
    out[i] = stretch === 0 ? seed >>> 24 : stretch === 1 ? (seed >>> 29) - 4 : stretch === 2 ? (i >> 9) & 255 : (seed >>> 30) * (i & 1);
  }
  return out;
}

/** Numbers that look random and are always the same. */
const noise = (count: number, of: (n: number) => number) => Uint8Array.from({ length: count }, (_, i) => of(hash32(7, i) >>> 8));

/** Read by zlib, which shares no line with what packed it. */
const comesBack = (bytes: Uint8Array) => Buffer.compare(inflateSync(compress(bytes)), Buffer.from(bytes)) === 0;

describe('a zlib stream, unpacked by zlib', () => {
  it.each([0, 1, 1000, PART - 1, PART, PART + 1, 2 * PART, 5 * PART + 12_345])(
    'of %i bytes is the same with threads, without, and piece by piece',
    async (length) => {
      const bytes = rows(length);
      const alone = compress(bytes);
      expect(Buffer.compare(inflateSync(alone), Buffer.from(bytes))).toBe(0);
      const [shared, short] = await compressEach(kernels, [bytes, bytes.subarray(0, 1000)]);
      expect(Buffer.compare(shared, alone)).toBe(0);
      expect(Buffer.compare(short, compress(bytes.subarray(0, 1000)))).toBe(0);
      const compressing = new Compressing(length, kernels);
      const parts: Uint8Array[] = [];
      let from = 0;
      do {
        const piece = bytes.subarray(from, (from += 700_001));
        const added = await compressing.add(piece);
        parts.push(...added.parts);
        expect(added.held).toBe(from >= length ? length : from - (from % PART));
      } while (from < length);
      expect(Buffer.compare(concat(parts), alone)).toBe(0);
    },
  );

  it('gives back one byte many times', () => {
    for (const count of [1, 2, 3, 4, 5, 257, 258, 259, 260, 261, 65_519, 65_520, 65_521, 65_524, 200_001]) {
      expect(comesBack(new Uint8Array(count).fill(7)), `${count} times`).toBe(true);
      expect(comesBack(new Uint8Array(count)), `${count} zeros`).toBe(true);
    }
  });

  it('gives back every length of match, over distances of every symbol', () => {
    const parts: number[] = [];
    for (let length = 3; length <= 300; length++) {
      const distance = 1 + ((length * length * 37) % 9000);
      // What comes again, after so much else.
      const word = Array.from({ length }, (_, i) => hash32(length, i) & 255);
      parts.push(...word, ...Array.from({ length: distance }, (_, i) => hash32(1e6 + length, i) & 255), ...word);
    }
    expect(comesBack(Uint8Array.from(parts))).toBe(true);
    for (let bits = 0; bits < 15; bits++)
      for (const apart of [1 << bits, (1 << bits) + 1, (3 << bits) >> 1]) {
        const before = Uint8Array.from({ length: Math.min(32_767, apart) }, (_, i) => hash32(bits, i));
        const bytes = Uint8Array.from({ length: before.length + 300 }, (_, i) => before[i % before.length]);
        expect(comesBack(bytes), `${apart} back`).toBe(true);
        if (apart > 400) expect(compress(bytes).length, `${apart} back`).toBeLessThan(before.length + 90);
      }
  });

  it('gives back what lies before the begin of a part again', () => {
    const word = noise(30_000, (n) => n);
    const bytes = new Uint8Array(PART + 40_000);
    bytes.set(noise(bytes.length, (n) => n * 3));
    bytes.set(word, PART - 30_100);
    bytes.set(word.subarray(0, 25_000), PART + 700);
    expect(comesBack(bytes)).toBe(true);
    expect(compress(bytes).length).toBeLessThan(bytes.length - 24_000);
  });

  it('gives back noise, few values, and counts so uneven that a plain code would be over 15 bits long', () => {
    expect(comesBack(noise(300_000, (n) => n))).toBe(true);
    expect(comesBack(noise(300_000, (n) => n % 3))).toBe(true);
    // Fibonacci counts give the deepest Huffman tree there is.
    const parts: number[] = [];
    for (let k = 0, a = 1, b = 1; k < 22; k++, [a, b] = [b, a + b]) for (let n = 0; n < a; n++) parts.push(k);
    expect(comesBack(Uint8Array.from(parts, (v, i) => parts[(i * 7919) % parts.length] ?? v))).toBe(true);
  });

  it('gives back whatever there is', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 3000 }), fc.integer({ min: 1, max: 400 }), (bytes, times) =>
        comesBack(Uint8Array.from([...bytes, ...bytes.subarray(0, times)], (v, i) => (i % times ? v & 3 : v))),
      ),
      { numRuns: 200 },
    );
  });

  it('is hardly larger than what zlib makes of rows of ground at its usual level, and packs zeros and noise as far as they go', () => {
    // Sums of random steps under the filter that takes the sample above: what rows of ground look like.
    const ground = new Uint8Array(400_000);
    for (let i = 0, state = 0; i < ground.length; i += 2) {
      state = Math.round(state * 0.98 + [0, 1, 2, 3].reduce((sum, k) => sum + (hash32(k, i) % 97) - 48, 0) / 3);
      ground[i] = state >> 8;
      ground[i + 1] = state;
    }
    expect(compress(ground).length).toBeLessThan(1.03 * deflateSync(ground, { level: 6 }).length);
    expect(compress(new Uint8Array(1_000_000)).length).toBeLessThan(3_000);
    expect(compress(noise(1_000_000, (n) => n)).length).toBeLessThan(1_000_100);
  });

  it('has room enough for its work, and for a part that cannot be packed', () => {
    const exports = instantiate('plain', new WebAssembly.Memory({ initial: 4 }));
    expect(exports.deflateRoom()).toBeLessThanOrEqual(DEFLATE_ROOM);
    expect(compress(noise(PART, (n) => n)).length).toBeLessThan(mostPacked(partsOf(PART)[0]) - 8);
  });
});
