import { z } from 'zod';
import { SAMPLE_TYPES } from '../formats/format';

const metres = z.number().min(-100_000).max(100_000);
const samples = z.int().min(1).max(16_385);

/** The sample counts a side that a receiver takes. */
export const sizesSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('any') }),
  z.object({ kind: z.literal('power of two') }),
  z.object({ kind: z.literal('power of two plus one') }),
  /** Patches × split × faces a side + 1; the patches are square and lie side by side. */
  z.object({
    kind: z.literal('patches'),
    faces: z.array(z.int().min(1).max(1023)).min(1).max(12),
    splits: z.array(z.int().min(1).max(16)).min(1).max(8),
    most: samples.default(8_193),
  }),
]);

/** How a receiver turns the numbers of a file into heights. */
export const heightsSchema = z.discriminatedUnion('by', [
  /** Two codes stand for two heights; left out: the ends of the type. */
  z.object({ by: z.literal('range'), codes: z.object({ low: z.number(), high: z.number() }).optional() }),
  /** Counted from a code that stands for height 0; `overAll` metres over all codes at a vertical scale of 1, in 2ᵇ or 2ᵇ − 1 steps. */
  z.object({ by: z.literal('zero'), code: z.number(), overAll: z.number().positive().max(1e6), steps: z.enum(['2^b', '2^b - 1']) }),
  z.object({ by: z.literal('metres') }),
  /** 0 to 1 between two heights; the plane is moved by value − `zero`, times its strength. */
  z.object({ by: z.literal('unit'), zero: z.number().min(0).max(1) }),
  /**
   * Whole blocks of `edge` metres: rows from `floor` to `ceiling`; the sea stands at the row `water` and the land moves,
   * by `shift` rows more where that is asked for. `shoulders`: the share of the rows, under the ceiling and over the
   * floor, into which land that reaches beyond them is pressed instead of being cut off; 0 cuts it off.
   */
  z.object({
    by: z.literal('blocks'),
    floor: z.int(),
    ceiling: z.int(),
    water: z.int(),
    edge: z.number().positive().max(1000),
    shift: z.int().min(-10_000).max(10_000).optional(),
    shoulders: z.number().min(0).max(0.5).optional(),
  }),
  /** A solid in millimetres, 1 : `scale`, on a base of `base` millimetres. */
  z.object({ by: z.literal('print'), scale: z.number().positive().max(1e9), base: z.number().min(0).max(1000) }),
]);

/** What a file is for: the sample counts it takes, the formats, and how it turns codes into height. */
export const receiverSchema = z.object({
  id: z.string().regex(/^[a-z0-9-]{1,60}$/),
  title: z.string().min(1).max(80),
  summary: z.string().max(400),
  sizes: sizesSchema,
  registration: z.enum(['point', 'area', 'either']),
  square: z.boolean(),
  /** Formats and the sample types it takes in them, the usual one first. Mesh formats take no types. */
  formats: z
    .array(z.object({ format: z.string().max(20), types: z.array(z.enum(SAMPLE_TYPES)) }))
    .min(1)
    .max(20),
  heights: heightsSchema,
  /** {terrain}, {size}, {type}, {scale} and {ending} are put in; without any of them the name is exactly this. */
  fileName: z.string().min(1).max(120),
  /** How raw bytes are laid out. */
  raw: z.object({ order: z.enum(['le', 'be']), rows: z.enum(['north', 'south']) }).default({ order: 'le', rows: 'north' }),
  /** Which way green points in the normal maps that it takes. */
  green: z.enum(['up', 'down']).default('up'),
  /** The height of the country around the ground, absolute; null: there is none. */
  around: metres.nullable().default(null),
  note: z.string().max(2000).default(''),
});

export type Receiver = z.infer<typeof receiverSchema>;
