import type { Receiver } from '../course/receiver';
import { linesOf, type Course } from '../course/schema';
import type { Encoding } from '../delivery/heights/encode';
import { whyReceiverRefuses } from '../delivery/heights/receivers';
import { UplandError } from '../errors';
import { spacingOf, type Ground } from '../field/ground';
import { formatById } from '../formats';
import { BYTES, CODES, type SampleType } from '../formats/format';
import { stepById } from '../steps';
import { USUAL_WINDOWS } from './fine-weather';
import type { WorldAside, WorldOrder } from './manifest';
import { finerGridsOf, worldGround, worldTiles } from './plan';

/** Weather on finer grids than these is taken from them. */
const USUAL_BASE = 2049;

/** Samples at which the whole ground is worked out first, where nothing else is said. */
export const usualBase = ({ across, down }: Pick<Ground, 'across' | 'down'>): number => Math.max(across, down, USUAL_BASE);

/** What tiles can be written as. */
export const WORLD_FORMATS = { tiff: 'GeoTIFF', png: 'PNG', raw: 'Raw' } as const;
export type WorldFormat = keyof typeof WORLD_FORMATS;

/** What a world is asked for; what is left out is as the receiver has it, or as is usual. */
export interface WorldWish extends Omit<WorldAside, 'shared' | 'fine'> {
  samples: number;
  tile: number;
  base?: number;
  /** How far weather that works on ever finer grids goes: to the world's own samples, as is usual, or to those of the base. */
  weather?: 'samples' | 'base';
  /** Whose tiles they are: where samples lie, whether neighbours share them, format and type. */
  receiver?: Receiver;
  shared?: boolean;
  format?: WorldFormat;
  type?: SampleType;
  /** Metres that the ends of codes stand for. */
  range?: { low: number; high: number };
  /** Cloud-optimised TIFF. */
  cloud?: boolean;
}

/** A world's order by what was wished for. Refuses with a sentence what the receiver does not take. */
export function worldOrderFor(course: Pick<Course, 'ground'>, wish: WorldWish): WorldOrder {
  const { samples, tile, base = usualBase(course.ground), receiver, names, maps, mapsAs, meshes } = wish;
  const registration = receiver && receiver.registration !== 'either' ? receiver.registration : course.ground.registration;
  const shared = wish.shared ?? receiver?.registration === 'point';
  if (receiver) {
    const refused = whyReceiverRefuses(receiver, tile + (shared ? 1 : 0));
    if (refused) throw new UplandError('size', `${receiver.title}: ${refused} A tile has ${tile}${shared ? ' and one that its neighbour has too' : ''}.`);
  }
  const fine = wish.weather === 'base' ? null : USUAL_WINDOWS;
  return { samples, tile, base, registration, encoding: encodingOf(wish), shared, names, maps, mapsAs, meshes, fine };
}

function encodingOf({ receiver, format: wanted, type: asked, range, cloud }: WorldWish): Encoding {
  if (receiver?.heights.by === 'print' || receiver?.heights.by === 'blocks')
    throw new UplandError('receiver', `${receiver.title} takes one ground, and no tiles of a world.`);
  const taken = receiver?.formats.filter(({ format }) => format in WORLD_FORMATS) ?? [];
  const known = wanted ? taken.find(({ format }) => format === wanted) : taken[0];
  if (receiver && !known) throw new UplandError('type', `${receiver.title} does not take ${wanted ?? 'TIFF, PNG or raw'}.`);
  const format = wanted ?? known?.format ?? 'tiff';
  const type = asked ?? known?.types[0] ?? (format === 'png' ? 'u16' : 'f32');
  const { title, writes } = formatById(format);
  if (!writes.includes(type)) throw new UplandError('type', `${title} is not written with ${type} samples. It takes ${writes.join(', ')}.`);
  if (cloud && format !== 'tiff') throw new UplandError('type', `Only TIFF is cloud-optimised, and not ${title}.`);
  const options = cloud ? { cloud: true, compression: 'deflate' as const } : format === 'raw' && receiver ? receiver.raw : undefined;
  return { format, type, ...(CODES[type] && range ? { range } : {}), ...(options ? { options } : {}) };
}

/** What a world comes to before it is begun. */
export interface WorldCost {
  across: number;
  down: number;
  spacing: number;
  tiles: number;
  /** Tiles and overviews, maps and meshes not packed; what the whole ground leaves while it is made. */
  bytes: number;
  whileMade: number;
}

/** Floats of the whole ground that are kept for every step that knows it: the ground before it, its change and some layers. */
const KEPT_A_STEP = 4;

/** Floats of the world's samples that are kept for every step whose weather goes on to them: squares overlap, and some have layers. */
const KEPT_OF_SQUARES = 1.27;
const LAYERS_OF_WEATHER = 3;

/** What a world comes to. Refuses with a sentence counts and tiles that cannot be. */
export function worldCost(course: Course, order: WorldOrder): WorldCost {
  const ground = worldGround(course.ground, order.samples, order.registration);
  const { across, down } = ground;
  const samples = across * down;
  const whole = worldGround(course.ground, order.base ?? usualBase(course.ground));
  const meshes = order.meshes ? (samples / (order.meshes.every * order.meshes.every)) * 1.34 * 36 : 0;
  const goesOn = order.fine !== null && finerGridsOf(whole, ground) > 0;
  const finer = goesOn ? linesOf(course).flatMap(({ steps }) => steps.filter((use) => use.on && stepById(use.step).refines !== 'no')) : [];
  const layers = order.maps?.length ? 1 + LAYERS_OF_WEATHER : 1;
  return {
    across,
    down,
    spacing: spacingOf(ground).x,
    tiles: worldTiles(ground, order.tile, order.shared).length,
    // Overviews come to a third of the ground, as floats; of the maps a byte or three a sample.
    bytes: samples * (BYTES[order.encoding.type] + 4 / 3 + 2 * (order.maps?.length ?? 0)) + meshes,
    whileMade: 4 * (whole.across * whole.down * KEPT_A_STEP * Math.max(1, course.stem.length) + samples * KEPT_OF_SQUARES * layers * finer.length),
  };
}
