import { createHash } from 'node:crypto';
import { inflateSync } from 'node:zlib';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { deflateRuns } from './run-deflate';

const same = (bytes: Uint8Array) => {
  const back = inflateSync(deflateRuns(bytes));
  return back.length === bytes.length && Buffer.compare(back, Buffer.from(bytes)) === 0;
};

/** Numbers that look random and are always the same. */
function noise(count: number, of: (n: number) => number): Uint8Array {
  const out = new Uint8Array(count);
  for (let i = 0, state = 1; i < count; i++) {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    out[i] = of(state >>> 8);
  }
  return out;
}

describe('deflate of runs, read by zlib', () => {
  it('gives back nothing, one byte, and one byte many times', () => {
    expect(same(new Uint8Array(0))).toBe(true);
    for (const count of [1, 2, 3, 4, 257, 258, 259, 260, 261, 65_535, 65_536, 65_537, 200_001]) {
      expect(same(new Uint8Array(count).fill(7)), `${count} times`).toBe(true);
      expect(same(new Uint8Array(count)), `${count} zeros`).toBe(true);
    }
  });

  it('gives back every length of run, after every byte', () => {
    const parts: number[] = [];
    for (let length = 1; length <= 600; length++) parts.push(...new Array<number>(length).fill(length & 255), (length + 9) & 255);
    expect(same(Uint8Array.from(parts))).toBe(true);
  });

  it('gives back noise, few values, and counts so uneven that a plain code would be over 15 bits long', () => {
    expect(same(noise(300_000, (n) => n))).toBe(true);
    expect(same(noise(300_000, (n) => n % 3))).toBe(true);
    // Fibonacci counts give the deepest Huffman tree there is.
    const parts: number[] = [];
    for (let k = 0, a = 1, b = 1; k < 22; k++, [a, b] = [b, a + b]) for (let n = 0; n < a; n++) parts.push(k);
    const mixed = Uint8Array.from(parts).map((v, i, all) => all[(i * 7919) % all.length] ?? v);
    expect(same(mixed)).toBe(true);
  });

  it('gives back whatever there is', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 3000 }), fc.integer({ min: 1, max: 400 }), (bytes, times) =>
        same(Uint8Array.from(bytes, (v, i) => (i % times ? v & 3 : v))),
      ),
      { numRuns: 200 },
    );
  });

  it('packs zeros to a thousandth or so, and noise to hardly more than it is', () => {
    expect(deflateRuns(new Uint8Array(1_000_000)).length).toBeLessThan(7_000);
    expect(deflateRuns(noise(1_000_000, (n) => n)).length).toBeLessThan(1_003_000);
  });

  it('writes the same bytes for the same input', () => {
    const hash = createHash('sha256')
      .update(deflateRuns(noise(100_000, (n) => n % 40)))
      .digest('hex');
    expect(hash).toBe(
      createHash('sha256')
        .update(deflateRuns(noise(100_000, (n) => n % 40)))
        .digest('hex'),
    );
  });
});
