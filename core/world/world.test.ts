import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { firstWrong, groundOf } from '../../tests/helpers/grounds';
import { everywhere, F32, finite, kernels, memory, weathered, whole, worked } from '../../tests/helpers/worlds';
import { evaluate } from '../course/evaluate';
import { stepUse, type Course } from '../course/schema';
import type { Ground } from '../field/ground';
import { wholeOf } from '../field/window';
import { finishWorld } from './finish';
import { planWorld, worldGround, worldTiles } from './plan';
import { upsampled } from './upsample';
import { workWorldBase } from './base-store';
import { beginWorld, openWorld } from './manifest';
import { isNoted, noteOf, TileWorker } from './tile-work';

describe('a world in tiles', () => {
  it.each(['point', 'area'] as const)('is bit for bit what the whole is, where steps have a finite reach (%s)', async (registration) => {
    const course = finite(registration);
    const samples = registration === 'point' ? 257 : 256;
    const { store, world } = await worked(course, { samples, tile: 64 });
    expect(world.tiles.length).toBe(16);
    expect(world.based).toBe(false);
    const { height } = await evaluate(course, { kernels, ground: world.ground as Ground });
    expect(await whole(store, world)).toEqual(height);
  });

  it('with weather lies by the ground that is worked out in one piece, and no border can be told', async () => {
    const { store, world } = await worked(weathered, { samples: 129, tile: 64 });
    expect(world.based).toBe(true);
    const seen = await evaluate(weathered, { kernels });
    const { height } = await evaluate(weathered, { kernels, ground: world.ground as Ground, seen });
    const tiles = await whole(store, world);
    let [sum, low, high] = [0, Infinity, -Infinity];
    for (let i = 0; i < height.length; i++) {
      sum += (tiles[i] - height[i]) ** 2;
      low = Math.min(low, height[i]);
      high = Math.max(high, height[i]);
    }
    const apart = Math.sqrt(sum / height.length) / (high - low);
    const { seams } = await finishWorld(store, world);
    console.log(
      `measured: tiles with weather: ${(100 * apart).toFixed(2)} % of the range from the whole; steps across borders ${seams!.ratio.toFixed(3)} times those beside`,
    );
    expect(apart).toBeLessThan(0.02);
    expect(seams!.ratio).toBeLessThan(1.1);
  });

  it('has the same bytes in any order, and does nothing twice that is kept', async () => {
    const one = await worked(weathered, { samples: 129, tile: 64 });
    const other = await worked(weathered, { samples: 129, tile: 64 }, (tiles) => [...tiles].reverse());
    const notes = (files: Map<string, Uint8Array>) => [...files].filter(([name]) => name.startsWith('tiles/')).sort(([a], [b]) => (a < b ? -1 : 1));
    expect(notes(other.files)).toEqual(notes(one.files));
    const before = one.written.length;
    await workWorldBase(one.store, { kernels });
    const worker = new TileWorker(one.store, one.world, { kernels });
    for (const tile of one.world.tiles) await worker.work(tile);
    expect(one.written.length).toBe(before);
  });

  it('finds what was altered or lost, refuses to put it together, and mends it', async () => {
    const { store, files, world } = await worked(finite('point'), { samples: 129, tile: 64 });
    const [first, second] = world.tiles;
    const good = files.get('tiles/r000-c000.tif')!.slice();
    files.get('tiles/r000-c000.tif')![2000] ^= 1;
    files.delete('tiles/r000-c001.tif');
    expect(await noteOf(store, world, first)).toBeNull();
    // A note alone says nothing of the file.
    expect(await isNoted(store, world, first)).toBe(true);
    await expect(finishWorld(store, world)).rejects.toThrow(/tiles\/r000-c000\.tif is missing, or it is not what it was/);
    expect(files.has('docket.json')).toBe(false);
    const worker = new TileWorker(store, world, { kernels });
    for (const tile of [first, second]) await worker.work(tile);
    expect(files.get('tiles/r000-c000.tif')).toEqual(good);
    const found = await finishWorld(store, world);
    expect(found.tiles).toBe(4);
    const docket = JSON.parse(new TextDecoder().decode(files.get('docket.json'))) as { tiles: unknown[] };
    expect(docket.tiles.length).toBe(4);
  });

  it('is one of its folder: another terrain, other samples, or no word of going on are said', async () => {
    const { store } = await worked(finite('point'), { samples: 129, tile: 64 });
    const begin = (course: Course, samples: number, goesOn: boolean, tile = 64) =>
      beginWorld(store, { course, assets: new Map() }, { samples, tile, encoding: F32 }, goesOn);
    await expect(begin(finite('point'), 129, false)).rejects.toThrow(/begun in this folder already/);
    await expect(begin(weathered, 129, true)).rejects.toThrow(/another world in this folder/);
    await expect(begin(finite('point'), 257, true)).rejects.toThrow(/another world/);
    await expect(begin(finite('point'), 129, true, 32)).rejects.toThrow(/64 to 8192/);
    expect((await begin(finite('point'), 129, true)).tiles.length).toBe(4);
  });

  it('says what it cannot be: too few or too many samples, codes without a range, a step that cannot be done, a damaged folder', async () => {
    const course = finite('point');
    await expect(planWorld(course, { samples: 8, tile: 64, encoding: F32, aside: { shared: false } })).rejects.toThrow(/16 to 131073/);
    await expect(planWorld(course, { samples: 131_074, tile: 64, encoding: F32, aside: { shared: false } })).rejects.toThrow(/131073/);
    const fresh = (encoding: object) =>
      beginWorld(memory().store, { course, assets: new Map() }, { samples: 129, tile: 64, encoding: encoding as never }, false);
    await expect(fresh({ format: 'png', type: 'u16' })).rejects.toThrow(/one range for all of them/);
    await expect(fresh({ format: 'png', type: 'f32' })).rejects.toThrow(/not written with f32/);
    const faulty = everywhere('point', stepUse('join', { tributary: 'nobody' }, { id: 'x' }), stepUse('fluvial', {}, { id: 'f' }));
    const { store, files } = memory();
    await beginWorld(store, { course: faulty, assets: new Map() }, { samples: 129, tile: 64, encoding: F32 }, false);
    await expect(workWorldBase(store, { kernels })).rejects.toThrow(/cannot be done/);
    for (const text of ['', '{', '{"format":"upland-cast world"}', JSON.stringify({ format: 'upland-cast world', version: 9 })]) {
      files.set('world.json', new TextEncoder().encode(text));
      await expect(openWorld(store)).rejects.toThrow(/no world in this folder|not of a world/);
    }
  });

  it('takes nothing from a whole ground that was altered', async () => {
    const { store, files, world } = await worked(weathered, { samples: 129, tile: 64 });
    const base = [...files.keys()].find((name) => name.endsWith('.f32'))!;
    files.get(base)![9] ^= 4;
    files.delete('work/r000-c000.json');
    await expect(new TileWorker(store, world, { kernels }).work(world.tiles[0])).rejects.toThrow(/missing or damaged/);
    await workWorldBase(store, { kernels });
    await new TileWorker(store, world, { kernels }).work(world.tiles[0]);
  });
});

describe('the plan of a world', () => {
  it('has every sample in one tile, however large it is', () => {
    fc.assert(
      fc.property(fc.integer({ min: 16, max: 131_073 }), fc.integer({ min: 64, max: 8192 }), fc.boolean(), (samples, tile, point) => {
        const ground = worldGround({ ...groundOf(65, 65, 8), registration: point ? 'point' : 'area' }, samples);
        const tiles = worldTiles(ground, Math.max(tile, Math.ceil(samples / 60)));
        expect(tiles.reduce((sum, { window }) => sum + window.across * window.down, 0)).toBe(ground.across * ground.down);
        for (const { row, column, window } of tiles) {
          const east = tiles.find((t) => t.row === row && t.column === column + 1);
          const south = tiles.find((t) => t.row === row + 1 && t.column === column);
          expect(east?.window.left ?? ground.across).toBe(window.left + window.across);
          expect(south?.window.top ?? ground.down).toBe(window.top + window.down);
        }
      }),
      { numRuns: 40 },
    );
  });
});

describe('a coarser grid over a window of a finer one', () => {
  const coarse = groundOf(17, 13, 64);
  const fine = { ...coarse, across: 129, down: 97 };
  const values = Float32Array.from({ length: 17 * 13 }, (_, i) => Math.fround(Math.sin(i) * 100));

  it('gives a sample the same bits whatever window it lies in, and the coarser ones where they are', () => {
    const all = upsampled(values, coarse, fine, wholeOf(fine));
    for (const window of [
      { left: 0, top: 0, across: 40, down: 97 },
      { left: 39, top: 11, across: 64, down: 30 },
      { left: 128, top: 96, across: 1, down: 1 },
    ]) {
      const piece = upsampled(values, coarse, fine, window);
      const { across } = window;
      const inAll = (i: number) => all[(window.top + Math.floor(i / across)) * 129 + window.left + (i % across)];
      expect(firstWrong(piece.length, (i) => piece[i] === inAll(i))).toBe(-1);
    }
    for (let row = 0; row < 13; row++) for (let x = 0; x < 17; x++) expect(all[row * 8 * 129 + x * 8]).toBeCloseTo(values[row * 17 + x], 4);
  });

  it('leaves a plane a plane, to its edges', () => {
    const plane = values.map((_, i) => 3 * (i % 17) - 2 * Math.floor(i / 17));
    const all = upsampled(plane, coarse, fine, wholeOf(fine));
    for (let row = 0; row < 97; row++) for (let x = 0; x < 129; x++) expect(all[row * 129 + x]).toBeCloseTo((3 * x) / 8 - (2 * row) / 8, 4);
  });
});
