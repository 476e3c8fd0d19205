import { makeGround, makeField, spacingOf, type Field } from '@upland-cast/core';
import { describe, expect, it } from 'vitest';
import { everySecond, keepShares, keptShares, spread } from './kept-light';

function field(across: number, down: number, height: (x: number, y: number) => number): Field {
  const ground = makeGround({ width: 80, depth: 60, across, down });
  return makeField(
    ground,
    Float32Array.from({ length: across * down }, (_, i) => height(i % across, Math.floor(i / across))),
  );
}

describe('light that is kept', () => {
  const hill = field(9, 7, (x, y) => 10 * x - y * y);
  const shares = Float32Array.from(hill.height, (_, i) => i / 63);

  it('is found by the heights and what it is of, whoever asks', async () => {
    await keepShares(shares, hill, 'sky', 1);
    const again = field(9, 7, (x, y) => 10 * x - y * y);
    expect(await keptShares(again, 'sky', 1)).toEqual(shares);
    expect(await keptShares(again, 'sky', 2)).toBeUndefined();
    expect(await keptShares(again, 'sun', 1)).toBeUndefined();
  });

  it('is not that of a ground of which one sample lies a millimetre higher, or that is twice as wide', async () => {
    const other = field(9, 7, (x, y) => 10 * x - y * y + (x === 3 && y === 2 ? 0.001 : 0));
    expect(await keptShares(other, 'sky', 1)).toBeUndefined();
    const wide = makeField(makeGround({ width: 160, depth: 60, across: 9, down: 7 }), hill.height);
    expect(await keptShares(wide, 'sky', 1)).toBeUndefined();
  });

  it('stays as it was when what was found is changed in place, as a brush does', async () => {
    const found = (await keptShares(hill, 'sky', 1))!;
    found.fill(0);
    expect(await keptShares(hill, 'sky', 1)).toEqual(shares);
  });
});

describe('light of every second sample', () => {
  it('has the corners of a ground of odd and of even counts, and where it has holes', () => {
    const odd = everySecond(field(9, 7, (x, y) => 100 * y + x));
    expect([odd.ground.across, odd.ground.down]).toEqual([5, 4]);
    expect([...odd.height.subarray(0, 5)]).toEqual([0, 2, 4, 6, 8]);
    expect(odd.height.at(-1)).toBe(608);
    const even = everySecond({ ...field(4, 4, (x, y) => 10 * y + x), valid: Uint8Array.from({ length: 16 }, (_, i) => (i === 2 ? 0 : 1)) });
    expect([...even.height]).toEqual([0, 2, 20, 22]);
    expect([...even.valid!]).toEqual([1, 0, 1, 1]);
    // Twice as far apart in both, so that shadows fall as far.
    for (const [fewer, whole] of [
      [odd, field(9, 7, () => 0)],
      [even, field(4, 4, () => 0)],
    ])
      expect(spacingOf(fewer.ground)).toEqual({ x: 2 * spacingOf(whole.ground).x, y: 2 * spacingOf(whole.ground).y });
  });

  it('is given to the samples between', () => {
    expect([...spread(Float32Array.of(1, 2, 3, 4), 3, 3)]).toEqual([1, 1, 2, 1, 1, 2, 3, 3, 4]);
    expect([...spread(Float32Array.of(1, 2, 3, 4), 4, 4)]).toEqual([1, 1, 2, 2, 1, 1, 2, 2, 3, 3, 4, 4, 3, 3, 4, 4]);
  });
});
