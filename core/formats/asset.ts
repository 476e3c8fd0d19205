import { z } from 'zod';
import { UplandError } from '../errors';
import type { Field } from '../field/field';
import { georeferenceSchema, makeGround } from '../field/ground';
import { flipColumns, flipRows, turn } from '../field/turn';
import { cropSamples } from '../field/window';
import { readHeightmap } from './index';
import type { Reading, ReadOptions } from './format';
import { toField, type Meaning } from './heights';

const metres = z.number().min(-1e7).max(1e7);

/** How the bytes of an asset are read where they do not say it themselves: what a person settled when it was brought in. */
export const assetReadingSchema = z.object({
  /** A layout for raw bytes, as `--as` takes it. */
  as: z.string().max(200).optional(),
  band: z.union([z.int().min(1).max(64), z.enum(['luminance', 'packed'])]).optional(),
  /** Two codes and the metres they stand for. */
  map: z.object({ code0: z.number(), height0: metres, code1: z.number(), height1: metres }).optional(),
  /** The numbers are in feet. */
  feet: z.boolean().optional(),
  spacing: z.object({ x: z.number().positive().max(1e6), y: z.number().positive().max(1e6) }).optional(),
  registration: z.enum(['point', 'area']).optional(),
  noData: z.number().optional(),
  /** Done in this order: flipped, turned clockwise, cut out. */
  flip: z.enum(['rows', 'columns']).optional(),
  turn: z.union([z.literal(90), z.literal(180), z.literal(270)]).optional(),
  crop: z.object({ left: z.int().min(0), top: z.int().min(0), across: z.int().min(1), down: z.int().min(1) }).optional(),
  georeference: georeferenceSchema.optional(),
});
export type AssetReading = z.infer<typeof assetReadingSchema>;

const FOOT = 0.3048;

/** A file's samples and what they mean, with what was settled about it put in. */
export async function readWith(
  bytes: Uint8Array<ArrayBuffer>,
  settled: AssetReading = {},
  options: ReadOptions = {},
): Promise<{ reading: Reading; meaning: Meaning }> {
  return settledIn(await readHeightmap(bytes, settled.as, { ...options, ...(settled.band ? { band: settled.band } : {}) }), settled);
}

/** A reading with what was settled about it put in; the samples are the same. */
export function settledIn(read: Reading, settled: AssetReading): { reading: Reading; meaning: Meaning } {
  const foot = settled.feet && !read.feet ? FOOT : 1;
  const reading: Reading = {
    ...read,
    scale: read.scale * foot,
    offset: read.offset * foot,
    noData: settled.noData ?? read.noData,
    spacing: settled.spacing ?? read.spacing,
    ...(settled.georeference ? { georeference: settled.georeference } : {}),
  };
  return { reading, meaning: { ...(settled.map ? { map: settled.map } : {}), ...(settled.registration ? { registration: settled.registration } : {}) } };
}

/** The heights of an asset by what was settled about it: flipped, turned and cut out too. */
export async function readAsset(bytes: Uint8Array<ArrayBuffer>, settled: AssetReading = {}, options: ReadOptions = {}): Promise<Field> {
  const { reading, meaning } = await readWith(bytes, settled, options);
  return arranged(toField(reading, meaning), settled);
}

/** Flipped, turned and cut out as it was settled. */
export function arranged(field: Field, { flip, turn: by, crop }: AssetReading): Field {
  let out = field;
  if (flip) out = flip === 'rows' ? flipRows(out) : flipColumns(out);
  if (by) out = turn(out, by);
  return crop ? cutOut(out, crop) : out;
}

/** A rectangle of a field's samples as a field of its own; its place on the map goes along. */
export function cutOut(field: Field, crop: NonNullable<AssetReading['crop']>): Field {
  const { ground, height, valid } = field;
  const { left, top, across, down } = crop;
  if (left + across > ground.across || top + down > ground.down) {
    throw new UplandError(
      'crop',
      `The frame reaches from column ${left} to ${left + across} and row ${top} to ${top + down}; there are ${ground.across} × ${ground.down} samples.`,
      { crop },
    );
  }
  const extra = ground.registration === 'point' ? 1 : 0;
  const x = ground.width / Math.max(1, ground.across - extra);
  const y = ground.depth / Math.max(1, ground.down - extra);
  const place = ground.georeference;
  const per = place?.perMetre ?? { x: 1, y: 1 };
  const cut = makeGround({
    ...ground,
    width: x * Math.max(1, across - extra),
    depth: y * Math.max(1, down - extra),
    across,
    down,
    ...(place ? { georeference: { ...place, west: place.west + left * x * per.x, north: place.north - top * y * per.y } } : {}),
  });
  return {
    ground: cut,
    height: cropSamples(height, ground.across, crop).slice() as Field['height'],
    ...(valid ? { valid: cropSamples(valid, ground.across, crop).slice() as Uint8Array<ArrayBuffer> } : {}),
  };
}

/** Fields that were read lately, so that a course that is worked out again does not unpack its files again. */
const lately = new Map<string, Field>();
const MOST_SAMPLES = 40_000_000;

/** The heights of an asset by its SHA-256, kept for the next time where `keep` says so. They must not be changed. */
export async function heightsOf(
  sha: string,
  settled: AssetReading | undefined,
  load: (sha: string) => Promise<Uint8Array<ArrayBuffer>>,
  signal?: AbortSignal,
  keep = true,
): Promise<Field> {
  const key = `${sha}:${JSON.stringify(settled ?? {})}`;
  if (!keep) return readAsset(await load(sha), settled, { signal });
  const known = lately.get(key);
  if (known) {
    lately.delete(key);
    lately.set(key, known);
    return known;
  }
  const field = await readAsset(await load(sha), settled, { signal });
  lately.set(key, field);
  let held = [...lately.values()].reduce((sum, f) => sum + f.height.length, 0);
  for (const [old, { height }] of lately) {
    if (held <= MOST_SAMPLES) break;
    lately.delete(old);
    held -= height.length;
  }
  return field;
}
