import { z } from 'zod';
import { WATERS, type Waters } from '../analysis/water';
import { whereSchema } from './where';
import { MAX_SIDE } from '../field/ground';
import { SAMPLE_TYPES } from '../formats/format';
import { receiverSchema } from './receiver';

/** Red, green and blue as they are on a screen (sRGB), 0 to 255. */
export const colourSchema = z.tuple([z.int().min(0).max(255), z.int().min(0).max(255), z.int().min(0).max(255)]);
export type Colour = z.infer<typeof colourSchema>;

/** What a part of the cover is like from near: in the view's light only, never in data. */
export const GRAINS = { turf: 'Turf', scree: 'Scree', rock: 'Rock', sand: 'Sand', snow: 'Snow', none: 'Smooth' } as const;
export type Grain = keyof typeof GRAINS;
const grainSchema = z.enum(Object.keys(GRAINS) as [Grain, ...Grain[]]).optional();

const layerSchema = z.object({
  id: z.string().min(1).max(64),
  name: z.string().min(1).max(80),
  colour: colourSchema,
  /** A picture that repeats, by its SHA-256, and how many metres one of it covers; empty: the plain colour. */
  picture: z
    .string()
    .regex(/^([0-9a-f]{64})?$/)
    .default(''),
  pictureSize: z.number().positive().max(100_000).default(64),
  strength: z.number().min(0).max(1).default(1),
  /** Left out: what the name says. */
  grain: grainSchema,
  where: whereSchema.default({ masks: [], combine: 'multiply' }),
});
export type CoverLayer = z.infer<typeof layerSchema>;

export const RAMPS = { height: 'Height', rank: 'Percentile', relief: 'Relief' } as const;

/** What the ground is covered with: a ramp beneath, and layers over it, each where its rules say. */
export const coverSchema = z.object({
  /** What drives the ramp: the height between lowest and highest; the share of the ground that lies lower; or how a place stands among its surroundings. */
  ramp: z.enum(Object.keys(RAMPS) as [keyof typeof RAMPS, ...(keyof typeof RAMPS)[]]).default('relief'),
  reach: z.number().min(1).max(20_000).default(900),
  stops: z
    .array(z.object({ at: z.number().min(0).max(1), colour: colourSchema }))
    .min(1)
    .max(16),
  /** Of the ramp; left out: turf. */
  grain: grainSchema,
  layers: z.array(layerSchema).max(7).default([]),
});
export type Cover = z.infer<typeof coverSchema>;

const depth = z.enum(['8', '16', '32f']).default('16');

/** Left out in what was kept before lakes and streams counted: the sea. */
const waters = z.enum(Object.keys(WATERS) as [Waters, ...Waters[]]).default('sea');

/** A map that is derived from the ground, with its settings. */
export const mapSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('slope'), depth }),
  z.object({ kind: z.literal('aspect'), depth }),
  z.object({ kind: z.literal('curvature'), way: z.enum(['mean', 'profile', 'plan']).default('mean'), size: z.number().min(0).max(2_000).default(40), depth }),
  z.object({ kind: z.literal('flow'), depth }),
  /** `after`: the step after which it is taken; empty: at the end of the course. */
  z.object({ kind: z.literal('layer'), layer: z.string().max(20).default('cut'), after: z.string().max(64).default(''), depth }),
  z.object({ kind: z.literal('mask'), use: z.string().max(64), depth: z.enum(['8', '16', '32f']).default('8') }),
  z.object({ kind: z.literal('ambient'), directions: z.int().min(4).max(64).default(16), depth: z.enum(['8', '16', '32f']).default('8') }),
  z.object({ kind: z.literal('height'), equalised: z.boolean().default(true), depth }),
  z.object({ kind: z.literal('water mask'), of: waters }),
  z.object({ kind: z.literal('water depth'), of: waters, depth }),
  z.object({
    kind: z.literal('normal'),
    space: z.enum(['tangent', 'world-y', 'world-z']).default('tangent'),
    green: z.enum(['up', 'down']).default('up'),
    bits: z.union([z.literal(8), z.literal(16)]).default(8),
  }),
  z.object({ kind: z.literal('colour') }),
  z.object({ kind: z.literal('weights'), bits: z.union([z.literal(8), z.literal(16)]).default(8) }),
]);
export type MapSpec = z.infer<typeof mapSchema>;

const id = z.string().min(1).max(64);

/** Which ground is handed on: the end of the stem, what it is after a step of it, or a tributary. */
export const sourceSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('end') }),
  z.object({ kind: z.literal('step'), id }),
  z.object({ kind: z.literal('tributary'), id }),
  /** Not the terrain but the calibration ground, to see how the receiver reads. */
  z.object({ kind: z.literal('calibration') }),
]);
export type Source = z.infer<typeof sourceSchema>;

/** What to hand on, whole: a recipe that can be kept and done again. */
export const orderSchema = z.object({
  id,
  name: z.string().min(1).max(80),
  receiver: receiverSchema,
  /** The first is the one that maps are made of. */
  grounds: z.array(sourceSchema).min(1).max(8),
  /** The part that is handed on, metres from the north-west corner; null: the whole. */
  frame: z.object({ west: z.number(), north: z.number(), width: z.number().positive(), depth: z.number().positive() }).nullable(),
  /** Along the longer side. */
  samples: z.int().min(2).max(MAX_SIDE),
  /** How the ground comes to that count: worked out anew, cut at its own spacing, or carried on by its outer values. */
  fit: z.enum(['anew', 'crop', 'extend']),
  /** Anew: resampled from the ground that was seen, or worked out again; auto: resampled for as many samples or fewer. */
  sampling: z.enum(['auto', 'resampled', 'worked']).default('auto'),
  height: z.object({
    on: z.boolean(),
    format: z.string().max(20),
    type: z.enum(SAMPLE_TYPES),
    range: z.object({ low: z.number(), high: z.number() }).nullable(),
    /** Without a range: one for all grounds that are handed on together, rather than one for each. */
    oneRange: z.boolean().default(false),
    scale: z.number().positive().nullable(),
    order: z.enum(['le', 'be']),
    rows: z.enum(['north', 'south']),
    compression: z.enum(['none', 'deflate']).default('none'),
    noData: z.number().nullable().default(null),
    /** Empty: by the receiver's rule. */
    name: z.string().max(200).default(''),
  }),
  tiles: z.object({ across: z.int().min(1).max(64), down: z.int().min(1).max(64), shared: z.boolean(), pattern: z.string().min(1).max(120) }).nullable(),
  maps: z.array(mapSchema).max(24),
  /** What maps are written as, pictures of several channels too. Floats have no PNG and become TIFF there. */
  mapsAs: z
    .object({ format: z.enum(['png', 'tiff', 'raw']), order: z.enum(['le', 'be']), rows: z.enum(['north', 'south']) })
    .default({ format: 'png', order: 'le', rows: 'north' }),
  docket: z.boolean(),
});
export type Order = z.infer<typeof orderSchema>;
