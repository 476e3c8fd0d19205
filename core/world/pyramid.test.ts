import { describe, expect, it } from 'vitest';
import { groundOf } from '../../tests/helpers/grounds';
import { memory } from '../../tests/helpers/worlds';
import { makeField } from '../field/field';
import { hash32 } from '../field/hash';
import { makeGround, spacingOf } from '../field/ground';
import { toField } from '../formats/heights';
import { readHeightmap } from '../formats';
import { groundOfMeans, Pyramid, pyramidLevels, pyramidRaster, pyramidTile, windowInLevel } from './pyramid';

const TILE = 256;

/** Means of 2 × 2 samples that are known, straight from the definition. */
function halved(height: ArrayLike<number>, known: ArrayLike<number>, across: number, down: number) {
  const [w, h] = [Math.ceil(across / 2), Math.ceil(down / 2)];
  const means = new Float64Array(w * h);
  const counts = new Uint8Array(w * h);
  for (let i = 0; i < across * down; i++) {
    if (!known[i]) continue;
    const to = (Math.floor(i / across) >> 1) * w + ((i % across) >> 1);
    means[to] += height[i];
    counts[to]++;
  }
  return { across: w, down: h, height: means.map((sum, i) => sum / Math.max(1, counts[i])), known: counts.map((n) => Math.min(1, n)) };
}

describe('overviews of a world', () => {
  const [across, down] = [1_300, 1_071];
  const height = Float32Array.from(
    { length: across * down },
    (_, i) => 300 * Math.sin((i % across) / 90) + 80 * Math.cos(Math.floor(i / across) / 31) + hash32(4, i) / 2 ** 30,
  );
  const holed = (i: number) => Math.hypot((i % across) - 400, Math.floor(i / across) - 300) < 61 || (i % across === 7 && Math.floor(i / across) === 9);

  /** Takes a ground tile by tile, the tiles in any order. */
  async function taken(valid: Uint8Array<ArrayBuffer> | undefined, datum = 0) {
    const ground = { ...groundOf(across, down, 4), datum };
    const { store, files } = memory();
    const pyramid = new Pyramid(store, ground, TILE);
    const windows = [];
    for (let top = 0; top < down; top += TILE)
      for (let left = 0; left < across; left += TILE) windows.push({ left, top, across: Math.min(TILE, across - left), down: Math.min(TILE, down - top) });
    windows.sort((a, b) => hash32(9, a.left + 7 * a.top) - hash32(9, b.left + 7 * b.top));
    for (const window of windows) {
      const count = window.across * window.down;
      const at = (i: number) => (window.top + Math.floor(i / window.across)) * across + window.left + (i % window.across);
      const heights = Float32Array.from({ length: count }, (_, i) => height[at(i)]);
      const known = valid && Uint8Array.from({ length: count }, (_, i) => valid[at(i)]);
      await pyramid.take(window, makeField({ ...ground, across: window.across, down: window.down }, heights, known));
    }
    return { ground, pyramid, files, rasters: await pyramid.finish() };
  }

  it.each([
    ['whole', false],
    ['with holes, and single samples missing', true],
  ])('are means of what is known of four samples, level on level: %s', async (_, withHoles) => {
    const valid = withHoles ? Uint8Array.from({ length: across * down }, (_, i) => (holed(i) ? 0 : 1)) : undefined;
    const { ground, pyramid, files, rasters } = await taken(valid);
    expect(rasters).toEqual([pyramidRaster(1), pyramidRaster(2)]);
    let truth = { across, down, height: Float64Array.from(height), known: valid ?? new Uint8Array(across * down).fill(1) };
    for (const { level, ground: own, across: columns, down: rows } of pyramid.levels) {
      truth = halved(truth.height, truth.known, truth.across, truth.down);
      expect([own.across, own.down]).toEqual([truth.across, truth.down]);
      for (let row = 0; row < rows; row++)
        for (let column = 0; column < columns; column++) {
          const window = windowInLevel(own, TILE, row, column);
          const tile = toField(await readHeightmap(files.get(pyramidTile(level, row, column))!));
          expect([tile.ground.across, tile.ground.down]).toEqual([window.across, window.down]);
          let [far, wrong] = [0, 0];
          for (let i = 0; i < tile.height.length; i++) {
            const at = (window.top + Math.floor(i / window.across)) * truth.across + window.left + (i % window.across);
            if ((tile.valid ? tile.valid[i] : 1) !== truth.known[at]) wrong++;
            else if (truth.known[at]) far = Math.max(far, Math.abs(tile.height[i] + tile.ground.datum - truth.height[at]));
          }
          expect(wrong, `level ${level}, ${row} ${column}`).toBe(0);
          expect(far, `level ${level}, ${row} ${column}`).toBeLessThan(1e-4);
        }
      expect(spacingOf(own)).toEqual({ x: 4 * 2 ** level, y: 4 * 2 ** level });
    }
    expect(ground.across).toBe(across);
  });

  it('hold absolute heights, whatever datum the world counts from', async () => {
    const { files } = await taken(undefined, 2_000);
    const { ground, height: means } = toField(await readHeightmap(files.get(pyramidTile(2, 0, 0))!));
    const truth = (height[0] + height[1] + height[across] + height[across + 1]) / 4;
    expect(means[0] + ground.datum).toBeGreaterThan(1_500);
    expect(Math.abs(means[0] + ground.datum - 2_000 - truth)).toBeLessThan(20);
  });

  it('go on until the whole fits into 512 samples a side, and are none for less', () => {
    const sides = (n: number) => pyramidLevels(groundOf(n, 5, 4), TILE).map(({ ground }) => ground.across);
    expect(sides(512)).toEqual([]);
    expect(sides(513)).toEqual([257]);
    expect(sides(2_049)).toEqual([1_025, 513, 257]);
    expect(sides(2_048)).toEqual([1_024, 512]);
  });

  it('lie where the samples lie that they are the means of', () => {
    // The first of four point samples stands at the corner: its square reaches half a sample beyond.
    const point = groundOfMeans(groundOf(101, 51, 10), 4);
    expect(point).toMatchObject({ registration: 'area', across: 26, down: 13, width: 1_040, depth: 520 });
    expect(point.georeference).toMatchObject({ west: -5, north: 505 });
    const area = groundOfMeans(makeGround({ width: 1_000, depth: 500, across: 100, down: 50, registration: 'area' }), 2);
    expect(area.georeference).toMatchObject({ west: 0, north: 500 });
    const feet = makeGround({ width: 1_000, depth: 500, across: 101, down: 51, registration: 'point' });
    const placed = groundOfMeans({ ...feet, georeference: { west: 3_000, north: 9_000, crs: 'EPSG:2272', perMetre: { x: 3.28, y: 3.28 } } } as typeof feet, 2);
    expect(placed.georeference!.west).toBeCloseTo(3_000 - 5 * 3.28, 9);
    expect(placed.georeference!.north).toBeCloseTo(9_000 + 5 * 3.28, 9);
  });
});
