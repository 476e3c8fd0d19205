import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DecimalWriter } from './decimal';

const printed = (v: number) => {
  const writer = new DecimalWriter(1);
  writer.number(v);
  return new TextDecoder().decode(writer.done());
};
// The engine's own printing, by ECMA-262 (Number.prototype.toPrecision), is the reference.
const reference = (v: number) => String(Number(v.toPrecision(9)));

describe('numbers as text', () => {
  it('are the characters of the engine’s own printing, for every float32 and beyond', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.float({ noNaN: true }),
          fc.double({ min: -1e9, max: 1e9, noNaN: true }),
          fc.integer({ min: -40_000, max: 40_000 }).map((n) => Math.fround(n / 1000)),
        ),
        (v) => {
          expect(printed(v)).toBe(reference(v));
        },
      ),
      { numRuns: 20_000, seed: 5 },
    );
  });

  it.each([
    0,
    -0,
    1,
    -1,
    10,
    99_999_992,
    1e8,
    0.001,
    0.00099999,
    9.99999999,
    0.5,
    1023.5,
    999_999_999,
    123456.789,
    -0.0625,
    Math.fround(0.1),
    Infinity,
    16_777_216,
  ])('%d', (v) => expect(printed(v)).toBe(reference(v)));

  it('with six digits behind the point, and whole, are those of the engine as well', () => {
    const write = (how: (writer: DecimalWriter) => void) => {
      const writer = new DecimalWriter(1);
      how(writer);
      return new TextDecoder().decode(writer.take());
    };
    const six = fc.oneof(
      fc.float({ min: -1, max: 1, noNaN: true }),
      fc.double({ min: -2000, max: 2000, noNaN: true }),
      fc.constantFrom(0, -0, 0.0000005, -1e-9, 1e21, NaN),
    );
    fc.assert(
      fc.property(six, fc.maxSafeNat(), (v, n) => {
        expect(write((writer) => writer.fixed6(v))).toBe(v.toFixed(6));
        expect(write((writer) => writer.whole(n))).toBe(String(n));
      }),
      { numRuns: 20_000, seed: 3 },
    );
    for (const n of [0, 9, 10, 99, 100, 4_005_001]) expect(write((writer) => writer.whole(n))).toBe(String(n));
  });

  it('bring every float32 back, bit for bit', () => {
    const bits = new Uint32Array(1);
    const value = new Float32Array(bits.buffer);
    for (let k = 0; k < 100_000; k++) {
      bits[0] = Math.imul(k, 2_654_435_761);
      if (!Number.isFinite(value[0])) continue;
      expect(Math.fround(Number(printed(value[0])))).toBe(value[0] === 0 ? 0 : value[0]);
    }
  });
});
