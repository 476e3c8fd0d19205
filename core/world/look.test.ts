import { describe, expect, it } from 'vitest';
import { kernels, weathered, whole, worked } from '../../tests/helpers/worlds';
import { finishWorld } from './finish';
import { WorldReader } from './look';
import { beginWorld } from './manifest';
import { TileWorker } from './tile-work';
import { workWorldBase } from './base-store';
import { memory } from '../../tests/helpers/worlds';

describe('a look into a world', () => {
  it('has the samples of its tiles, across their borders, and means of them from afar', async () => {
    const { store, world } = await worked(weathered, { samples: 769, tile: 256 });
    const all = await whole(store, world);
    const reader = new WorldReader(store, world);
    const near = await reader.heights({ left: 250, top: 500, across: 20, down: 30 }, 1);
    for (let row = 0; row < 30; row++) for (let column = 0; column < 20; column++) expect(near[row * 20 + column]).toBe(all[(500 + row) * 769 + 250 + column]);
    const thinned = await reader.heights({ left: 0, top: 0, across: 193, down: 193 }, 4);
    expect(thinned[100 * 193 + 77]).toBe(all[400 * 769 + 308]);
    // Once there are overviews they are read.
    await finishWorld(store, world);
    const half = await new WorldReader(store, world).heights({ left: 200, top: 100, across: 60, down: 40 }, 2);
    const mean = (row: number, column: number) =>
      (all[row * 769 + column] + all[row * 769 + column + 1] + all[(row + 1) * 769 + column] + all[(row + 1) * 769 + column + 1]) / 4;
    expect(half[7 * 60 + 31]).toBeCloseTo(mean(114, 262), 3);
    expect(reader.groundOf({ left: 0, top: 0, across: 60, down: 40 }, 2).width).toBeCloseTo((60 * 2 * 2048) / 768, 9);
  });

  it('has nothing where a tile is not done, nor beyond the ground, and takes no more than a page can draw', async () => {
    const there = memory();
    const world = await beginWorld(
      there.store,
      { course: weathered, assets: new Map() },
      { samples: 129, tile: 64, encoding: { format: 'tiff', type: 'f32' } },
      false,
    );
    await workWorldBase(there.store, { kernels });
    await new TileWorker(there.store, world, { kernels }).work(world.tiles[1]);
    const reader = new WorldReader(there.store, world);
    const seen = await reader.heights({ left: -4, top: -4, across: 70, down: 70 }, 2);
    const known = (column: number, row: number) => !Number.isNaN(seen[row * 70 + column]);
    // The north-eastern tile: columns 64 to 128, rows 0 to 63.
    expect([known(33, 10), known(34, 10), known(66, 33), known(66, 34), known(67, 10), known(40, 1)]).toEqual([false, true, true, false, false, false]);
    for (const [across, stride] of [
      [0, 1],
      [3000, 1],
      [10, 3],
      [10, 0],
    ])
      await expect(reader.heights({ left: 0, top: 0, across, down: 10 }, stride)).rejects.toThrow(/every one, or every second/);
  });
});
