import { z } from 'zod';
import { sha256 } from '../field/hash';
import type { Ground } from '../field/ground';
import { workBase, type BaseStage, type WorldBase } from './base';
import type { BaseMap } from './base-maps';
import { assetsIn } from './assets';
import { openWorld, projectOf, type WorldManifest } from './manifest';
import { BASE_OF_WORLD, readJson, writeJson, type WorldStore } from './store';
import type { WindowOptions } from './window';

/** Values over the base's samples in a file of their own. */
const kept = z.object({ file: z.string(), sha256: z.string() });
type Kept = z.output<typeof kept>;

const baseSchema = z.object({
  key: z.string(),
  range: z.object({ low: z.number(), high: z.number() }),
  stages: z.array(
    z.object({
      id: z.string(),
      before: kept.optional(),
      change: kept.optional(),
      weights: kept.optional(),
      layers: z.record(z.string(), kept).optional(),
      begun: z.object({ change: kept, layers: z.record(z.string(), kept) }).optional(),
    }),
  ),
  maps: z.array(z.object({ low: z.number(), high: z.number(), unit: z.string(), words: z.array(z.string()), values: kept.optional() })),
  cover: z.object({ ramp: kept.optional(), weights: z.record(z.string(), kept) }),
});

const ground32 = ({ across, down }: Ground) => 4 * across * down;

/** Works the whole ground out at the base's samples and puts what tiles need of it into the store, once. */
export async function workWorldBase(store: WorldStore, options: Omit<WindowOptions, 'asset'> & { onProgress?: (share: number) => void }): Promise<void> {
  const world = await openWorld(store);
  if (!world.based || (await baseOf(store, world))) return;
  const { course, assets } = await projectOf(store);
  const base = await workBase(
    course,
    world.base,
    { world: world.ground, maps: world.maps, fine: world.fine !== null },
    { ...options, asset: assetsIn(assets), onProgress: ({ index, count, share }) => options.onProgress?.((index + share) / count) },
  );
  const keep = keeper(store);
  const stages: z.output<typeof baseSchema>['stages'] = [];
  for (const [id, { before, change, weights, layers, begun }] of base.stages)
    stages.push({
      id,
      before: await keep(before),
      change: await keep(change),
      weights: await keep(weights),
      layers: layers && (await keepAll(layers, keep)),
      begun: begun && { change: await keep(begun.change), layers: await keepAll(begun.layers, keep) },
    });
  const maps = [];
  for (const map of base.maps) maps.push({ ...map, values: await keep(map.values) });
  const cover = { ramp: await keep(base.cover.ramp), weights: await keepAll(Object.fromEntries(base.cover.weights), keep) };
  // Last, so that what it names is there.
  await writeJson(store, BASE_OF_WORLD, { key: world.key, range: base.range, stages, maps, cover });
}

type Keep = <T extends Float32Array<ArrayBuffer> | undefined>(values: T) => Promise<T extends undefined ? Kept | undefined : Kept>;

function keeper(store: WorldStore): Keep {
  let n = 0;
  return (async (values: Float32Array<ArrayBuffer> | undefined) => {
    if (!values) return undefined;
    const file = `work/base-${n++}.f32`;
    const bytes = new Uint8Array(values.buffer, values.byteOffset, values.byteLength);
    await store.write(file, bytes);
    return { file, sha256: await sha256(bytes) };
  }) as Keep;
}

async function keepAll(values: Record<string, Float32Array<ArrayBuffer>>, keep: Keep): Promise<Record<string, Kept>> {
  const out: Record<string, Kept> = {};
  for (const [name, own] of Object.entries(values)) out[name] = await keep(own);
  return out;
}

/** Whether what tiles take from the whole ground is noted, without its files being read. */
export const isBased = async (store: WorldStore, world: Pick<WorldManifest, 'key'>): Promise<boolean> => (await rangeOfBase(store, world)) !== null;

/** The lowest and highest height of the whole ground, metres; null where it is not there yet. */
export async function rangeOfBase(store: WorldStore, { key }: Pick<WorldManifest, 'key'>): Promise<{ low: number; high: number } | null> {
  const parsed = baseSchema.safeParse(await readJson(store, BASE_OF_WORLD));
  return parsed.success && parsed.data.key === key ? parsed.data.range : null;
}

class Damaged extends Error {}

/** What tiles take from the whole ground; null where it is not there whole. */
export async function baseOf(store: WorldStore, world: Pick<WorldManifest, 'key' | 'base'>): Promise<WorldBase | null> {
  const parsed = baseSchema.safeParse(await readJson(store, BASE_OF_WORLD));
  if (!parsed.success || parsed.data.key !== world.key) return null;
  const values = async (of: Kept): Promise<Float32Array<ArrayBuffer>> => {
    const bytes = await store.read(of.file);
    if (bytes?.length !== ground32(world.base) || (await sha256(bytes)) !== of.sha256) throw new Damaged();
    return new Float32Array(bytes.slice().buffer);
  };
  const all = async (of: Record<string, Kept>) => {
    const out: Record<string, Float32Array<ArrayBuffer>> = {};
    for (const [name, own] of Object.entries(of)) out[name] = await values(own);
    return out;
  };
  try {
    const stages = new Map<string, BaseStage>();
    for (const { id, before, change, weights, layers, begun } of parsed.data.stages)
      stages.set(id, {
        ...(before && { before: await values(before) }),
        ...(change && { change: await values(change) }),
        ...(weights && { weights: await values(weights) }),
        ...(layers && { layers: await all(layers) }),
        ...(begun && { begun: { change: await values(begun.change), layers: await all(begun.layers) } }),
      });
    const maps: BaseMap[] = [];
    for (const map of parsed.data.maps) maps.push({ ...map, values: map.values && (await values(map.values)) });
    const { ramp, weights } = parsed.data.cover;
    return {
      ground: world.base,
      range: parsed.data.range,
      stages,
      maps,
      cover: { ramp: ramp && (await values(ramp)), weights: new Map(Object.entries(await all(weights))) },
    };
  } catch (error) {
    if (error instanceof Damaged) return null;
    throw error;
  }
}
