import { makeCourse, makeTributary, maskUse, stepUse, type Course, type StepUse } from '@upland-cast/core';
import { workWorldBase } from '../../core/world/base-store';
import { tileField } from '../../core/world/finish';
import { beginWorld, type World, type WorldOrder } from '../../core/world/manifest';
import type { WorldStore } from '../../core/world/store';
import { TileWorker } from '../../core/world/tile-work';
import { inlineKernels } from '../../core/kernels/pool';
import { groundOf } from './grounds';

export const kernels = inlineKernels();
export const F32 = { format: 'tiff', type: 'f32' } as const;

/** A store in memory, with the names that were written. */
export function memory() {
  const files = new Map<string, Uint8Array<ArrayBuffer>>();
  const written: string[] = [];
  const store: WorldStore = {
    read: async (name) => files.get(name)?.slice() ?? null,
    has: async (name) => files.has(name),
    write: async (name, bytes) => {
      written.push(name);
      files.set(name, Uint8Array.from(bytes));
    },
    remove: async (name) => void files.delete(name),
  };
  return { store, files, written };
}

/** A world worked out whole, its tiles in an order. */
export async function worked(
  course: Course,
  order: { samples: number; tile: number } & Partial<WorldOrder>,
  of: (tiles: World['tiles']) => World['tiles'] = (tiles) => tiles,
) {
  const there = memory();
  const world = await beginWorld(there.store, { course, assets: new Map() }, { encoding: F32, ...order }, false);
  await workWorldBase(there.store, { kernels });
  const worker = new TileWorker(there.store, world, { kernels });
  for (const tile of of(world.tiles)) await worker.work(tile);
  return { ...there, world };
}

/** Its tiles laid beside each other. */
export async function whole(store: WorldStore, world: World): Promise<Float32Array> {
  const { across, down } = world.ground;
  const out = new Float32Array(across * down);
  for (const tile of world.tiles) {
    const { height } = await tileField(store, world, tile);
    const { window } = tile;
    for (let row = 0; row < window.down; row++)
      out.set(height.subarray(row * window.across, (row + 1) * window.across), (window.top + row) * across + window.left);
  }
  return out;
}

export const everywhere = (registration: 'point' | 'area', ...stem: StepUse[]) => {
  const n = registration === 'point' ? 65 : 64;
  const ground = { ...groundOf(n, n, 32), registration };
  return makeCourse('Fell', ground, stem, [
    makeTributary('Side', [stepUse('noise', { kind: 'ridged', feature: 700, height: 160, seed: 9 }, { id: 'st' })], 'side'),
  ]);
};

export const finite = (registration: 'point' | 'area') =>
  everywhere(
    registration,
    stepUse('noise', { feature: 900, height: 180, seed: 3 }, { id: 'n' }),
    stepUse('warp', { amount: 60 }, { id: 'w' }),
    stepUse('terrace', { spacing: 30 }, { id: 't', where: { masks: [maskUse('slope', {})], combine: 'multiply' } }),
    stepUse('blur', { size: 24 }, { id: 'b', strength: 0.6 }),
    stepUse('join', { tributary: 'side' }, { id: 'j', join: 'smooth-higher', joinWidth: 40 }),
    stepUse('median', { size: 24 }, { id: 'm' }),
    stepUse('roughen', {}, { id: 'r' }),
  );

export const weathered = everywhere(
  'point',
  stepUse('noise', { feature: 900, height: 260, octaves: 7, seed: 3 }, { id: 'n' }),
  stepUse('fluvial', { amount: 600, scale: 60, soften: 12 }, { id: 'f' }),
  stepUse('blur', { size: 20 }, { id: 'b', where: { masks: [maskUse('slope', {}), { ...maskUse('height', {}), equalise: true }], combine: 'multiply' } }),
);
