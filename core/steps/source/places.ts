import { cooperativeYield } from '../../cooperative-yield';
import { hash32 } from '../../field/hash';
import { octavesOf } from '../../field/octaves';
import { gridOf } from '../../field/window';
import { noiseProgram } from '../../kernels/programs/noise';
import type { StepContext } from '../step';

/** What a landform's height is asked for: metres east and south of the ground's middle, and the place's number in the window. */
export type HeightAt = (x: number, y: number, index: number) => number;

/** The heights of a landform at every sample of the window. */
export async function overWindow({ ground, window, signal }: StepContext, heightAt: HeightAt): Promise<Float32Array<ArrayBuffer>> {
  const rest = cooperativeYield(signal);
  const grid = gridOf(ground, window);
  const [halfX, halfY] = [ground.width / 2, ground.depth / 2];
  const height = new Float32Array(window.across * window.down);
  for (let row = 0, i = 0; row < window.down; row++) {
    const pause = rest();
    if (pause) await pause;
    const y = grid.firstY + (grid.top + row) * grid.stepY - halfY;
    for (let column = 0; column < window.across; column++, i++) {
      height[i] = heightAt(grid.firstX + (grid.left + column) * grid.stepX - halfX, y, i);
    }
  }
  return height;
}

/** Noise over the window, about −1 to 1, of forms `feature` metres wide. */
export function noiseOver(
  { ground, window, kernels, signal }: StepContext,
  { feature, octaves, seed }: { feature: number; octaves: number; seed: number },
): Promise<Float32Array<ArrayBuffer>> {
  const grid = gridOf(ground, window);
  const made = octavesOf({ feature, octaves, gain: 0.5, lacunarity: 2.03, seed }, Math.max(grid.stepX, grid.stepY));
  return kernels.run(noiseProgram, { ...grid, kind: 0, octaves: made, scale: 1, add: 0 }, null, { signal });
}

/** Numbers from 0 to 1 that a seed gives one after the other, the same in every engine. */
export function drawsOf(seed: number): () => number {
  let count = 0;
  return () => hash32(seed, ++count) / 2 ** 32;
}

/** 0 below 0, 1 above 1, smooth between. */
export const smoothShare = (t: number): number => (t <= 0 ? 0 : t >= 1 ? 1 : t * t * (3 - 2 * t));
