import { describe, expect, it } from 'vitest';
import { groundOf } from '../../../tests/helpers/grounds';
import { exposureOf } from './coast';

const side = 201;
const ground = groundOf(side, side, 10);
const wetWhere = (wet: (x: number, y: number) => boolean) => Uint8Array.from({ length: side * side }, (_, i) => (wet(i % side, Math.floor(i / side)) ? 1 : 0));
const at = (open: Float32Array, x: number, y: number) => open[y * side + x];

describe('how open a coast lies', () => {
  it('is whole in the open sea, and half of it before a long straight coast', async () => {
    const sea = await exposureOf(
      wetWhere(() => true),
      ground,
    );
    expect(sea.every((v) => v === 1)).toBe(true);
    // Land in the west: eight of sixteen directions look out over water all the way; the two along the coast do too.
    const coast = await exposureOf(
      wetWhere((x) => x > 60),
      ground,
    );
    expect(at(coast, 64, 100)).toBeGreaterThan(0.5);
    expect(at(coast, 64, 100)).toBeLessThan(0.72);
    expect(at(coast, 190, 100)).toBeGreaterThan(0.95);
  });

  it('grows as the root of the way that waves have: a strait four times as wide lies twice as open across', async () => {
    const strait = async (half: number) =>
      at(
        await exposureOf(
          wetWhere((x, y) => Math.hypot(x - 100, y - 100) < half),
          ground,
        ),
        100,
        100,
      );
    const [narrow, wide] = [await strait(10), await strait(40)];
    expect(wide / narrow).toBeGreaterThan(1.85);
    expect(wide / narrow).toBeLessThan(2.15);
    // The mean of the root of the fetch over half the side, to the width of a cell.
    expect(Math.abs(wide - Math.sqrt(40 / 100))).toBeLessThan(0.02);
  });

  it('is less behind an isle and in a bay than before them, the same seen from any side', async () => {
    const isle = (x: number, y: number) => Math.hypot(x - 100, y - 60) > 25;
    const one = await exposureOf(wetWhere(isle), ground);
    const turned = await exposureOf(
      wetWhere((x, y) => isle(y, x)),
      ground,
    );
    expect(at(one, 100, 90)).toBeLessThan(at(one, 100, 170));
    for (const [x, y] of [
      [100, 90],
      [40, 60],
      [150, 150],
    ])
      expect(Math.abs(at(one, x, y) - at(turned, y, x))).toBeLessThan(1e-6);
    const bay = await exposureOf(
      wetWhere((x, y) => x > 100 || (x > 40 && Math.abs(y - 100) < 15)),
      ground,
    );
    expect(at(bay, 48, 100)).toBeLessThan(0.6 * at(bay, 108, 100));
  });

  it('is carried on over the land beside the water, and is nowhere where there is none', async () => {
    const coast = await exposureOf(
      wetWhere((x) => x > 100),
      ground,
    );
    expect(at(coast, 92, 100)).toBeGreaterThan(0.3);
    const dry = await exposureOf(
      wetWhere(() => false),
      ground,
    );
    expect(dry.every((v) => v === 0)).toBe(true);
  });
});
