import { createRequire } from 'node:module';
import { describe, expect, it } from 'vitest';
import { groundOf, largestDifference } from '../../tests/helpers/grounds';
import { finite, kernels, memory, weathered, whole, worked } from '../../tests/helpers/worlds';
import { evaluate } from '../course/evaluate';
import { mapSchema, type MapSpec } from '../course/recipe';
import { defaultCover } from '../delivery/maps/cover';
import { drawMap } from '../delivery/maps/draw';
import type { Ground } from '../field/ground';
import { readHeightmap } from '../formats';
import { decodePlanes } from '../formats/png';
import { glb } from '../mesh/formats/gltf/write';
import type { Mesh } from '../mesh/mesh';
import { finishWorld } from './finish';
import { beginWorld, tileStem, type World } from './manifest';
import type { TilesetTile } from './tileset';

/** The Khronos glTF validator. */
const validator = createRequire(import.meta.url)('gltf-validator') as { validateBytes(bytes: Uint8Array): Promise<{ issues: { numErrors: number } }> };

const map = (spec: object): MapSpec => mapSchema.parse(spec);

/** Maps of all tiles laid beside each other, a value a sample. */
async function laid(files: Map<string, Uint8Array<ArrayBuffer>>, world: World, name: (stem: string) => string, plane = 0): Promise<Float64Array> {
  const { across, down } = world.ground;
  const out = new Float64Array(across * down);
  for (const tile of world.tiles) {
    const file = name(tileStem(world, tile));
    const bytes = files.get(`maps/${file}`)!;
    const values = file.endsWith('.png') ? (await decodePlanes(bytes)).planes[plane] : (await readHeightmap(bytes)).samples;
    const { window } = tile;
    for (let i = 0; i < values.length; i++)
      out[(window.top + Math.floor(i / window.across)) * across + window.left + (i % window.across)] = values[i] as number;
  }
  return out;
}

describe('maps of a world', () => {
  it('are what they are of the whole ground, where they read what lies around', async () => {
    const course = { ...finite('point'), cover: { ...defaultCover(), layers: defaultCover().layers.slice(1) } };
    const maps = [
      { kind: 'slope', depth: '32f' },
      { kind: 'aspect', depth: '32f' },
      { kind: 'normal' },
      { kind: 'mask', use: 't', depth: '32f' },
      { kind: 'weights' },
    ].map(map);
    const { files, world } = await worked(course, { samples: 257, tile: 64, maps });
    const evaluation = await evaluate(course, { kernels, ground: world.ground as Ground });
    for (const [n, name] of [
      [0, 'slope'],
      [3, 'mask-terrace'],
    ] as const) {
      const drawn = await drawMap(maps[n], course, evaluation, course.cover, { kernels });
      if (!('field' in drawn)) throw new Error('no field');
      expect(largestDifference(await laid(files, world, (stem) => `${stem}-${name}.tif`), drawn.field.height), name).toBeLessThan(1e-4);
    }
    for (const [n, name] of [
      [2, 'normal'],
      [4, 'weights'],
    ] as const) {
      const drawn = await drawMap(maps[n], course, evaluation, course.cover, { kernels });
      if (!('images' in drawn)) throw new Error('no picture');
      const { channels, samples } = drawn.images[0].image;
      for (let plane = 0; plane < 3; plane++) {
        const tiles = await laid(files, world, (stem) => `${stem}-${name}.png`, plane);
        expect(
          largestDifference(
            tiles,
            Float64Array.from(tiles, (_, i) => samples[channels * i + plane]),
          ),
          name,
        ).toBeLessThanOrEqual(1);
      }
    }
  });

  it('that know the whole ground are those of the whole at its own samples, and go on without a step between tiles', async () => {
    const maps = [
      { kind: 'flow' },
      { kind: 'ambient', depth: '16' },
      { kind: 'layer', layer: 'cut', depth: '32f' },
      { kind: 'water mask', of: 'all' },
      { kind: 'colour' },
    ].map(map);
    const same = await worked(weathered, { samples: 65, tile: 64, maps });
    const evaluation = await evaluate(weathered, { kernels });
    const drawn = await drawMap(maps[0], weathered, evaluation, defaultCover(), { kernels });
    if (!('field' in drawn)) throw new Error('no field');
    const codes = Float64Array.from(drawn.field.height, (v) => ((v - drawn.low) / (drawn.high - drawn.low)) * 65_535);
    expect(largestDifference(await laid(same.files, same.world, (stem) => `${stem}-flow.png`), codes)).toBeLessThanOrEqual(0.51);

    const { files, world } = await worked(weathered, { samples: 193, tile: 64, maps });
    expect([...files.keys()].filter((name) => name.startsWith('maps/')).length).toBe(5 * 9);
    const shade = await laid(files, world, (stem) => `${stem}-ambient.png`);
    let [across, within] = [0, 0];
    for (let row = 0; row < 193; row++) {
      const step = (x: number) => Math.abs(shade[row * 193 + x] - shade[row * 193 + x - 1]);
      across += step(64) + step(128);
      within += (step(63) + step(65) + step(127) + step(129)) / 2;
    }
    expect(across / within).toBeLessThan(1.1);
    await finishWorld(same.store, same.world);
    const docket = JSON.parse(new TextDecoder().decode(same.files.get('docket.json'))) as {
      maps: { detail: string; highestCode?: number }[];
      tiles: { files: unknown[] }[];
    };
    expect(docket.maps.map(({ detail }) => detail.includes('fewer'))).toEqual([true, true, false, true, false]);
    expect(docket.maps[0].highestCode).toBeCloseTo(drawn.high, 9);
    expect(docket.tiles[0].files.length).toBe(5);
  });
});

describe('tiles of a world', () => {
  it('that share their samples have the same ones on both sides, and are called as was said', async () => {
    const { store, files, world } = await worked(weathered, { samples: 129, tile: 64, shared: true, names: '{name}_{x}_{south:2}' });
    expect([...files.keys()].filter((name) => name.startsWith('tiles/')).sort()).toEqual(['0_00', '0_01', '1_00', '1_01'].map((at) => `tiles/fell_${at}.tif`));
    expect(world.tiles.every(({ window }) => window.across === 65 && window.down === 65)).toBe(true);
    const plain = await worked(weathered, { samples: 129, tile: 64 });
    expect(await whole(store, world)).toEqual(await whole(plain.store, plain.world));
    const { seams } = await finishWorld(store, world);
    expect(seams!.apart).toBe(0);
    expect(seams!.ratio).toBeLessThan(1.1);
    for (const names of ['{name}', 'r{row}', '{x}{y}/a'])
      await expect(
        beginWorld(
          memory().store,
          { course: weathered, assets: new Map() },
          { samples: 129, tile: 64, encoding: { format: 'tiff', type: 'f32' }, names },
          false,
        ),
      ).rejects.toThrow(/one name|cannot hold/);
  });

  it('lie where a receiver wants its samples, on ground that has them elsewhere', async () => {
    const { world } = await worked(weathered, { samples: 128, tile: 64, registration: 'area' });
    expect(world.ground).toMatchObject({ registration: 'area', across: 128, down: 128 });
    expect(world.tiles.map(({ window }) => window.across)).toEqual([64, 64, 64, 64]);
  });

  it('have overviews whose samples are means of those beneath', async () => {
    const { store, files, world } = await worked(finite('area'), { samples: 1200, tile: 256 });
    await finishWorld(store, world);
    const levels = [...files.keys()].filter((name) => /^pyramid\/\d+\.vrt$/.test(name)).sort();
    expect(levels).toEqual(['pyramid/1.vrt', 'pyramid/2.vrt']);
    const all = await whole(store, world);
    const tile = await readHeightmap(files.get('pyramid/2/r001-c001.tif')!);
    expect([tile.width, tile.height]).toEqual([44, 44]);
    let sum = 0;
    for (let y = 0; y < 4; y++) for (let x = 0; x < 4; x++) sum += all[(4 * (256 + 7) + y) * 1200 + 4 * (256 + 11) + x];
    expect(tile.samples[7 * 44 + 11]).toBeCloseTo(sum / 16, 3);
    expect(new TextDecoder().decode(files.get('world.vrt'))).toContain('<SourceFilename relativeToVRT="1">pyramid/1.vrt</SourceFilename>');
  });
});

interface Placed {
  tile: TilesetTile;
  at: number[];
  mesh: Mesh;
  level: number;
}

/** Every mesh of a tileset with where it lies, from the top down. */
async function meshesOf(files: Map<string, Uint8Array<ArrayBuffer>>, name: string, at = [0, 0, 0], level = 0): Promise<Placed[]> {
  const { root } = JSON.parse(new TextDecoder().decode(files.get(name))) as { root: TilesetTile };
  const folder = name.slice(0, name.lastIndexOf('/') + 1);
  const walk = async (tile: TilesetTile, from: number[], deep: number): Promise<Placed[]> => {
    const own = from.map((v, k) => v + (tile.transform?.[12 + k] ?? 0));
    const out: Placed[] = [];
    const { uri } = tile.content!;
    if (uri.endsWith('.json')) out.push(...(await meshesOf(files, folder + uri, own, deep)));
    else out.push({ tile, at: own, mesh: glb.read(files.get(folder + uri)!), level: deep });
    for (const child of tile.children ?? []) out.push(...(await walk(child, own, deep + 1)));
    return out;
  };
  return walk(root, at, level);
}

describe('meshes of a world', () => {
  it('meet to the bit, grow coarser by the error that is said, and hold what is beneath them', async () => {
    const { store, files, world } = await worked(weathered, { samples: 769, tile: 256, meshes: { every: 2, at: null } });
    await finishWorld(store, world);
    const all = await meshesOf(files, 'meshes/tileset.json');
    // 3 × 3 tiles: of 256 samples, two to a face, each one mesh; above them 2 × 2 and one.
    expect(all.map(({ level }) => level).sort()).toEqual([0, 1, 1, 1, 1, ...Array<number>(9).fill(2)]);
    expect((await validator.validateBytes(files.get('meshes/r000-c000/2-0-0.glb')!)).issues.numErrors).toBe(0);
    const heights = await whole(store, world);
    for (const { tile, at, mesh } of all) {
      const [, , , hx, , , , hy, , , , hz] = tile.boundingVolume.box;
      const middle = tile.boundingVolume.box[2];
      const skirt = mesh.positions.length / 3 - 4 * 128;
      let off = 0;
      for (let i = 0; i < skirt; i++) {
        const [x, y, z] = mesh.positions.subarray(3 * i, 3 * i + 3);
        expect(Math.abs(x) <= hx + 1e-3 && Math.abs(z) <= hy + 1e-3 && Math.abs(y - middle) <= hz + 1e-3).toBe(true);
        // East of the middle, and y up: south is −north.
        const [column, row] = [(at[0] + x + 1024) / (2048 / 768), (1024 - (at[1] - z)) / (2048 / 768)].map(Math.round);
        off = Math.max(off, Math.abs(at[2] + y - heights[row * 769 + column]));
      }
      expect(off).toBeLessThan(2e-4);
      for (const child of tile.children ?? []) expect(child.geometricError).toBeLessThanOrEqual(tile.geometricError);
    }
    const edge = (west: Placed, east: Placed) => {
      const column = (of: Placed, at: number) => Array.from({ length: 129 }, (_, row) => Math.fround(of.mesh.positions[3 * (row * 129 + at) + 1] + of.at[2]));
      return largestDifference(column(west, 128), column(east, 0));
    };
    const finest = all.filter(({ level }) => level === 2).sort((a, b) => b.at[1] - a.at[1] || a.at[0] - b.at[0]);
    const north = finest.slice(0, 3).sort((a, b) => a.at[0] - b.at[0]);
    expect(edge(north[0], north[1])).toBeLessThan(1e-4);
    expect(edge(north[1], north[2])).toBeLessThan(1e-4);
    const errors = [0, 1, 2].map((level) => Math.max(...all.filter((m) => m.level === level).map((m) => m.tile.geometricError)));
    expect(errors[0]).toBeGreaterThan(errors[1]);
    expect(errors[1]).toBeGreaterThan(errors[2]);
    expect(errors[2]).toBeGreaterThan(0);
  });

  it('say what tiles cannot be halved into them', async () => {
    const begin = (tile: number, every: 1 | 2) =>
      beginWorld(
        memory().store,
        { course: { ...weathered, ground: groundOf(65, 65, 32) }, assets: new Map() },
        { samples: 769, tile, encoding: { format: 'tiff', type: 'f32' }, meshes: { every, at: null } },
        false,
      );
    await expect(begin(192, 1)).rejects.toThrow(/128 samples a side or twice as many/);
    await expect(begin(128, 2)).rejects.toThrow(/256 samples a side/);
    await begin(256, 1);
  });
});
