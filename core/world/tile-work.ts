import { z } from 'zod';
import { fieldOf } from '../course/field-of';
import type { Project } from '../course/project';
import { deliver, nameBeside } from '../delivery/heights/deliver';
import { writeMap } from '../delivery/maps/draw';
import { readPicture } from '../delivery/maps/picture';
import { mapName } from '../delivery/order/names';
import { UplandError } from '../errors';
import type { Field } from '../field/field';
import { spacingOf, type Ground } from '../field/ground';
import { sha256 } from '../field/hash';
import { statistics } from '../field/statistics';
import { cropSamples, groundOfWindow, type Window } from '../field/window';
import type { LineHeights } from '../course/run-step';
import type { WorldBase } from './base';
import { baseOf } from './base-store';
import { assetsIn } from './assets';
import { FineStore, layersRead } from './fine-store';
import { projectOf, tileFile, tileStem, type World } from './manifest';
import { drawTileMap, windowOfMaps } from './maps';
import { reachOfMeshes, treeSchema, writeTileMeshes, type TileTree } from './meshes';
import type { WorldTile } from './plan';
import { readJson, tileNote, writeJson, type WorldStore } from './store';
import { mappedLayers, WindowWork, type WindowOptions } from './window';

const fileSchema = z.object({ name: z.string(), sha256: z.string().length(64), bytes: z.int() });

const noteSchema = z.object({
  key: z.string(),
  sha256: z.string().length(64),
  bytes: z.int(),
  lowest: z.number(),
  highest: z.number(),
  maxAbs: z.number(),
  /** Its maps and meshes, and the trees of those. */
  files: z.array(fileSchema).default([]),
  trees: z.array(treeSchema).default([]),
  milliseconds: z.number(),
});

/** What is noted of a tile that is done. */
export type TileNote = z.output<typeof noteSchema>;

/** Works tiles of a world out: what all of them read is read once. */
export class TileWorker {
  private readonly squares: FineStore;
  private shared?: Promise<{ project: Project; base: WorldBase | null }>;

  constructor(
    private readonly store: WorldStore,
    private readonly world: World,
    private readonly options: Omit<WindowOptions, 'asset' | 'fine'> & { onSquare?: () => void },
  ) {
    this.squares = new FineStore(store, world.key, undefined, options.onSquare);
  }

  /** Works a tile out, proves it and its maps and notes that it is done; nothing where it was done already. */
  async work(tile: WorldTile): Promise<TileNote> {
    const { store, world } = this;
    const done = await noteOf(store, world, tile);
    if (done) return done;
    const began = performance.now();
    const { course } = (await this.whole()).project;
    const wide = windowOfMaps(world.maps, course, world.ground, tile.window, reachOfMeshes(world));
    const work = await this.windows();
    const end = await work.end(wide);
    const field = this.fieldOf(tile.window, cropped(end, wide, tile.window));
    const name = tileFile(world, tile);
    const { bytes, beside, proof } = await deliver(field, name, world.encoding, { kernels: this.options.kernels });
    await store.write(name, bytes);
    for (const file of beside) await store.write(nameBeside(name, file.ending), file.bytes);
    const { trees, files } = await this.meshes(tile, wide, end);
    files.push(...(await this.maps(tile, wide, end, work)));
    const { lowest, highest } = statistics(field);
    const note: TileNote = {
      key: world.key,
      sha256: proof.sha256,
      bytes: bytes.length,
      lowest,
      highest,
      maxAbs: proof.maxAbs,
      files,
      trees,
      milliseconds: Math.round(performance.now() - began),
    };
    await writeJson(store, tileNote(tile), note);
    return note;
  }

  private async meshes(tile: WorldTile, wide: Window, { height }: LineHeights): Promise<{ trees: TileTree[]; files: TileNote['files'] }> {
    const { store, world } = this;
    if (!world.meshes) return { trees: [], files: [] };
    const { datum } = world.ground;
    const lines = (from: number, count: number) => Int32Array.from({ length: count }, (_, k) => from + k);
    const heights = { columns: lines(wide.left, wide.across), rows: lines(wide.top, wide.down), height: datum === 0 ? height : height.map((h) => h + datum) };
    return writeTileMeshes(store, world, tile, heights);
  }

  private async maps(tile: WorldTile, wide: Window, end: LineHeights, work: WindowWork): Promise<TileNote['files']> {
    const { store, world, options } = this;
    const { project, base } = await this.whole();
    const { course, assets } = project;
    const asset = assetsIn(assets);
    const files: TileNote['files'] = [];
    const named = new Set<string>();
    for (const [n, spec] of world.maps.entries()) {
      const of = { course, ground: world.ground, base: base!, work, tile: tile.window, wide, end };
      const drawn = await drawTileMap(spec, n, of, { ...options, asset, picture: async (sha) => readPicture(await asset(sha)) });
      for (const file of await writeMap({ ...spec, file: mapName(spec, course, named), as: world.mapsAs }, drawn, tileStem(world, tile))) {
        await store.write(`maps/${file.name}`, file.bytes);
        files.push({ name: `maps/${file.name}`, sha256: file.proof.sha256, bytes: file.bytes.length });
      }
    }
    return files;
  }

  /** A window of the world as a ground of its own, where it lies. */
  async field(window: Window): Promise<Field> {
    return this.fieldOf(window, await (await this.windows()).end(window));
  }

  private fieldOf(window: Window, { height, layers }: LineHeights): Field {
    return fieldOf({ ground: placed(this.world.ground, window), height, layers }, this.world.ground);
  }

  private async windows(): Promise<WindowWork> {
    const { project, base } = await this.whole();
    const { fine: windows, maps, ground } = this.world;
    const fine = windows ? { windows, kept: this.squares, layers: layersRead(project.course, maps) } : undefined;
    return new WindowWork(project.course, base, ground, { ...this.options, asset: assetsIn(project.assets), fine });
  }

  private async whole(): Promise<{ project: Project; base: WorldBase | null }> {
    const { store, world } = this;
    this.shared ??= (async () => {
      const base = world.based ? await baseOf(store, world) : null;
      if (world.based && !base)
        throw new UplandError('world-base', 'What the tiles take from the whole ground is missing or damaged. Go on with the world by --resume.');
      return { project: await projectOf(store), base };
    })();
    return this.shared;
  }
}

function cropped({ height, layers }: LineHeights, wide: Window, window: Window): LineHeights {
  const inner = { ...window, left: window.left - wide.left, top: window.top - wide.top };
  const cut = (values: Float32Array<ArrayBuffer>) => cropSamples(values, wide.across, inner);
  return { height: cut(height), layers: mappedLayers(layers, cut) };
}

/** The ground of a window, with its corner where it lies on the map of the whole. */
function placed(ground: Ground, window: Window): Ground {
  const { x, y } = spacingOf(ground);
  const place = ground.georeference ?? { west: 0, north: ground.depth, crs: '' };
  const per = place.perMetre ?? { x: 1, y: 1 };
  return {
    ...groundOfWindow(ground, window),
    georeference: { ...place, west: place.west + window.left * x * per.x, north: place.north - window.top * y * per.y },
  };
}

/** What was noted of a tile, where it is done and its files are what they were; null otherwise. */
export async function noteOf(store: WorldStore, world: World, tile: WorldTile): Promise<TileNote | null> {
  const note = await noteIn(store, world, tile);
  if (!note) return null;
  for (const { name, sha256: sha } of [{ name: tileFile(world, tile), sha256: note.sha256 }, ...note.files]) {
    const bytes = await store.read(name);
    if (!bytes || (await sha256(bytes)) !== sha) return null;
  }
  return note;
}

/** Takes the note of a tile back, so that it is worked out anew. */
export const discardNote = (store: WorldStore, tile: WorldTile): Promise<void> => writeJson(store, tileNote(tile), {});

/** What was noted of a tile, without its files being read; null where it is not done. */
export async function noteIn(store: WorldStore, world: Pick<World, 'key'>, tile: WorldTile): Promise<TileNote | null> {
  const parsed = noteSchema.safeParse(await readJson(store, tileNote(tile)));
  return parsed.success && parsed.data.key === world.key ? parsed.data : null;
}

/** Whether a tile has a note, without its files being read. */
export async function isNoted(store: WorldStore, world: Pick<World, 'key'>, tile: WorldTile): Promise<boolean> {
  return (await noteIn(store, world, tile)) !== null;
}
