import { describe, expect, it } from 'vitest';
import { firstWrong } from '../../../tests/helpers/grounds';
import type { Arena, Band } from '../program';
import { instantiate } from '../loader';
import {
  claimPass,
  keepVolume,
  ladderBelow,
  ladderOf,
  pass,
  placeInWhole,
  sharesOf,
  toCoarser,
  toFiner,
  volumeOf,
  type BegunArgs,
  type Passage,
  type Rung,
} from './ladder';
import { bytesOf, claims, lay, lift } from './levels';

const BORDER = { left: 1, above: 1, aligned: 1 };
const own = (across: number, point = true, width = 8192, down = across, depth = width) => ({
  across,
  down,
  spacingX: width / (point ? across - 1 : across),
  spacingY: depth / (point ? down - 1 : down),
  point,
});
const band: Band = { index: 0, count: 1, progress: () => undefined, halting: () => false };

function passed(passage: Passage, values: Float32Array): Float32Array {
  const memory = new WebAssembly.Memory({ initial: 1024 });
  const kernels = instantiate('plain', memory);
  const arena: Arena = { buffer: memory.buffer, start: (kernels.heapBase() + 63) & ~63 };
  const { claim } = claims();
  const [finer, coarser] = [passage.from, passage.to].sort((a, b) => b.across - a.across);
  const [source, out, room] = [claim(bytesOf(passage.from)), claim(bytesOf(passage.to)), claimPass(claim, [finer, coarser])];
  lay(arena, source, passage.from, values);
  for (const _ of pass(kernels, arena, passage, source, room, out, band));
  return lift(arena, out, passage.to);
}
const place = (rung: Rung, i: number, spacing: number) => (rung.point ? i : i + 0.5) * spacing;
const made = (rung: Rung, of: (x: number, y: number) => number) =>
  Float32Array.from({ length: rung.across * rung.down }, (_, i) =>
    of(place(rung, i % rung.across, rung.spacingX), place(rung, Math.floor(i / rung.across), rung.spacingY)),
  );

describe('a ladder of grids', () => {
  it('has the same rungs in metres, whatever the count of samples', () => {
    const spacings = (n: number, point = true) =>
      ladderOf(own(n, point), BORDER)
        .slice(1)
        .map((rung) => rung.spacingX);
    const coarse = [32, 64, 128, 256];
    expect(spacings(513)).toEqual(coarse);
    for (const n of [1017, 1024, 1025]) expect(spacings(n)).toEqual([16, ...coarse]);
    expect(spacings(1024, false)).toEqual([16, ...coarse]);
    expect(spacings(2049)).toEqual([8, 16, ...coarse]);
  });

  it('of a window goes from the grid that was worked on over the whole to its own, on the whole’s samples', () => {
    const rim = { north: false, east: false, south: false, west: false };
    // 257 samples of a ground of 8192 m were worked on; the window is of 2049.
    const begun: BegunArgs = { grid: own(33, true, 1024), grids: 4, west: 2048, north: 1024, width: 8192, depth: 8192, rim };
    const rungs = ladderBelow(own(257, true, 1024), begun, BORDER);
    expect(rungs.map(({ across, spacingX }) => [across, spacingX])).toEqual([
      [257, 4],
      [129, 8],
      [65, 16],
      [33, 32],
    ]);
    const whole = ladderOf(own(2049), BORDER);
    for (const rung of rungs) {
      const same = whole.find(({ spacingX }) => spacingX === rung.spacingX)!;
      const { left, top, across } = placeInWhole(begun, rung);
      expect([left * rung.spacingX, top * rung.spacingX, across]).toEqual([2048, 1024, same.across]);
    }
    // Samples that are no whole share of it: its own grid, and what lies at least √2 as far apart.
    expect(ladderBelow(own(201, true, 1024), begun, BORDER).map(({ across }) => across)).toEqual(
      [201, 129, 65, 33].filter((n) => n === 201 || 1024 / (n - 1) >= Math.SQRT2 * 5.12),
    );
    expect(ladderBelow(own(40, true, 1024), begun, BORDER).length).toBe(2);
  });

  it('covers grounds that are no square by whole cells, and has one rung where the ground is small', () => {
    for (const rung of ladderOf(own(513, true, 8192, 129, 2048), BORDER)) {
      expect(rung.spacingX * (rung.across - 1)).toBeCloseTo(8192, 6);
      expect(rung.spacingY * (rung.down - 1)).toBeCloseTo(2048, 6);
    }
    expect(ladderOf(own(33), BORDER)).toHaveLength(1);
    expect(ladderOf(own(2), BORDER)).toHaveLength(1);
    expect(ladderOf({ ...own(1025), down: 2 }, BORDER)).toHaveLength(1);
    expect(ladderOf(own(1025), BORDER, 8)).toHaveLength(1);
  });

  it.each([
    [513, true],
    [500, false],
    [471, true],
  ])('takes planes down and up again as they are, edges too: %i samples, on the edge: %s', (n, point) => {
    const [fine, coarse] = ladderOf(own(n, point), BORDER);
    const slope = (x: number, y: number) => 100 + 0.3 * x - 0.2 * y;
    const down = passed(toCoarser(fine, coarse), made(fine, slope));
    const wanted = { down: made(coarse, slope), up: made(fine, slope) };
    expect(firstWrong(down.length, (i) => Math.abs(down[i] - wanted.down[i]) < 2e-3)).toBe(-1);
    const up = passed(toFiner(coarse, fine), down);
    expect(firstWrong(up.length, (i) => Math.abs(up[i] - wanted.up[i]) < 2e-3)).toBe(-1);
  });

  it('shares a whole out to any count of rungs, never less than nothing', () => {
    expect(sharesOf([0.5, 0.3], 1)).toEqual([1]);
    expect(sharesOf([0.5, 0.25], 3)).toEqual([0.5, 0.25, 0.25]);
    expect(sharesOf([0.5, 0.25], 5)).toEqual([0.5, 0.25, 0.125, 0.0625, 0.0625]);
    for (let count = 1; count < 14; count++) {
      const shares = sharesOf([0.12, 0.16, 0.22, 0.2, 0.25, 0.035, 0.01, 0.003], count);
      expect(Math.min(...shares)).toBeGreaterThan(0);
      expect(shares.reduce((sum, share) => sum + share)).toBeCloseTo(1, 12);
    }
  });

  it('has room for the weights of every passage, on small and narrow grounds too', () => {
    for (const n of [3, 5, 33, 46, 65, 129, 1000, 1025]) {
      for (const down of [3, n]) {
        const levels = ladderOf(own(n, true, 8192, down, 8192), BORDER);
        let [bytes, asked] = [0, 0];
        const { weights } = claimPass((size) => ((asked = size), (bytes += size) - size), levels);
        expect(weights + asked).toBe(bytes);
        for (const [l, coarse] of levels.entries()) {
          const passages = l === 0 ? [] : [toCoarser(levels[0], coarse), toFiner(coarse, levels[l - 1])];
          for (const { x, y } of passages) for (const table of [x, y]) expect(4 * table.count * (5 + table.taps)).toBeLessThanOrEqual(asked / 2);
        }
      }
    }
  });

  it('keeps level ground level to the bit', () => {
    const [fine, coarse] = ladderOf(own(513), BORDER);
    const level = made(fine, () => 103.7);
    expect(new Set(passed(toCoarser(fine, coarse), level)).size).toBe(1);
    expect(
      new Set(
        passed(
          toFiner(coarse, fine),
          made(coarse, () => 103.7),
        ),
      ).size,
    ).toBe(1);
  });

  it('gives two counts of samples the same coarse ground, to within what lies between their samples', () => {
    const hills = (x: number, y: number) => 60 * Math.sin(x / 300) * Math.cos(y / 260) + 4 * Math.sin(x / 40 + y / 55);
    const coarseOf = (n: number) => {
      const ladder = ladderOf(own(n), BORDER);
      return passed(toCoarser(ladder[0], ladder.at(-2)!), made(ladder[0], hills));
    };
    const reference = coarseOf(1025);
    const side = Math.sqrt(reference.length);
    for (const n of [513, 1017, 1024]) {
      const other = coarseOf(n);
      const worst = other.reduce((most, h, i) => Math.max(most, Math.abs(h - reference[i])), 0);
      // At the edge half of the weights are missing.
      expect(worst, String(n)).toBeLessThan(0.25);
      const inside = other.filter((_, i) => i % side > 1 && i % side < side - 2 && i > 2 * side && i < side * (side - 2));
      const same = reference.filter((_, i) => i % side > 1 && i % side < side - 2 && i > 2 * side && i < side * (side - 2));
      expect(
        inside.reduce((most, h, i) => Math.max(most, Math.abs(h - same[i])), 0),
        String(n),
      ).toBeLessThan(0.02);
    }
  });

  it('restores the volume of what was handed down, spares what is hard and takes only what is loose', () => {
    const [fine] = ladderOf(own(129), BORDER);
    const arena: Arena = { buffer: new ArrayBuffer(1 << 22), start: 0 };
    const [change, ease, cover] = [0, 1 << 20, 1 << 21];
    lay(
      arena,
      change,
      fine,
      made(fine, (x) => (x < 4096 ? -2 : 3)),
    );
    lay(
      arena,
      ease,
      fine,
      made(fine, (x) => (x < 1024 ? 0 : 1)),
    );
    lay(
      arena,
      cover,
      fine,
      made(fine, () => 1.5),
    );
    keepVolume(arena, fine, change, 0, { ease, cover });
    const values = lift(arena, change, fine);
    expect(Math.abs(volumeOf(arena, fine, change))).toBeLessThan(1e-6 * 8192 * 8192);
    expect(Math.min(...values)).toBeGreaterThanOrEqual(-1.5);
    expect(values[0]).toBe(0);
    expect(bytesOf(fine)).toBeLessThan(1 << 20);
  });
});
