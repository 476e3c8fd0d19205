import { describe, expect, it } from 'vitest';
import { inlineKernels } from '../kernels/pool';
import { countryWindow, extract, SEAM, windowOf } from './extract';
import { COUNTRY, countryGround, places, SURVEY_SPACINGS } from './velmarch';

const kernels = inlineKernels();

describe('the survey of Velmarch', () => {
  it('has the same bits in every frame that a place lies in', async () => {
    const wide = await countryWindow(30, { left: 900, top: 500, across: 150, down: 120 }, kernels);
    const inner = await countryWindow(30, { left: 940, top: 530, across: 60, down: 50 }, kernels);
    for (let row = 0; row < 50; row++) {
      for (let column = 0; column < 60; column++) expect(inner.height[row * 60 + column]).toBe(wide.height[(row + 30) * 150 + column + 40]);
    }
    expect(inner.ground.georeference).toMatchObject({ west: COUNTRY.west + 940 * 30, north: COUNTRY.north - 530 * 30, crs: COUNTRY.crs });
  });

  it('shows the same land at every spacing', async () => {
    const at = async (spacing: number) =>
      (await countryWindow(spacing, { left: 27_000 / spacing, top: 18_000 / spacing, across: 3600 / spacing, down: 3600 / spacing }, kernels)).height;
    const [fine, middle] = [await at(10), await at(90)];
    const mean = (h: Float32Array) => h.reduce((a, b) => a + b, 0) / h.length;
    expect(Math.abs(mean(fine) - mean(middle))).toBeLessThan(6);
  });

  it('is land and sea floor, its named peaks on land and its bays in the sea', async () => {
    const ground = countryGround(360);
    const { height } = await countryWindow(360, { left: 0, top: 0, across: ground.across, down: ground.down }, kernels);
    const land = height.reduce((sum, h) => sum + (h > 0 ? 1 : 0), 0) / height.length;
    expect(land).toBeGreaterThan(0.2);
    expect(land).toBeLessThan(0.6);
    for (const place of places) {
      const h = height[Math.floor(place.south / 360) * ground.across + Math.floor(place.east / 360)];
      if (place.kind === 'bay') expect(h, place.name).toBeLessThan(0);
      else expect(h, place.name).toBeGreaterThan(place.kind === 'peak' ? 300 : 0);
    }
  });

  it('has holes on land, and a seam where two campaigns meet', async () => {
    const frame = { east: 30_000, south: 12_000, width: 23_040, depth: 18_000 };
    const surveyed = await extract(frame, 90, kernels);
    const truth = await countryWindow(90, windowOf(frame, 90), kernels);
    const holes = surveyed.valid!.reduce((sum, v) => sum + 1 - v, 0);
    expect(holes).toBeGreaterThan(50);
    expect(holes).toBeLessThan(surveyed.height.length / 20);
    const lift = (column: number) => surveyed.height[column] - truth.height[column];
    expect(lift(3)).toBe(0);
    expect(lift(250)).toBeCloseTo(SEAM.lift, 3);
    expect(await extract(frame, 90, kernels)).toEqual(surveyed);
  });

  it('refuses frames outside of it, too large, too small, and spacings it has not', () => {
    expect(() => windowOf({ east: 60_000, south: 0, width: 20_000, depth: 1000 }, 10)).toThrow(/reaches beyond Velmarch/);
    expect(() => windowOf({ east: 0, south: 0, width: 40_000, depth: 40_000 }, 10)).toThrow(/4194304 are the most in one extract. Make it 20\.4 km/);
    expect(() => windowOf({ east: 0, south: 0, width: 60, depth: 60 }, 90)).toThrow(/Make it larger/);
    expect(() => windowOf({ east: 0, south: 0, width: 6000, depth: 6000 }, 17)).toThrow(`at ${SURVEY_SPACINGS.join(', ')} m`);
  });
});
