import { z } from 'zod';
import { UplandError } from '../errors';
import { makeField, type Field } from '../field/field';
import { spacingOf } from '../field/ground';
import { cropSamples, type Window } from '../field/window';
import { readHeightmap } from '../formats';
import { toField } from '../formats/heights';
import { encode, metresPerCode } from '../delivery/heights/encode';
import { MAPS } from '../delivery/maps/draw';
import { baseOf } from './base-store';
import { discardSquares } from './fine-store';
import { projectOf, tileFile, type World } from './manifest';
import { UpperMeshes } from './meshes';
import { Overview } from './overview';
import { Pyramid } from './pyramid';
import { Seams, type SeamProof } from './seams';
import { noteIn, noteOf, type TileNote } from './tile-work';
import { readJson, writeJson, type WorldStore } from './store';
import type { WorldTile } from './plan';
import { virtualRaster } from './virtual-raster';

export interface FinishedWorld {
  tiles: number;
  lowest: number;
  highest: number;
  seams: SeamProof | null;
  /** Names of what was written beside the tiles, their maps and meshes. */
  files: string[];
}

/**
 * Puts a world together when all of its tiles are done: reads every one back, holds it against what was noted of it, measures the
 * borders, and writes the overviews, the virtual raster over the tiles, the coarser meshes and one docket. Refuses while a tile is missing
 * or altered.
 */
export async function finishWorld(store: WorldStore, world: World, onProgress: (share: number) => void = () => undefined): Promise<FinishedWorld> {
  const { ground } = world;
  const seams = new Seams(world.shared, world.encoding.range ? metresPerCode(world.encoding.type, world.encoding.range) : 0);
  const overview = new Overview(ground);
  const pyramid = new Pyramid(store, ground, world.tile);
  const meshes = world.meshes && new UpperMeshes(world);
  const notes: (WorldTile & TileNote)[] = [];
  for (const tile of world.tiles) {
    const note = await noteOf(store, world, tile);
    if (!note)
      throw new UplandError(
        'world-tile-lost',
        `The tile ${tileFile(world, tile)} is missing, or it is not what it was. Go on with the world by --resume: it is worked out anew.`,
      );
    notes.push({ ...tile, ...note });
    const field = await tileField(store, world, tile);
    seams.take(tile, field);
    meshes?.take(tile, field, note.trees);
    const [window, own] = ownOf(world, tile, field);
    overview.take(window, own);
    await pyramid.take(window, own);
    onProgress(notes.length / world.tiles.length);
  }
  const proof = seams.proof();
  if (proof && proof.apart > 0)
    throw new UplandError(
      'proof-failed',
      `Two tiles differ in the samples that both have, by up to ${proof.apart} m. Work the world out anew in another folder.`,
    );
  const lowest = Math.min(...notes.map((n) => n.lowest));
  const highest = Math.max(...notes.map((n) => n.highest));
  const levels = await pyramid.finish();
  const files = ['overview.tif', ...levels];
  await store.write('overview.tif', (await encode(overview.field(), { format: 'tiff', type: 'f32' })).bytes);
  // Raw bytes say nothing of themselves, so that no virtual raster can be laid over them.
  if (world.encoding.format !== 'raw') {
    const sources = world.tiles.map((tile) => ({ file: tileFile(world, tile), window: tile.window }));
    // Overviews hold metres: of codes they would be other numbers.
    const overviews = world.encoding.range ? [] : levels;
    await store.write('world.vrt', new TextEncoder().encode(virtualRaster({ ground, encoding: world.encoding, sources, overviews })));
    files.push('world.vrt');
  }
  if (meshes) files.push(...(await meshes.finish(store)));
  files.push('docket.json');
  const found = { tiles: notes.length, lowest, highest, seams: proof, files };
  await writeJson(store, 'docket.json', await docketOf(store, world, notes, found));
  await discardSquares(store, world, (await projectOf(store)).course);
  return found;
}

const docketSchema = z.object({
  key: z.string(),
  lowest: z.number(),
  highest: z.number(),
  seams: z.object({ pairs: z.number(), across: z.number(), within: z.number(), ratio: z.number(), apart: z.number() }).nullable(),
  files: z.array(z.string()),
  tiles: z.array(z.object({ sha256: z.string() })),
});

/** What came of a world that was put together; null where it was not, or its tiles are others since. */
export async function finishedIn(store: WorldStore, world: World): Promise<FinishedWorld | null> {
  const parsed = docketSchema.safeParse(await readJson(store, 'docket.json'));
  if (!parsed.success || parsed.data.key !== world.key) return null;
  const { lowest, highest, seams, files, tiles } = parsed.data;
  for (const [i, tile] of world.tiles.entries()) if ((await noteIn(store, world, tile))?.sha256 !== tiles.at(i)?.sha256) return null;
  return { tiles: tiles.length, lowest, highest, seams, files };
}

async function docketOf(store: WorldStore, world: World, notes: (WorldTile & TileNote)[], { lowest, highest, seams, files: written }: FinishedWorld) {
  const { ground, encoding, shared, name } = world;
  const base = world.based ? await baseOf(store, world) : null;
  return {
    format: 'upland-cast world docket',
    key: world.key,
    name,
    samples: { across: ground.across, down: ground.down },
    metres: { width: ground.width, depth: ground.depth },
    spacing: spacingOf(ground),
    registration: ground.registration,
    encoding,
    shared,
    lowest,
    highest,
    base: world.based ? { across: world.base.across, down: world.base.down } : null,
    seams,
    files: written,
    maps: world.maps.map((spec, n) => {
      const { low, high, unit, words } = base!.maps[n];
      const codes = 'depth' in spec && spec.depth !== '32f' ? { lowestCode: low, highestCode: high } : {};
      return {
        ...spec,
        title: MAPS[spec.kind].title,
        unit,
        ...codes,
        words,
        detail: base!.maps[n].values ? 'of the whole ground at fewer samples' : 'of every sample',
      };
    }),
    tiles: notes.map(({ row, column, window, sha256, bytes, lowest: low, highest: high, maxAbs, files }) => ({
      file: tileFile(world, { row, column }),
      row,
      column,
      window,
      sha256,
      bytes,
      lowest: low,
      highest: high,
      maxAbs,
      files,
    })),
  };
}

/** A tile as it is read back. */
export async function tileField(store: WorldStore, world: World, tile: WorldTile): Promise<Field> {
  const name = tileFile(world, tile);
  const bytes = await store.read(name);
  if (!bytes) throw new UplandError('world-tile-lost', `The tile ${name} is missing. Go on with the world by --resume.`);
  const { type, range, format, options } = world.encoding;
  const { across, down } = tile.window;
  // Bytes that say nothing of themselves lie as they were written.
  const as = format === 'raw' ? `raw:${type}:${options?.order ?? 'le'}:${across}x${down}:rows=${options?.rows ?? 'north'}` : undefined;
  return toField(await readHeightmap(bytes, as), { range });
}

/** A tile without the samples that it has in common with those before it. */
function ownOf({ shared }: World, { row, column, window }: WorldTile, field: Field): [Window, Field] {
  const [x, y] = [shared && column > 0 ? 1 : 0, shared && row > 0 ? 1 : 0];
  if (x === 0 && y === 0) return [window, field];
  const inner = { left: x, top: y, across: window.across - x, down: window.down - y };
  const own = { ...field.ground, across: inner.across, down: inner.down };
  const valid = field.valid && (cropSamples(field.valid, window.across, inner) as Uint8Array<ArrayBuffer>);
  return [{ ...inner, left: window.left + x, top: window.top + y }, makeField(own, cropSamples(field.height, window.across, inner), valid)];
}
