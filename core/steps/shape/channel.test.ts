import { describe, expect, it } from 'vitest';
import { groundOf, hills } from '../../../tests/helpers/grounds';
import { fieldFrom } from '../../field/field';
import { runShape, shapedHeights } from '../../../tests/helpers/shape-steps';

describe('channel', () => {
  const field = hills(groundOf(129, 129, 8), 6, 200);
  const points = [
    { east: 100, south: 150 },
    { east: 420, south: 380 },
    { east: 700, south: 600 },
    { east: 960, south: 960 },
  ];

  it('only cuts, reaches its depth, and its bed falls all the way', async () => {
    const h = await shapedHeights('channel', { points, width: 40, depth: 15, bed: 'flat', soften: 0 }, field);
    expect(h.every((v, i) => v <= field.height[i])).toBe(true);
    // Along the line at its points, first to last.
    const along = points.map(({ east, south }) => h[Math.round(south / 8) * 129 + Math.round(east / 8)]);
    for (let i = 1; i < along.length; i++) expect(along[i]).toBeLessThanOrEqual(along[i - 1] + 1e-3);
    expect(field.height[19 * 129 + 13] - h[19 * 129 + 13]).toBeGreaterThan(12);
  });

  it('has banks no steeper than their angle where it cut into a plain', async () => {
    const plain = fieldFrom(groundOf(129, 129, 2), () => 100);
    const straight = [
      { east: 20, south: 128 },
      { east: 236, south: 128 },
    ];
    const h = await shapedHeights('channel', { points: straight, width: 20, depth: 12, bank: 30, bed: 'flat', soften: 0 }, plain);
    const column = Array.from({ length: 129 }, (_, row) => h[row * 129 + 64]);
    expect(Math.min(...column)).toBeCloseTo(88, 4);
    for (let i = 1; i < 129; i++) expect(Math.abs(column[i] - column[i - 1]) / 2).toBeLessThanOrEqual(Math.tan(Math.PI / 6) + 1e-5);
    expect(column[64 - 5]).toBeCloseTo(88, 4);
    expect(column[64 - 17]).toBe(100);
  });

  it('along a line of one point, or of none, is refused with a sentence', async () => {
    expect((await runShape('channel', { points: points.slice(0, 1) }, field)).fault).toMatch(/This line has one point; it needs two/);
    expect((await runShape('channel', {}, field)).fault).toMatch(/no points/);
  });
});
