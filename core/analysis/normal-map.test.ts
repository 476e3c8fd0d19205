import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { normalMap } from './surface';
import { fieldFrom } from '../field/field';

describe('normals', () => {
  const at = (map: ArrayLike<number>, i: number) => [map[3 * i], map[3 * i + 1], map[3 * i + 2]];

  it('of a plane that rises 45° to the east are (37, 128, 218) within 1 (arithmetic: −0.7071, 0, 0.7071)', () => {
    const plane = fieldFrom(groundOf(9), (east) => east);
    expect(at(normalMap(plane), 40)).toEqual([37, 128, 218]);
    const wide = at(normalMap(plane, { bits: 16 }), 40);
    for (const [k, v] of [-Math.SQRT1_2, 0, Math.SQRT1_2].entries()) expect(Math.abs(wide[k] - (v * 0.5 + 0.5) * 65_535)).toBeLessThanOrEqual(1);
  });

  it.each(['tangent', 'world-y', 'world-z'] as const)('of a hemisphere are its own directions within a code in 16 bits, %s', (space) => {
    const [radius, n] = [4_000, 129];
    // Gentle enough a cap that Horn's differences meet the tangent.
    const ground = groundOf(n, n, 1);
    const cap = fieldFrom(ground, (east, south) => Math.sqrt(radius * radius - (east - 64) ** 2 - (south - 64) ** 2) - radius + 10);
    const map = normalMap(cap, { bits: 16, space });
    let off = 0;
    for (let row = 2; row < n - 2; row++) {
      for (let column = 2; column < n - 2; column++) {
        const [x, north] = [(column - 64) / radius, (64 - row) / radius];
        const up = Math.sqrt(1 - x * x - north * north);
        const wanted = space === 'world-y' ? [x, up, -north] : [x, north, up];
        for (const [k, v] of wanted.entries()) off = Math.max(off, Math.abs(map[3 * (row * n + column) + k] - (v * 0.5 + 0.5) * 65_535));
      }
    }
    expect(off).toBeLessThanOrEqual(1);
  });

  it('turn green over when +Y is down', () => {
    const north = fieldFrom(groundOf(9), (_, south) => -south);
    expect(normalMap(north)[121]).toBe(37);
    expect(normalMap(north, { green: 'down' })[121]).toBe(218);
  });
});
