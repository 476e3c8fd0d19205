import { z } from 'zod';
import { UplandError } from '../../errors';
import type { Ground } from '../../field/ground';
import { brushSchema, type StrokePlace } from './brush';
import { StrokeOnSurface, type StrokeTools } from './stroke';
import { Surface } from './surface';
import type { Tiles } from '../../field/tiles';

const strokeSchema = z.object({
  brush: brushSchema,
  seed: z.int().min(0).max(0xffffffff),
  /** Where it dabbed: metres east and south, and the pressure. */
  places: z.array(z.tuple([z.number().finite(), z.number().finite(), z.number().min(0).max(1)])).max(200_000),
});

/** A stroke as it was made. */
export type StrokeRecord = z.output<typeof strokeSchema>;

const recordSchema = z.object({ strokes: z.array(strokeSchema).max(1_000) });

/** Strokes to a file of them: so many, then another is begun. */
export const STROKES_A_FILE = 32;

/** Strokes as the bytes of an asset. */
export const strokesToBytes = (strokes: StrokeRecord[]): Uint8Array<ArrayBuffer> => new TextEncoder().encode(JSON.stringify({ strokes }));

/** @throws UplandError where the bytes are no strokes. */
export function strokesFromBytes(bytes: Uint8Array): StrokeRecord[] {
  try {
    return recordSchema.parse(JSON.parse(new TextDecoder().decode(bytes))).strokes;
  } catch (cause) {
    throw new UplandError('strokes', 'The record of these strokes cannot be read.', { cause });
  }
}

/**
 * Plays strokes again over a ground, in their order: differences in metres, made anew by what lies
 * beneath now and at its own samples.
 */
export async function playStrokes(
  strokes: readonly StrokeRecord[],
  beneath: Float32Array,
  ground: Ground,
  toolsFor: (stroke: StrokeRecord) => Promise<StrokeTools> | StrokeTools = () => ({}),
  progress?: (share: number) => void,
  signal?: AbortSignal,
): Promise<Tiles> {
  let tiles: Tiles = new Map();
  for (const [n, stroke] of strokes.entries()) {
    const surface = new Surface(ground, beneath, tiles);
    const playing = new StrokeOnSurface(surface, stroke.brush, stroke.seed, await toolsFor(stroke));
    for (const place of stroke.places) {
      signal?.throwIfAborted();
      await playing.dab(place);
    }
    tiles = surface.tiles;
    progress?.((n + 1) / strokes.length);
  }
  return tiles;
}

/** Places from one to another, `gap` metres apart, the first left out; with what is left of the way. */
export function placesBetween(from: StrokePlace, to: StrokePlace, gap: number): StrokePlace[] {
  const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
  const length = Math.sqrt(dx * dx + dy * dy);
  const out: StrokePlace[] = [];
  const [p, q] = [from[2] ?? 1, to[2] ?? 1];
  for (let d = gap; d <= length; d += gap) {
    const t = d / length;
    out.push([from[0] + dx * t, from[1] + dy * t, p + (q - p) * t]);
  }
  return out;
}
