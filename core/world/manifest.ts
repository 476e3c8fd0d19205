import { z } from 'zod';
import { readProject, writeProject, type Project } from '../course/project';
import { mapSchema, orderSchema } from '../course/recipe';
import type { Course } from '../course/schema';
import type { Encoding } from '../delivery/heights/encode';
import { badName, safeName } from '../delivery/heights/receivers';
import { tileName } from '../delivery/heights/tiles';
import { UplandError } from '../errors';
import { groundSchema } from '../field/ground';
import { formatById } from '../formats';
import { SAMPLE_TYPES } from '../formats/format';
import { AS_PNG } from '../formats/picture';
import { needsBase } from './base';
import { USUAL_WINDOWS } from './fine-weather';
import { stridesOfTile } from './mesh-nodes';
import { planWorld, rowsOf, worldTiles, type WorldPlan, type WorldSize, type WorldTile } from './plan';
import { JSON_OF_WORLD, notAWorld, PROJECT_OF_WORLD, readJson, writeJson, type WorldStore } from './store';

const worldSide = z.int().min(1).max(131_073);

const meshesSchema = z.object({
  /** Samples from vertex to vertex at the finest level. */
  every: z.union([z.literal(1), z.literal(2), z.literal(4), z.literal(8)]),
  /** Where the middle of the ground lies on the Earth, degrees on WGS 84; null: in a space of its own. */
  at: z.object({ longitude: z.number().min(-180).max(180), latitude: z.number().min(-90).max(90) }).nullable(),
});

const fineSchema = z
  .object({ side: z.int().min(64).max(8_192), margin: z.int().min(0).max(2_048) })
  // Neighbours change over into one another within half a square.
  .refine(({ side, margin }) => margin <= side, 'The margin of a square is no wider than its side.');

/** What is written of a world beside its heights, and how its tiles are called. */
const asideSchema = z.object({
  /** Neighbours have the samples between them both, so that what takes tiles has no gap there. */
  shared: z.boolean().default(false),
  /** How tiles are called: {x} and {y} count from 0 in the north-west, {column} and {row} from 1, {south} from 0 in the south; {x:3} has three digits. */
  names: z.string().min(1).max(120).default('r{y:3}-c{x:3}'),
  maps: z.array(mapSchema).max(24).default([]),
  mapsAs: orderSchema.shape.mapsAs,
  meshes: meshesSchema.nullable().default(null),
  /** Squares of the ground over which weather goes on from the base to the world's own samples, and what they are grown by; null: it is the base's alone. */
  fine: fineSchema.nullable().default(USUAL_WINDOWS),
});
export type WorldAside = z.input<typeof asideSchema>;

const encodingSchema = z.object({
  format: z.string(),
  type: z.enum(SAMPLE_TYPES),
  range: z.object({ low: z.number(), high: z.number() }).optional(),
  options: z
    .object({
      order: z.enum(['le', 'be']).optional(),
      rows: z.enum(['north', 'south']).optional(),
      compression: z.enum(['none', 'deflate']).optional(),
      cloud: z.boolean().optional(),
    })
    .optional(),
});

const manifestSchema = asideSchema.extend({
  format: z.literal('upland-cast world'),
  version: z.literal(1),
  key: z.string().length(64),
  name: z.string().max(300),
  ground: groundSchema.extend({ across: worldSide, down: worldSide }),
  base: groundSchema,
  tile: z.int().min(1),
  encoding: encodingSchema,
  // A world of before there were squares goes on as it was begun.
  fine: fineSchema.nullable().default(null),
});

/** What is written of a world when it is begun; all that its tiles are follows from it and the terrain beside it. */
export type WorldManifest = z.output<typeof manifestSchema>;

export interface World extends WorldManifest {
  tiles: WorldTile[];
  /** Whether something knows the whole ground, which is then worked out at fewer samples first. */
  based: boolean;
}

export interface WorldOrder extends WorldSize, WorldAside {
  encoding: Encoding;
}

/** An order as it comes from elsewhere. */
export const worldOrderSchema = asideSchema.extend({
  samples: z.int().min(16).max(131_073),
  tile: z.int().min(1),
  base: z.int().min(16).optional(),
  registration: z.enum(['point', 'area']).optional(),
  encoding: encodingSchema,
});

/** What is made of a course by an order. Refuses what cannot be. */
export async function planOfOrder(
  course: Course,
  order: WorldOrder,
): Promise<{ plan: WorldPlan; written: Pick<WorldManifest, 'encoding' | keyof WorldAside> }> {
  const { format, type, range, options } = order.encoding;
  const writer = formatById(format);
  if (!writer.writes.includes(type))
    throw new UplandError('type', `${writer.title} is not written with ${type} samples. It takes ${writer.writes.join(', ')}.`);
  if (!['f32', 'f64'].includes(type) && !range) {
    throw new UplandError(
      'world-range',
      'Tiles of codes need one range for all of them, which cannot be known before they are worked out: say it, such as 0:1200.',
    );
  }
  const encoding = { format, type, ...(range ? { range } : {}), ...(options ? { options } : {}) };
  const { shared, names, maps, mapsAs, meshes, fine } = order;
  const aside = asideSchema.parse({ shared, names, maps, mapsAs: mapsAs ?? AS_PNG, meshes, fine });
  const plan = await planWorld(course, { ...order, encoding, aside });
  refuseNames(aside.names, course.name, plan.tiles);
  if (aside.meshes) stridesOfTile(plan.tile, aside.meshes.every);
  return { plan, written: { encoding, ...aside } };
}

/** Begins a world in an empty store, or goes on with the one that is there, where it is the same. */
export async function beginWorld(
  store: WorldStore,
  { course, assets }: Pick<Project, 'course' | 'assets'>,
  order: WorldOrder,
  goesOn: boolean,
): Promise<World> {
  const { plan, written } = await planOfOrder(course, order);
  if (await store.has(JSON_OF_WORLD)) {
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
    ...written,
  };
  await writeJson(store, JSON_OF_WORLD, manifest);
  return { ...manifest, tiles: plan.tiles, based: needsBase(course, plan.ground) || written.maps.length > 0 };
}

/** The world in a store. */
export async function openWorld(store: WorldStore): Promise<World> {
  const manifest = await manifestIn(store);
  const { course } = await projectOf(store);
  const { ground, tile, shared, maps } = manifest;
  return { ...manifest, tiles: worldTiles(ground, tile, shared), based: needsBase(course, ground) || maps.length > 0 };
}

/** What was written of a world when it was begun, without its terrain being read. */
export async function manifestIn(store: WorldStore): Promise<WorldManifest> {
  const json = await readJson(store, JSON_OF_WORLD);
  if (json === null) throw new UplandError('no-world', 'There is no world in this folder, or it cannot be read.');
  const parsed = manifestSchema.safeParse(json);
  if (!parsed.success) throw notAWorld(JSON_OF_WORLD);
  return parsed.data;
}

/** The terrain that a world is made of. */
export async function projectOf(store: WorldStore): Promise<Project> {
  const bytes = await store.read(PROJECT_OF_WORLD);
  if (!bytes) throw notAWorld(PROJECT_OF_WORLD);
  return readProject(bytes);
}

/** A tile's name without a folder and an ending. */
export const tileStem = ({ names, name, tiles }: Pick<World, 'names' | 'name' | 'tiles'>, tile: Pick<WorldTile, 'row' | 'column'>): string =>
  tileName(names.replaceAll('{name}', safeName(name)), tile, { down: rowsOf(tiles) });

/** The file of a tile's heights. */
export const tileFile = (world: Pick<World, 'names' | 'name' | 'tiles' | 'encoding'>, tile: Pick<WorldTile, 'row' | 'column'>): string =>
  `tiles/${tileStem(world, tile)}${formatById(world.encoding.format).endings[0]}`;

/** Two tiles of one name would be one file. */
function refuseNames(names: string, name: string, tiles: WorldTile[]): void {
  const all = new Set(tiles.map((tile) => tileStem({ names, name, tiles }, tile).toLowerCase()));
  if (all.size < tiles.length)
    throw new UplandError('world-names', `By “${names}” several tiles would have one name. Say both ways where a tile lies, such as {x} and {y}.`);
  const fault = badName([...all][0]);
  if (fault) throw new UplandError('name', fault);
}
