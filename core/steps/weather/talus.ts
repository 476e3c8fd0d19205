import { z } from 'zod';
import type { Ground } from '../../field/ground';
import { gridOf, isWhole } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { noiseProgram } from '../../kernels/programs/noise';
import { talusProgram } from '../../kernels/programs/talus';
import { choice, count, degrees, distance, hidden, ratio, seed } from '../params';
import { octavesOf } from '../../field/octaves';
import { defineStep, type StepContext, type StepInput } from '../step';
import { bedsArgs, bedsOf, changed, easeOf, wearInputs, wearParams, hereAndSeen, samplesOf, type Wear } from './common';

/** What has fallen takes more room than it had as rock (common practice: 1.2 to 1.5). */
const BULKING = 1.3;
/** The angle of repose varies over patches so many times as wide as the crags. */
const GRAIN_SIZE = 2.5;

/**
 * Rock faces steeper than the cliff angle shed and wear back, and stay faces; what falls, and what
 * was loose already, slides until no slope of it exceeds its angle of repose, which varies from patch to patch. Loose
 * material moves between neighbours so that its volume is kept; rock takes 1.3 times its room when it has fallen.
 *
 * Heights and distances in metres, angles in degrees. Converges towards `repose`, from coarse
 * grids to the ground's own. Leaves `cut`, `fill` and `loose` (what lies loose in the end; depths in metres).
 * Sources: Musgrave, Kolb & Mace 1989, "The synthesis and rendering of eroded fractal terrains",
 * for the loose layer; Osher & Sethian 1988 for faces that wear back along their gradient.
 */
export const talus = defineStep({
  id: 'talus',
  title: 'Talus',
  family: 'weather',
  summary: 'Thermal erosion: rock faces shed, and what has fallen slides to its angle of repose.',
  finds: ['thermal', 'erosion', 'scree', 'slide', 'landslide', 'debris', 'erode', 'weathering', 'rockfall', 'angle of repose'],
  params: z.object({
    cliff: degrees(42, {
      fits: 'steepness',
      min: 5,
      max: 85,
      label: 'Cliff angle',
      help: 'Rock that stands steeper than this sheds; what is gentler stays as it is.',
    }),
    fall: distance(24, { fits: 'size', min: 0, max: 2_000, logarithmic: true, label: 'Wear', help: 'How far faces have worn back.' }),
    repose: degrees(34, {
      fits: 'steepness',
      min: 5,
      max: 80,
      label: 'Repose angle',
      help: 'What has fallen rests at this angle: dry sand at about 34°, scree at 35 to 40°.',
    }),
    soil: distance(0, {
      min: 0,
      max: 10_000,
      logarithmic: true,
      label: 'Loose already',
      help: 'So much of the ground lies loose to begin with, measured down from its surface; 10 km: all of it.',
    }),
    sweeps: count(120, { min: 8, max: 2000, logarithmic: true, label: 'Sweeps', help: 'How long it slides, on each size of grid.' }),
    spread: ratio(0.25, { more: true, max: 0.5, label: 'Spread', help: 'How much the repose angle varies from patch to patch.' }),
    loose: ratio(1, { more: true, min: 0.05, label: 'Soft share', help: 'So much of the ground gives way, in patches; the rest stands as crags.' }),
    patch: distance(80, {
      fits: 'size',
      more: true,
      min: 2,
      max: 5_000,
      logarithmic: true,
      label: 'Crag size',
      help: 'From one crag, or one patch of scree, to the next.',
    }),
    edges: choice(
      'closed',
      { closed: 'Closed', open: 'Open' },
      { more: true, label: 'Edges', help: 'Closed: nothing leaves the ground. Open: what slides over the edge is gone.' },
    ),
    ...wearParams,
    seed: seed(),
    until: hidden(z.object({ level: z.int().min(0).max(20), round: z.int().min(0).max(2_000) }).optional(), 'Kept at'),
  }),
  presets: [
    { name: 'Scree below crags', params: { cliff: 42, fall: 24, repose: 35, loose: 0.7, patch: 120 } },
    { name: 'Blocky rockfall', params: { cliff: 38, fall: 60, repose: 40, loose: 0.8, patch: 40, spread: 0.25 } },
    { name: 'Old faces', params: { cliff: 30, fall: 160, repose: 32, sweeps: 200 } },
    { name: 'Dry sand', params: { cliff: 34, fall: 0, soil: 10_000, repose: 34, spread: 0.05, sweeps: 200 } },
    { name: 'Soft mounds', params: { cliff: 22, fall: 0, soil: 10_000, repose: 22, sweeps: 300 } },
  ],
  // Where it acts is how easily the rock gives way: blended in afterwards, rock would be made or lost.
  takesMask: true,
  refines: 'shares',
  reach: () => Infinity,
  inputs: wearInputs,
  caption: ({ cliff }) => `${cliff}°`,
  async run(input, params, context) {
    const { kernels, progress, signal } = context;
    const { height } = input;
    const { tan } = exactMath();
    const { args, inputs } = await hereAndSeen(input, context, async (given, asked) => {
      return { ...(await looseAndRock(given, params, asked)), beds: await bedsOf(given, params, asked) };
    });
    const { begun } = context;
    const { change, loose, reached } = await kernels.run(
      talusProgram,
      {
        ...samplesOf(input.ground),
        ...args,
        finerGrids: context.finerGrids,
        begun: begun?.args,
        tanRepose: tan(params.repose * DEGREE),
        sweeps: params.sweeps,
        masked: inputs.mask !== undefined,
        covered: true,
        beds: bedsArgs(inputs.beds, params),
        grained: inputs.grain !== undefined,
        rock: { cliff: tan(params.cliff * DEGREE), back: params.fall, bulk: BULKING },
        open: params.edges === 'open',
        until: params.until,
      },
      { ...inputs, begun: begun && { change: begun.change, loose: begun.layers.loose } },
      { progress, signal, halt: context.halt, watch: context.watch },
    );
    if (reached) context.reached?.({ until: reached });
    const { height: out, layers } = changed(height, change);
    return { height: out, layers: { ...layers, loose: loose ?? new Float32Array(height.length) } };
  },
});

interface TalusParams extends Wear {
  loose: number;
  patch: number;
  soil: number;
  spread: number;
  seed: number;
}

/** What is rock and what is loose, and at what angle it rests. */
async function looseAndRock(input: StepInput, params: TalusParams, context: StepContext) {
  let mask = await easeOf(input, params, context);
  if (params.loose < 1) {
    const patches = await loosePatches(params.loose, params.patch, params.seed, context);
    if (mask) for (let i = 0; i < patches.length; i++) patches[i] *= mask[i];
    mask = patches;
  }
  const cover = new Float32Array(input.height.length).fill(params.soil);
  if (mask) for (let i = 0; i < cover.length; i++) cover[i] *= mask[i];
  return { bed: input.height, mask, cover, grain: params.spread > 0 ? await reposeGrain(params, context) : undefined };
}

/** The angle of repose of every sample as a multiple of the setting: rocks of many sizes rest at many angles. */
async function reposeGrain(
  { spread, patch, seed }: { spread: number; patch: number; seed: number },
  { ground, window, kernels, signal }: StepContext,
): Promise<Float32Array<ArrayBuffer>> {
  const grid = gridOf(ground, window);
  const octaves = octavesOf({ feature: GRAIN_SIZE * patch, octaves: 4, gain: 0.6, lacunarity: 2.03, seed: seed + 31 }, Math.max(grid.stepX, grid.stepY));
  const grain = await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale: 2 * spread, add: 1 }, null, { signal });
  for (let i = 0; i < grain.length; i++) grain[i] = Math.min(1 + spread, Math.max(1 - spread, grain[i]));
  return grain;
}

/** Places along each side at which the noise is asked for its spread. */
const ASKED = 64;

/** Patches of a size that make up a share of the ground: 1 inside, 0 outside, soft between. */
async function loosePatches(share: number, patch: number, seed: number, { ground, window, kernels, signal }: StepContext): Promise<Float32Array<ArrayBuffer>> {
  const grid = gridOf(ground, window);
  const spectrum = { feature: patch, octaves: 4, gain: 0.5, lacunarity: 2.03, seed };
  const octaves = octavesOf(spectrum, Math.max(grid.stepX, grid.stepY));
  const noise = (over: typeof grid) => kernels.run(noiseProgram, { ...over, kind: 0, octaves, scale: 1, add: 0 }, null, { signal });
  const out = await noise(grid);
  const asked = isWhole(window, ground) ? spreadOf(out, ground) : [...(await noise(askedOf(ground)))];
  asked.sort((a, b) => a - b);
  const bound = asked[Math.min(asked.length - 1, Math.floor(share * asked.length))];
  const soft = 0.1 * (asked[asked.length - 1] - asked[0]) || 1;
  for (let i = 0; i < out.length; i++) {
    const t = Math.min(1, Math.max(0, 0.5 + (bound - out[i]) / soft));
    out[i] = t * t * (3 - 2 * t);
  }
  return out;
}

/** Of what is known of the whole ground, the values at the places that are asked. */
function spreadOf(values: Float32Array, { across, down }: Ground): number[] {
  const at = (k: number, n: number) => Math.min(n - 1, Math.floor(((k + 0.5) / ASKED) * n));
  const asked: number[] = [];
  for (let row = 0; row < ASKED; row++) for (let column = 0; column < ASKED; column++) asked.push(values[at(row, down) * across + at(column, across)]);
  return asked;
}

/** The places that are asked, where only a window of the ground is known. */
function askedOf(ground: Ground): ReturnType<typeof gridOf> {
  const [stepX, stepY] = [ground.width / ASKED, ground.depth / ASKED];
  return { across: ASKED, down: ASKED, left: 0, top: 0, firstX: stepX / 2, stepX, firstY: stepY / 2, stepY };
}
