import { describe, expect, it } from 'vitest';
import { hash32 } from '../field/hash';
import { PngRows, PngRowsBack } from './png-rows';

/** The five filters as the standard prints them (PNG, 3rd edition, 9.2 and 9.4), byte by byte. */
function byStandard(filter: number, row: Uint8Array, before: Uint8Array, back: number): Uint8Array {
  return row.map((x, i) => {
    const [a, b, c] = [i >= back ? row[i - back] : 0, before[i], i >= back ? before[i - back] : 0];
    const p = a + b - c;
    const [pa, pb, pc] = [Math.abs(p - a), Math.abs(p - b), Math.abs(p - c)];
    const paeth = pa <= pb && pa <= pc ? a : pb <= pc ? b : c;
    return x - [0, a, b, Math.floor((a + b) / 2), paeth][filter];
  });
}

/** Of every so many times sixteen bytes; what goes over the last sixteen counts where the next would. */
const sizeOf = (bytes: Uint8Array, stride: number) => {
  const wholes = Math.floor(bytes.length / 16);
  const last = 16 * stride * Math.ceil(wholes / stride);
  return bytes.reduce((sum, v, i) => ((i >> 4 < wholes && (i >> 4) % stride === 0) || i >= last ? sum + Math.min(v, 256 - v) : sum), 0);
};

const bytesOf = (samples: Uint8Array | Uint16Array) =>
  samples instanceof Uint8Array ? samples : Uint8Array.from([...samples].flatMap((v) => [v >> 8, v & 255]));

describe('rows of a PNG', () => {
  it.each([
    ['grey of 8 bits', 8, 1, 1, 77],
    ['grey of 16 bits', 16, 1, 1, 50],
    ['grey of 16 bits, long', 16, 1, 4, 1_031],
    ['colours of 8 bits', 8, 3, 1, 45],
    ['colours with alpha of 8 bits, long', 8, 4, 4, 1_024],
    ['colours with alpha of 16 bits', 16, 4, 1, 19],
    ['one sample', 16, 1, 1, 1],
  ])('are filtered as the standard has it, by the filter with the least sum: %s', (_, bits, channels, stride, width) => {
    const back = (channels * bits) / 8;
    const size = width * back;
    const rows = new PngRows(size, back, stride);
    let before: Uint8Array = new Uint8Array(size);
    const chosen = new Set<number>();
    for (let y = 0; y < 40; y++) {
      // Slopes along and down, noise, level stretches and edges: each filter has its turn.
      const at = (x: number) =>
        [
          30 * x + 5 * y,
          hash32(y, x),
          200 * Math.sin(x / 5 + y / 3) + 300,
          y * 911 + (x > width / 2 ? 40 : 0),
          7,
          x * y,
          ((x * x) >> 3) + ((y * y * x) >> 5),
          before[Math.min(size - 1, x * back)] * 257 + (x & 1),
        ][y % 8];
      const values = Array.from({ length: width * channels }, (_, i) => at(Math.floor(i / channels)) + 3 * (i % channels));
      const samples = bits === 8 ? Uint8Array.from(values) : Uint16Array.from(values);
      const into = new Uint8Array(size);
      const filter = rows.take(samples, into);
      const row = bytesOf(samples);
      expect(into, `row ${y} by ${filter}`).toEqual(byStandard(filter, row, before, back));
      const sums = [0, 1, 2, 3, 4].map((f) => sizeOf(byStandard(f, row, before, back), stride));
      // Nothing lies above the first row: it has the first two.
      const best = sums.slice(0, y === 0 ? 2 : 5);
      expect(filter, `row ${y}`).toBe(best.indexOf(Math.min(...best)));
      chosen.add(filter);
      before = row;
    }
    if (width > 20) expect(chosen.size).toBeGreaterThanOrEqual(3);
  });

  it.each([
    ['grey of 8 bits', 1, 77],
    ['grey of 16 bits', 2, 50],
    ['colours with alpha of 16 bits', 8, 19],
    ['one byte', 1, 1],
  ])('come back from under every filter: %s', (_, back, pixels) => {
    const size = pixels * back;
    const rows = new PngRowsBack(size, back);
    let before: Uint8Array = new Uint8Array(size);
    for (let y = 0; y < 30; y++) {
      const row = Uint8Array.from({ length: size }, (_, i) => (y % 3 === 0 ? hash32(y, i) : 200 + i * y));
      const filter = (y * 7) % 5;
      expect(rows.take(filter, byStandard(filter, row, before, back)), `row ${y} by ${filter}`).toEqual(row);
      if (back === 2) expect(rows.codes()).toEqual(Uint16Array.from({ length: pixels }, (_, i) => row[2 * i] * 256 + row[2 * i + 1]));
      before = row;
    }
  });
});
