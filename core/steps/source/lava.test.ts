import { describe, expect, it } from 'vitest';
import { lavaFlows, layLava, type SurfaceAt } from './lava';

const params = { flows: 12, thick: 20, radius: 4_000, crater: 300, kind: 'cone' };
const cone: SurfaceAt = (x, y) => 1_000 - 0.25 * Math.hypot(x, y);

describe('flows of lava', () => {
  it('run away from the crater and downhill all the way', () => {
    for (const { line } of lavaFlows(params, 5, cone)) {
      expect(Math.hypot(line[0].east, line[0].south)).toBeGreaterThanOrEqual(300 - 1e-6);
      for (let k = 1; k < line.length; k++) expect(cone(line[k].east, line[k].south)).toBeLessThan(cone(line[k - 1].east, line[k - 1].south));
    }
  });

  it('turn aside for a hill that stands in their way', () => {
    // A ridge across the east flank.
    const barred: SurfaceAt = (x, y) => cone(x, y) + 500 * Math.exp(-(((x - 2_200) / 400) ** 2) - (y / 1_500) ** 2);
    const over = (flows: ReturnType<typeof lavaFlows>) =>
      flows.flatMap(({ line }) => line).filter(({ east, south }) => Math.abs(east - 2_200) < 250 && Math.abs(south) < 900);
    const many = { ...params, flows: 60 };
    expect(over(lavaFlows(many, 5, cone)).length).toBeGreaterThan(20);
    expect(over(lavaFlows(many, 5, barred))).toHaveLength(0);
  });

  it('end in a hollow', () => {
    const moat: SurfaceAt = (x, y) => {
      const r = Math.hypot(x, y);
      return r < 1_500 ? 1_000 - 0.4 * r : 400 + 0.4 * (r - 1_500);
    };
    for (const { line } of lavaFlows(params, 9, moat)) for (const { east, south } of line) expect(Math.hypot(east, south)).toBeLessThan(1_900);
  });

  it('are as wide and as thick as they are told, with levees higher than their middle', () => {
    const flow = {
      line: [
        { east: 0, south: 0 },
        { east: 3_000, south: 0 },
      ],
      along: [0, 3_000],
      width: 200,
      thick: 10,
    };
    const grid = { firstX: -200, firstY: -500, stepX: 10, stepY: 10, across: 360, down: 101 };
    const laid = new Map<number, number>();
    layLava(flow, grid, (index, thickness) => laid.set(index, thickness));
    const at = (x: number, y: number) => laid.get(Math.round((y + 500) / 10) * 360 + Math.round((x + 200) / 10)) ?? 0;
    expect(Math.max(...laid.values())).toBeLessThanOrEqual(10);
    expect(at(1_200, 0)).toBeLessThan(0.75 * at(1_200, 120));
    expect(at(1_200, 260)).toBe(0);
    expect(at(2_700, 0)).toBeGreaterThan(8);
    expect(at(-100, 0)).toBe(0);
  });

  it('that cannot go a step lie nowhere', () => {
    let laid = 0;
    layLava(
      { line: [{ east: 0, south: 0 }], along: [0], width: 100, thick: 5 },
      { firstX: 0, firstY: 0, stepX: 1, stepY: 1, across: 5, down: 5 },
      () => laid++,
    );
    expect(laid).toBe(0);
  });
});
