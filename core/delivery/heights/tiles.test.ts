import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { tileName, tileSides, tilesOf } from './tiles';

const field = hills(groundOf(65, 65, 8), 3);

describe('tiles', () => {
  it.each([true, false])('put together are the whole, to the bit (shared edges: %s)', (shared) => {
    const whole = hills(groundOf(shared ? 65 : 64, shared ? 97 : 96, 4, shared ? 'point' : 'area'), 9);
    const tiling = { across: 4, down: 3, shared };
    const out = new Float32Array(whole.height.length).fill(NaN);
    for (const { column, row, field: tile } of tilesOf(whole, tiling)) {
      const { across, down, width } = tile.ground;
      expect(width).toBeCloseTo((shared ? across - 1 : across) * (whole.ground.width / (shared ? 64 : 64)), 9);
      for (let y = 0; y < down; y++) {
        for (let x = 0; x < across; x++) {
          const at = (row * (down - +shared) + y) * whole.ground.across + column * (across - +shared) + x;
          // A shared sample has the same bits in every tile that has it.
          if (out[at] === out[at] && out[at] !== tile.height[y * across + x]) throw new Error('edges differ');
          out[at] = tile.height[y * across + x];
        }
      }
    }
    expect(out).toEqual(whole.height);
  });

  it('that do not come out even are refused with counts that do', () => {
    expect(tileSides({ ground: groundOf(65) }, { across: 3, down: 1, shared: true })).toMatch(/Counts that do: 1, 2, 4, 8/);
    expect(() => [...tilesOf(field, { across: 3, down: 1, shared: true })]).toThrow(/do not part/);
  });

  it('are named by their place', () => {
    expect(tileName('t_x{x}_y{south}-{column}{row:3}', { column: 1, row: 0 }, { down: 3 })).toBe('t_x1_y2-2001');
  });
});
