import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { makeField } from '../field/field';
import type { WorldTile } from './plan';
import { Seams } from './seams';

const TILE = 16;
const slope = (x: number, y: number) => 3 * x - 2 * y + 10 * Math.sin(x / 7) * Math.cos(y / 5);

/** Tiles of a ground, two by three; those that share a line have it both. */
function through(shared: boolean, step: number, at: (x: number, y: number, row: number, column: number) => number, datum = 0) {
  const seams = new Seams(shared, step);
  for (let row = 0; row < 2; row++)
    for (let column = 0; column < 3; column++) {
      const side = TILE + (shared ? 1 : 0);
      const window = { left: column * TILE, top: row * TILE, across: side, down: side };
      const height = Float32Array.from({ length: side * side }, (_, i) => at(window.left + (i % side), window.top + Math.floor(i / side), row, column) - datum);
      seams.take({ row, column, window } as WorldTile, makeField({ ...groundOf(side, side, 4), datum }, height));
    }
  return seams.proof();
}

describe('the borders of tiles', () => {
  it.each([false, true])('cannot be told where the ground goes on (a line in both: %s)', (shared) => {
    const proof = through(shared, 0, slope)!;
    // Four borders from west to east, three from north to south.
    expect(proof.pairs).toBe((4 + 3) * (TILE + (shared ? 1 : 0)));
    expect(Math.abs(proof.ratio - 1)).toBeLessThan(0.06);
    expect(proof.apart).toBe(0);
  });

  it('are told where each tile lies a little higher than the one before', () => {
    const { ratio, across, within } = through(false, 0, (x, y, row, column) => slope(x, y) + 5 * column + 5 * row)!;
    expect(ratio).toBeGreaterThan(1.4);
    expect(across - within).toBeGreaterThan(1);
  });

  it('that are one line have to be the same in both, within half a code', () => {
    const apart = (by: number, step: number) => through(true, step, (x, y, _, column) => slope(x, y) + (column === 1 ? by : 0))!.apart;
    expect(apart(0.5, 0)).toBeCloseTo(0.5, 5);
    expect(apart(0.004, 0.01)).toBe(0);
    expect(apart(0.006, 0.01)).toBeCloseTo(0.006, 4);
  });

  it('are measured in absolute heights, and only where both sides have one', () => {
    const plain = through(false, 0, slope)!;
    const high = through(false, 0, slope, 4_000)!;
    expect(Math.abs(high.across - plain.across)).toBeLessThan(1e-3);
    const holed = through(false, 0, (x, y) => (x === TILE && y < 5 ? NaN : slope(x, y)))!;
    expect(holed.pairs).toBe(plain.pairs - 5);
  });

  it('are none of a single tile, of tiles too small to say, and 1 on level ground', () => {
    expect(new Seams(false, 0).proof()).toBeNull();
    const small = new Seams(false, 0);
    for (const column of [0, 1])
      small.take({ row: 0, column, window: { left: 3 * column, top: 0, across: 3, down: 3 } } as WorldTile, makeField(groundOf(3, 3, 1), new Float32Array(9)));
    expect(small.proof()).toBeNull();
    expect(through(false, 0, () => 7)).toMatchObject({ across: 0, within: 0, ratio: 1 });
  });
});
