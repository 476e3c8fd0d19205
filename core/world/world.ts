import { z } from 'zod';
import { readProject, writeProject, type Project } from '../course/project';
import { UplandError } from '../errors';
import { type Field } from '../field/field';
import { fieldOf } from '../course/field-of';
import { groundSchema, spacingOf, type Ground } from '../field/ground';
import { sha256 } from '../field/hash';
import { groundOfWindow, type Window } from '../field/window';
import { statistics } from '../field/statistics';
import { formatById } from '../formats';
import { SAMPLE_TYPES } from '../formats/format';
import { deliver } from '../delivery/heights/deliver';
import type { Encoding } from '../delivery/heights/encode';
import { needsBase, workBase, type BaseStage, type WorldBase } from './base';
import { planWorld, worldTiles, type WorldSize, type WorldTile } from './plan';
import { BASE_OF_WORLD, JSON_OF_WORLD, notAWorld, PROJECT_OF_WORLD, readJson, tileFile, tileNote, writeJson, type WorldStore } from './store';
import { workWindow, type WindowOptions } from './window';

const worldSize = z.int().min(1).max(131_073);
const manifestSchema = z.object({
  format: z.literal('upland-cast world'),
  version: z.literal(1),
  key: z.string().length(64),
  name: z.string().max(300),
  ground: groundSchema.extend({ across: worldSize, down: worldSize }),
  base: groundSchema,
  tile: z.int().min(1),
  encoding: z.object({
    format: z.string(),
    type: z.enum(SAMPLE_TYPES),
    range: z.object({ low: z.number(), high: z.number() }).optional(),
  }),
});

/** What is written of a world when it is begun; all that its tiles are follows from it and the terrain beside it. */
export type WorldManifest = z.output<typeof manifestSchema>;

const noteSchema = z.object({
  key: z.string(),
  sha256: z.string().length(64),
  bytes: z.int(),
  lowest: z.number(),
  highest: z.number(),
  maxAbs: z.number(),
  milliseconds: z.number(),
});

/** What is noted of a tile that is done. */
export type TileNote = z.output<typeof noteSchema>;

export interface World extends WorldManifest {
  tiles: WorldTile[];
  /** Whether some step knows the whole ground, which is then worked out at fewer samples first. */
  based: boolean;
}

export interface WorldOrder extends WorldSize {
  encoding: Encoding;
}

/** Begins a world in an empty store, or goes on with the one that is there, where it is the same. */
export async function beginWorld(
  store: WorldStore,
  { course, assets }: Pick<Project, 'course' | 'assets'>,
  order: WorldOrder,
  goesOn: boolean,
): Promise<World> {
  const { format, type, range } = order.encoding;
  const writer = formatById(format);
  if (!writer.writes.includes(type))
    throw new UplandError('type', `${writer.title} is not written with ${type} samples. It takes ${writer.writes.join(', ')}.`);
  if (!['f32', 'f64'].includes(type) && !range) {
    throw new UplandError(
      'world-range',
      'Tiles of codes need one range for all of them, which cannot be known before they are worked out: say it, such as 0:1200.',
    );
  }
  const encoding = { format, type, ...(range ? { range } : {}) };
  const plan = await planWorld(course, { ...order, encoding });
  const there = await store.read(JSON_OF_WORLD);
  if (there) {
    const world = await openWorld(store);
    if (world.key !== plan.key) {
      throw new UplandError(
        'world-changed',
        `There is another world in this folder (${world.name}, ${world.ground.across} × ${world.ground.down}): the terrain, the samples or the tiles have changed since it was begun. Give another folder.`,
      );
    }
    if (!goesOn) throw new UplandError('world-there', 'This world was begun in this folder already. Go on with it by --resume, or give another folder.');
    return world;
  }
  await store.write(PROJECT_OF_WORLD, writeProject({ course, assets }));
  const manifest: WorldManifest = {
    format: 'upland-cast world',
    version: 1,
    key: plan.key,
    name: course.name,
    ground: plan.ground,
    base: plan.base,
    tile: plan.tile,
    encoding,
  };
  await writeJson(store, JSON_OF_WORLD, manifest);
  return { ...manifest, tiles: plan.tiles, based: needsBase(course, plan.ground) };
}

/** The world in a store. */
export async function openWorld(store: WorldStore): Promise<World> {
  const json = await readJson(store, JSON_OF_WORLD);
  if (json === null) throw new UplandError('no-world', 'There is no world in this folder, or it cannot be read.');
  const parsed = manifestSchema.safeParse(json);
  if (!parsed.success) throw notAWorld(JSON_OF_WORLD);
  const { course } = await projectOf(store);
  return { ...parsed.data, tiles: worldTiles(parsed.data.ground, parsed.data.tile), based: needsBase(course, parsed.data.ground) };
}

async function projectOf(store: WorldStore): Promise<Project> {
  const bytes = await store.read(PROJECT_OF_WORLD);
  if (!bytes) throw notAWorld(PROJECT_OF_WORLD);
  return readProject(bytes);
}

const baseSchema = z.object({
  key: z.string(),
  stages: z.array(z.object({ id: z.string(), fields: z.array(z.object({ name: z.string(), file: z.string(), sha256: z.string() })) })),
});

const ground32 = ({ across, down }: Ground) => 4 * across * down;

/** Works the whole ground out at the base's samples and puts what tiles need of it into the store, once. */
export async function workWorldBase(store: WorldStore, options: Omit<WindowOptions, 'asset'> & { onProgress?: (share: number) => void }): Promise<void> {
  const world = await openWorld(store);
  if (!world.based || (await baseOf(store, world))) return;
  const { course, assets } = await projectOf(store);
  const base = await workBase(course, world.base, {
    ...options,
    asset: assetsIn(assets),
    onProgress: ({ index, count, share }) => options.onProgress?.((index + share) / count),
  });
  const stages: z.output<typeof baseSchema>['stages'] = [];
  for (const [id, { before, change, weights, layers = {} }] of base.stages) {
    const named: [string, Float32Array<ArrayBuffer> | undefined][] = [
      ['before', before],
      ['change', change],
      ['weights', weights],
      ...Object.entries(layers).map(([name, layer]) => [`layer ${name}`, layer] as [string, Float32Array<ArrayBuffer>]),
    ];
    const fields: { name: string; file: string; sha256: string }[] = [];
    for (const [name, values] of named) {
      if (!values) continue;
      const file = `work/base-${stages.length}-${fields.length}.f32`;
      const bytes = new Uint8Array(values.buffer, values.byteOffset, values.byteLength);
      await store.write(file, bytes);
      fields.push({ name, file, sha256: await sha256(bytes) });
    }
    stages.push({ id, fields });
  }
  // Last, so that what it names is there.
  await writeJson(store, BASE_OF_WORLD, { key: world.key, stages });
}

/** Whether what tiles take from the whole ground is noted, without its files being read. */
export async function isBased(store: WorldStore, { key }: WorldManifest): Promise<boolean> {
  const parsed = baseSchema.safeParse(await readJson(store, BASE_OF_WORLD));
  return parsed.success && parsed.data.key === key;
}

/** What tiles take from the whole ground; null where it is not there whole. */
async function baseOf(store: WorldStore, world: WorldManifest): Promise<WorldBase | null> {
  const parsed = baseSchema.safeParse(await readJson(store, BASE_OF_WORLD));
  if (!parsed.success || parsed.data.key !== world.key) return null;
  const stages = new Map<string, BaseStage>();
  for (const { id, fields } of parsed.data.stages) {
    const stage: BaseStage = {};
    for (const { name, file, sha256: sha } of fields) {
      const bytes = await store.read(file);
      if (bytes?.length !== ground32(world.base) || (await sha256(bytes)) !== sha) return null;
      const values = new Float32Array(bytes.slice().buffer);
      if (name === 'before' || name === 'change' || name === 'weights') stage[name] = values;
      else stage.layers = { ...stage.layers, [name.replace(/^layer /, '')]: values };
    }
    stages.set(id, stage);
  }
  return { ground: world.base, stages };
}

/** Works tiles of a world out: what all of them read is read once. */
export class TileWorker {
  private project?: Promise<Project>;
  private base?: Promise<WorldBase | null>;

  constructor(
    private readonly store: WorldStore,
    private readonly world: World,
    private readonly options: Omit<WindowOptions, 'asset'>,
  ) {}

  /** Works a tile out, proves it and notes that it is done; nothing where it was done already. */
  async work(tile: WorldTile): Promise<TileNote> {
    const { store, world } = this;
    const done = await noteOf(store, world, tile);
    if (done) return done;
    const began = performance.now();
    const field = await this.field(tile.window);
    const format = formatById(world.encoding.format);
    const name = tileFile(tile, format.endings[0]);
    const { bytes, beside, proof } = await deliver(field, name, world.encoding, { kernels: this.options.kernels });
    await store.write(name, bytes);
    for (const file of beside) await store.write(`${name.replace(/\.[^./]*$/, '')}${file.ending}`, file.bytes);
    const { lowest, highest } = statistics(field);
    const note: TileNote = {
      key: world.key,
      sha256: proof.sha256,
      bytes: bytes.length,
      lowest,
      highest,
      maxAbs: proof.maxAbs,
      milliseconds: Math.round(performance.now() - began),
    };
    await writeJson(store, tileNote(tile), note);
    return note;
  }

  /** A window of the world as a ground of its own, where it lies. */
  async field(window: Window): Promise<Field> {
    const { course, assets } = await (this.project ??= projectOf(this.store));
    const base = this.world.based ? await (this.base ??= baseOf(this.store, this.world)) : null;
    if (this.world.based && !base)
      throw new UplandError('world-base', 'What the tiles take from the whole ground is missing or damaged. Go on with the world by --resume.');
    const { height, layers } = await workWindow(course, base, this.world.ground, window, { ...this.options, asset: assetsIn(assets) });
    return fieldOf({ ground: placed(this.world.ground, window), height, layers }, this.world.ground);
  }
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

/** What was noted of a tile, where it is done and its file is what it was; null otherwise. */
export async function noteOf(store: WorldStore, world: WorldManifest, tile: WorldTile): Promise<TileNote | null> {
  const parsed = noteSchema.safeParse(await readJson(store, tileNote(tile)));
  if (!parsed.success || parsed.data.key !== world.key) return null;
  const bytes = await store.read(tileFile(tile, formatById(world.encoding.format).endings[0]));
  return bytes && (await sha256(bytes)) === parsed.data.sha256 ? parsed.data : null;
}

/** Whether a tile has a note, without its file being read. */
export async function isNoted(store: WorldStore, world: WorldManifest, tile: WorldTile): Promise<boolean> {
  const parsed = noteSchema.safeParse(await readJson(store, tileNote(tile)));
  return parsed.success && parsed.data.key === world.key;
}

const assetsIn = (assets: Project['assets']) => async (sha: string) => {
  const bytes = assets.get(sha);
  if (!bytes) throw new UplandError('missing-asset', `The asset ${sha.slice(0, 12)}… is not in this terrain.`);
  return bytes;
};
