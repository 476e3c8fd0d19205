import { describe, expect, it } from 'vitest';
import { sourceHeights } from '../../../tests/helpers/source-steps';

describe('landforms', () => {
  const at = (h: Float32Array, east: number, south: number) => h[Math.round((1024 + south) / 16) * 129 + Math.round((1024 + east) / 16)];

  it('stand as high as they say and end at their radius', async () => {
    for (const form of ['dome', 'cone', 'ridge', 'plateau']) {
      const { height } = await sourceHeights('landform', { form, height: 200, radius: 480, length: 600 });
      expect(at(height, 0, 0), form).toBeCloseTo(200, 3);
      expect(at(height, 0, 496), form).toBeCloseTo(0, 3);
    }
    const { height: cone } = await sourceHeights('landform', { form: 'cone', height: 200, radius: 480 });
    expect(at(cone, 240, 0)).toBeCloseTo(100, 3);
  });

  it('have the rims, floors, troughs and ramps they are named for', async () => {
    const { height: crater } = await sourceHeights('landform', { form: 'crater', height: 100, radius: 800, rim: 0.4, depth: 1.5 });
    expect(at(crater, 320, 0)).toBeCloseTo(100, 3);
    expect(at(crater, 0, 0)).toBeCloseTo(-50, 3);
    const { height: caldera } = await sourceHeights('landform', { form: 'caldera', height: 100, radius: 800, rim: 0.4, depth: 1.2 });
    expect(at(caldera, 96, 96)).toBeCloseTo(-20, 3);
    const { height: trough } = await sourceHeights('landform', { form: 'trough', height: 100, radius: 400, length: 4000, turn: 90 });
    [at(trough, 0, 0), at(trough, 0, 800), at(trough, 480, 0) - 100].forEach((h) => expect(h).toBeCloseTo(0, 6));
    const { height: ramp } = await sourceHeights('landform', { form: 'ramp', height: 100, length: 800 });
    expect([at(ramp, -400, 0), at(ramp, 0, 300), at(ramp, 400, 0), at(ramp, 700, 0)]).toEqual([0, 50, 100, 100]);
  });

  it('are moved, turned and stretched', async () => {
    const { height } = await sourceHeights('landform', { form: 'dome', height: 50, radius: 320, east: 160, north: -320, stretch: 2 });
    expect(at(height, 160, 320)).toBeCloseTo(50, 3);
    expect(at(height, 160 + 480, 320)).toBeGreaterThan(1);
    expect(at(height, 160, 320 + 336)).toBe(0);
  });
});
