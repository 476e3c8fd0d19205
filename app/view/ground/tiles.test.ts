import { Box3, OrthographicCamera, PerspectiveCamera, Vector3 } from 'three';
import { describe, expect, it } from 'vitest';
import { dropSettled, GROUND, NEAR, rows, tileGrid, TileMarker, WET } from './tiles';

const box = (x: number, y: number, z: number, size = 1) =>
  new Box3(new Vector3(x - size / 2, y - size / 2, z - size / 2), new Vector3(x + size / 2, y + size / 2, z + size / 2));

/** Looks along −z from 10 m, on a picture of 160 × 80 pixels that is 20 m wide at z = 0. */
function camera(): PerspectiveCamera {
  const made = new PerspectiveCamera((2 * Math.atan(0.5) * 180) / Math.PI, 2, 0.1, 1000);
  made.position.set(0, 0, 10);
  made.updateMatrixWorld();
  return made;
}

const marked = (grid: ReturnType<typeof tileGrid>, flag: number) =>
  [...grid.flags.keys()].filter((t) => grid.flags[t] & flag).map((t) => [t % grid.across, Math.floor(t / grid.across)]);

describe('tiles of a picture', () => {
  it('cover it, the last of them over its rim', () => {
    expect(tileGrid(160, 80, 8)).toMatchObject({ across: 20, down: 10, size: 8 });
    expect(tileGrid(161, 79, 8)).toMatchObject({ across: 21, down: 10 });
  });

  it('are marked where a box is seen, and four pixels around', () => {
    const grid = tileGrid(160, 80, 8);
    new TileMarker(camera(), 160, 80).mark(grid, box(0, 0, 0, 0.2), GROUND);
    // In the middle between tiles 9 and 10 across, 4 and 5 from the foot.
    expect(marked(grid, GROUND)).toEqual([
      [9, 4],
      [10, 4],
      [9, 5],
      [10, 5],
    ]);
  });

  it('hold every pixel that a point of the box falls on (pinhole projection, 80 pixels over 10 m at 10 m)', () => {
    const view = camera();
    const marker = new TileMarker(view, 160, 80);
    for (let k = 0; k < 200; k++) {
      const middle = [Math.sin(k * 7.1) * 9, Math.sin(k * 3.3) * 4, -Math.abs(Math.sin(k * 1.7)) * 30] as const;
      const one = box(...middle, 1 + Math.abs(Math.sin(k)) * 3);
      const grid = tileGrid(160, 80, 8);
      marker.mark(grid, one, WET);
      for (let j = 0; j < 8; j++) {
        const [x, y, z] = [j & 1 ? one.max.x : one.min.x, j & 2 ? one.max.y : one.min.y, j & 4 ? one.max.z : one.min.z];
        const [across, up] = [80 + (80 * x) / (10 - z), 40 + (80 * y) / (10 - z)];
        if (across < 0 || across >= 160 || up < 0 || up >= 80) continue;
        expect(grid.flags[Math.floor(up / 8) * 20 + Math.floor(across / 8)]).toBe(WET);
      }
    }
  });

  it('are all marked by what reaches behind the eye, and none by what lies behind it or beside the picture', () => {
    const marker = new TileMarker(camera(), 160, 80);
    const behind = tileGrid(160, 80, 8);
    marker.mark(behind, box(0, 0, 10, 4), NEAR);
    expect(marked(behind, NEAR)).toHaveLength(200);
    const away = tileGrid(160, 80, 8);
    marker.mark(away, box(0, 0, 30), NEAR);
    marker.mark(away, box(60, 0, 0), NEAR);
    expect(marked(away, NEAR)).toHaveLength(0);
  });

  it('are marked by a camera that sees from straight above, too', () => {
    const above = new OrthographicCamera(-10, 10, 5, -5, 0.1, 100);
    above.position.set(0, 50, 0);
    above.lookAt(0, 0, 0);
    above.updateMatrixWorld();
    const grid = tileGrid(160, 80, 8);
    new TileMarker(above, 160, 80).mark(grid, box(-9.5, 0, -4.5), GROUND);
    // West and north are the left and the top of the picture.
    expect(marked(grid, GROUND)).toEqual(expect.arrayContaining([[0, 9]]));
    expect(marked(grid, GROUND).every(([x, y]) => x < 3 && y > 7)).toBe(true);
  });

  it('are dropped when every pixel in them is settled, also in those that reach over the rim', () => {
    const grid = tileGrid(20, 12, 8);
    grid.flags.fill(GROUND);
    const settled = new Uint8Array(20 * 12).fill(255);
    settled[3 * 20 + 17] = 0;
    settled[11 * 20 + 8] = 0;
    dropSettled(grid, settled, 20, 12);
    expect(marked(grid, GROUND)).toEqual([
      [2, 0],
      [1, 1],
    ]);
  });

  it('are drawn as rows, every asked tile once and no other', () => {
    const grid = tileGrid(64, 32, 8);
    grid.flags.set([1, 1, 0, 1, 3, 1, 1, 0, 0, 0, 0, 0, 0, 0, 0, 1], 0);
    const corners = rows(grid, (flags) => flags === 1);
    const covered = new Uint8Array(grid.flags.length);
    for (let i = 0; i < corners.length; i += 12) {
      const xs = [0, 2, 4, 6, 8, 10].map((k) => corners[i + k]);
      const ys = [1, 3, 5, 7, 9, 11].map((k) => corners[i + k]);
      expect(Math.max(...ys) - Math.min(...ys)).toBe(1);
      for (let x = Math.min(...xs); x < Math.max(...xs); x++) covered[Math.min(...ys) * grid.across + x]++;
    }
    expect([...covered]).toEqual([...grid.flags].map((flags) => (flags === 1 ? 1 : 0)));
    // Three rows: two that a tile of another kind parts, and one at the end of the second.
    expect(corners).toHaveLength(4 * 12);
  });
});
