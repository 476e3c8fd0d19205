import { z } from 'zod';
import { hash32 } from '../../field/hash';
import { gridOf } from '../../field/window';
import { displaceProgram } from '../../kernels/programs/displace';
import { noiseProgram } from '../../kernels/programs/noise';
import { defineStep, type Layers } from '../step';
import { count, distance, ratio, seed } from '../params';
import { octavesOf } from '../../field/octaves';

/**
 * Displaces the ground sideways by two fractals of gradient noise, one east and one south, at
 * most `amount` metres each; between samples lies a Catmull–Rom surface. Layers move along.
 */
export const warp = defineStep({
  id: 'warp',
  title: 'Warp',
  family: 'shape',
  summary: 'Bends the ground sideways, as if it were pulled about.',
  finds: ['distort', 'displace', 'swirl', 'bend', 'perturb', 'turbulence', 'domain distortion'],
  params: z.object({
    amount: distance(160, { fits: 'size', min: 0, max: 10_000, label: 'Amount', help: 'How far a place moves at most, east and south.' }),
    feature: distance(900, { fits: 'size', min: 1, max: 100_000, logarithmic: true, label: 'Feature size', help: 'From one bend to the next.' }),
    octaves: count(4, { min: 1, max: 12, label: 'Octaves' }),
    gain: ratio(0.45, { min: 0.05, max: 0.95, label: 'Gain' }),
    seed: seed(),
  }),
  movesLayers: true,
  presets: [
    { name: 'Gentle bends', params: { amount: 120, feature: 1400, octaves: 2 } },
    { name: 'Torn edges', params: { amount: 60, feature: 220, octaves: 6, gain: 0.6 } },
    { name: 'Swirled', params: { amount: 700, feature: 1800, octaves: 3, gain: 0.35 } },
  ],
  reach: ({ amount }) => amount,
  caption: ({ amount }) => `${Math.round(amount)} m`,
  async run({ height, layers }, { amount, feature, octaves, gain, seed: own }, { ground, window, kernels, progress, signal }) {
    const grid = gridOf(ground, window);
    const spacing = Math.max(grid.stepX, grid.stepY);
    let sum = 0;
    for (let i = 0, a = 1; i < octaves; i++, a *= gain) sum += a;
    // The bound of the octaves' sum: no place moves farther than the amount.
    const field = (which: number) =>
      kernels.run(
        noiseProgram,
        { ...grid, kind: 0, octaves: octavesOf({ feature, octaves, gain, lacunarity: 2.03, seed: hash32(own, which) }, spacing), scale: amount / sum, add: 0 },
        null,
        { signal },
      );
    const east = await field(1);
    progress(0.3);
    const south = await field(2);
    progress(0.6);
    const args = { across: window.across, down: window.down, stepX: grid.stepX, stepY: grid.stepY, most: amount };
    const move = (source: Float32Array) => kernels.run(displaceProgram, args, { source, east, south }, { signal });
    return { height: await move(height), layers: await moveLayers(layers, move) };
  },
});

/** Layers moved by the same means as the height; depths stay depths. */
export async function moveLayers(layers: Layers, move: (layer: Float32Array) => Promise<Float32Array<ArrayBuffer>>): Promise<Layers> {
  const out: Layers = {};
  for (const [name, layer] of Object.entries(layers)) {
    const moved = await move(layer);
    for (let i = 0; i < moved.length; i++) if (moved[i] < 0) moved[i] = 0;
    out[name] = moved;
  }
  return out;
}
