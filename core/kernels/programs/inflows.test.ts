import { describe, expect, it } from 'vitest';
import { floats, type Arena } from '../program';
import { addInflows, claimInflows, layInflows, placeInflows } from './inflows';
import type { BegunArgs, Rung } from './ladder';
import { bytesOf, claims, lay, lift } from './levels';

const rim = { north: false, east: false, south: false, west: false };
const level: Rung = { across: 17, down: 13, stride: 19, left: 1, above: 1, spacingX: 4, spacingY: 4, point: true };
const begun: BegunArgs = { grid: { across: 5, down: 4, spacingX: 16, spacingY: 16, point: true }, grids: 5, west: 0, north: 0, width: 64, depth: 48, rim };

/** A grid with streams that come in, each with metres east and south of its corner and a catchment. */
function made(streams: [number, number, number][], height: (x: number, y: number) => number) {
  const { claim, bytes } = (() => {
    const room = claims();
    return { claim: room.claim, bytes: () => room.bytes };
  })();
  const at = { height: claim(bytesOf(level)), area: claim(bytesOf(level)), inflows: claimInflows(claim, streams.length) };
  const arena: Arena = { buffer: new ArrayBuffer(bytes()), start: 0 };
  lay(
    arena,
    at.height,
    level,
    Float32Array.from({ length: 17 * 13 }, (_, i) => height(i % 17, Math.floor(i / 17))),
  );
  layInflows(arena, at.inflows, Float32Array.from(streams.flat()));
  const args = { ...begun, inflows: streams.length };
  placeInflows(arena, level, args, at);
  return {
    cells: (from = 0, to = level.down) => {
      floats(arena, at.area, bytesOf(level) / 4).fill(1);
      addInflows(arena, level, args, at, from, to);
      return lift(arena, at.area, level);
    },
  };
}

describe('streams that come into a window', () => {
  it('come in at the lowest sample of those that the coarser one stands for, with their catchment in cells', () => {
    // A channel in row 6, deepest at column 3.
    const { cells } = made([[16, 32, 8_000]], (x, y) => 50 + 3 * Math.abs(y - 6) + Math.abs(x - 3));
    const found = cells();
    expect(found[6 * 17 + 3]).toBe(1 + 8_000 / 16);
    expect(found.reduce((sum, v) => sum + v - 1, 0)).toBe(500);
  });

  it('never come in on the rim, which stands as it is, and add up where several meet', () => {
    const { cells } = made(
      [
        [0, 16, 1_600],
        [0, 16, 3_200],
        [64, 48, 160],
      ],
      (x, y) => x + y,
    );
    const found = cells();
    for (let i = 0; i < found.length; i++) {
      const [x, y] = [i % 17, Math.floor(i / 17)];
      if (x === 0 || y === 0 || x === 16 || y === 12) expect(found[i]).toBe(1);
    }
    // Lowest within half a coarse sample of (0, 16): column 1, row 2.
    expect(found[2 * 17 + 1]).toBe(1 + 300);
    expect(found[10 * 17 + 14]).toBe(1 + 10);
  });

  it('are added by whoever works on their rows, once', () => {
    const { cells } = made([[16, 32, 1_600]], () => 5);
    const [north, south] = [cells(0, 6), cells(6, 13)];
    const sum = (of: Float32Array) => of.reduce((all, v) => all + v - 1, 0);
    expect([sum(north), sum(south)].sort((a, b) => a - b)).toEqual([0, 100]);
  });
});
