import { describe, expect, it } from 'vitest';
import { eastNorthUpAt, tilesetOf, type TreeTile } from './tileset';

const leaf: TreeTile = { origin: [10, 20, 300], half: [5, 6], lowest: 290, highest: 320, error: 0, uri: 'a.glb', children: [] };
const root: TreeTile = { origin: [0, 0, 250], half: [50, 60], lowest: 200, highest: 320, error: 4, uri: 'b.glb', children: [leaf] };

describe('a tileset', () => {
  it('has every tile in the frame of the one that it stands in, and boxes around their heights', () => {
    const { asset, geometricError, root: top } = tilesetOf(root, eastNorthUpAt({ longitude: 0, latitude: 0 }));
    expect([asset.version, geometricError]).toEqual(['1.1', 120]);
    expect(top.boundingVolume.box).toEqual([0, 0, 10, 50, 0, 0, 0, 60, 0, 0, 0, 60]);
    expect(top.children![0].transform!.slice(12)).toEqual([10, 20, 50, 1]);
    expect(top.children![0].boundingVolume.box).toEqual([0, 0, 5, 5, 0, 0, 0, 6, 0, 0, 0, 15]);
    // At the equator and Greenwich east is y, north z and up x: 250 m above the ellipsoid's longer axis.
    expect(top.transform).toEqual([0, 1, 0, 0, 0, 0, 1, 0, 1, 0, 0, 0, 6_378_387, 0, 0, 1].map((v) => (v === 0 ? expect.closeTo(0, 9) : v)));
    // By itself it stands where what refers to it put it.
    expect(tilesetOf(leaf).root.transform).toBeUndefined();
  });

  it('lies on the Earth where the guidance note of the EPSG registry has it', () => {
    // The worked example of IOGP 373-7-2, "Geographic/geocentric conversions" (its numbers from memory): 53°48'33.820"N 2°7'46.380"E, 73 m on WGS 84 is X 3771793.968, Y 140253.342, Z 5124304.349.
    const frame = eastNorthUpAt({ longitude: 2 + 7 / 60 + 46.38 / 3600, latitude: 53 + 48 / 60 + 33.82 / 3600 });
    const at = [12, 13, 14].map((k) => frame[k] + 73 * frame[k - 4]);
    expect(at[0]).toBeCloseTo(3_771_793.968, 2);
    expect(at[1]).toBeCloseTo(140_253.342, 2);
    expect(at[2]).toBeCloseTo(5_124_304.349, 2);
  });
});
