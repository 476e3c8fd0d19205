import { z } from 'zod';
import { DEGREE, exactMath } from '../../kernels/math';
import { gridOf } from '../../field/window';
import { noiseProgram } from '../../kernels/programs/noise';
import { octavesOf } from '../../field/octaves';
import { fluvialProgram } from '../../kernels/programs/fluvial';
import { choice, degrees, distance, hidden, plain, seed, toggle } from '../params';
import { defineStep, type Begun, type StepContext } from '../step';
import { bedsArgs, bedsOf, changed, easeOf, wearInputs, wearParams, hereAndSeen, samplesOf } from './common';

const ROCK_SIZE = 420;
const ROCK_VARIES = 0.5;
/** Fans rise so from a lake's way out: two metres in a hundred, a low alluvial fan (common practice: 1 to 10°). */
const SILT_GRADE = 0.02;

/**
 * Rivers wear valleys back into the ground, the faster the more land drains through them, while
 * slopes creep after: ∂h/∂t = U − K Aᵐ S + D ∇²h.
 *
 * Heights and distances in metres, areas in m². Leaves `flow` (the catchment of every sample,
 * m²), `cut` and `fill` (depths in metres).
 * Sources: Braun & Willett 2013, "A very efficient O(n), implicit and parallel method to solve
 * the stream power equation"; Barnes, Lehman & Mulla 2014 for depressions; Yuan et al. 2019 for
 * what settles on the way.
 */
export const fluvial = defineStep({
  id: 'fluvial',
  title: 'Rivers',
  family: 'weather',
  summary: 'Hydraulic erosion by streams: they gather and wear valleys back into the ground.',
  finds: [
    'hydraulic',
    'erosion',
    'rivers',
    'streams',
    'valleys',
    'erode',
    'fluvial',
    'drainage',
    'dendritic',
    'mountains',
    'stream power',
    'landscape evolution',
  ],
  params: z.object({
    amount: distance(2_500, {
      min: 0,
      max: 1_000_000,
      logarithmic: true,
      label: 'Amount',
      help: 'How far valleys have eaten back: metres along a stream that drains one square kilometre.',
    }),
    scale: distance(200, {
      fits: 'size',
      min: 0,
      max: 4_000,
      logarithmic: true,
      label: 'Smallest valley',
      help: 'Streams begin where the water of a square this wide has gathered.',
    }),
    soften: distance(36, {
      fits: 'size',
      min: 0,
      max: 500,
      logarithmic: true,
      label: 'Rounding',
      help: 'How far slopes have crept: edges smaller than this are rounded.',
    }),
    bank: degrees(52, { more: true, min: 5, max: 85, label: 'Steepest bank', help: 'Valley sides steeper than this fall in, and the river takes what falls.' }),
    exponent: plain(0.45, {
      more: true,
      min: 0.2,
      max: 0.8,
      label: 'Area exponent',
      help: 'How much more a large river wears than a small one; 0.35 to 0.6 is usual, and is how hollow the long profiles become.',
    }),
    uplift: distance(0, { fits: 'range', more: true, min: 0, max: 9_000, label: 'Uplift', help: 'The ground rises by so much meanwhile; edge and sea stay.' }),
    deposit: plain(0, {
      more: true,
      min: 0,
      max: 3,
      step: 0.05,
      label: 'Settling',
      help: 'How much of what is worn away settles again lower down; 1 is a lot.',
    }),
    breach: distance(120, {
      fits: 'range',
      more: true,
      min: 0,
      max: 3_000,
      logarithmic: true,
      label: 'Breach',
      help: 'The ways out of hollows are cut first, by so many metres at most; what is deeper stays a lake.',
    }),
    lakes: choice(
      'silt',
      { silt: 'Silt up', stay: 'Stay' },
      { more: true, label: 'Hollows', help: 'What becomes of ground that still holds water in the end.' },
    ),
    edges: choice(
      'open',
      { open: 'Open', closed: 'Closed' },
      { more: true, label: 'Edges', help: 'Open: water leaves over the edge of the ground. Closed: to the sea or the lowest place.' },
    ),
    toSea: toggle(true, { more: true, label: 'Rivers end at the sea', help: 'Nothing is worn below the sea level, and the sea floor stays as it is.' }),
    ...wearParams,
    seed: seed(),
    until: hidden(z.object({ level: z.int().min(0).max(20), round: z.int().min(0).max(100) }).optional(), 'Kept at'),
  }),
  presets: [
    { name: 'Young gullies', params: { amount: 600, scale: 110, soften: 16, bank: 58 } },
    { name: 'Branching dales', params: { amount: 2_500, scale: 200, soften: 36, bank: 52 } },
    { name: 'Deep glens', params: { amount: 7_000, scale: 340, soften: 60, bank: 46 } },
    { name: 'Worn-down hills', params: { amount: 20_000, scale: 400, soften: 150, bank: 38, deposit: 0.3 } },
    { name: 'Rising range', params: { amount: 14_000, scale: 180, soften: 32, bank: 48, uplift: 600, exponent: 0.5 } },
  ],
  takesMask: true,
  refines: 'shares',
  reach: () => Infinity,
  inputs: (params) => ({ ...wearInputs(params), sea: params.toSea }),
  caption: ({ amount }) => `${amount} m back`,
  async run(input, params, context) {
    const { ground, kernels, progress, signal } = context;
    const { height } = input;
    const sea = params.toSea ? ground.sea - ground.datum : -Infinity;
    if (height.every((h) => h < sea)) {
      context.say('All of the ground lies under the sea, so no river runs. Lower the sea, or let rivers go on under it.');
      return { height: height.slice(), layers: {} };
    }
    if (Math.min(ground.across, ground.down) < 3 && params.edges === 'open') {
      context.say('Every sample of this ground lies on its edge, where water leaves: nothing is worn. Close the edges, or work at more samples.');
    }
    const { pow } = exactMath();
    const { args, inputs } = await hereAndSeen(input, context, async (given, asked) => ({
      bed: given.height,
      ease: await easeOf(given, params, asked),
      bank: await bankSlopes(params, asked),
      beds: await bedsOf(given, params, asked, params.uplift),
    }));
    const { begun } = context;
    const inflows = begun && inflowsOf(begun);
    const { change, flow, reached } = await kernels.run(
      fluvialProgram,
      {
        ...samplesOf(input.ground),
        ...args,
        finerGrids: context.finerGrids,
        begun: begun && inflows && { ...begun.args, inflows: inflows.length / 3 },
        reach: params.amount / pow(1e6, params.exponent),
        exponent: params.exponent,
        head: params.scale * params.scale,
        creep: params.soften * params.soften,
        uplift: params.uplift,
        deposit: params.deposit,
        breach: params.breach,
        silt: params.lakes === 'silt' ? SILT_GRADE : -1,
        open: params.edges === 'open',
        sea,
        seed: params.seed,
        steps: 1,
        masked: inputs.ease !== undefined,
        beds: bedsArgs(inputs.beds, params),
        until: params.until,
      },
      { ...inputs, begun: begun && inflows && { before: begun.before, change: begun.change, inflows } },
      { progress, signal, halt: context.halt, watch: context.watch },
    );
    if (reached) context.reached?.({ until: reached });
    const { height: out, layers } = changed(height, change);
    return { height: out, layers: { ...layers, flow } };
  },
});

/** The critical slope of every sample, rise over run. Rock that is the same everywhere falls in along planes; real valley sides stand at many angles. */
async function bankSlopes(params: { bank: number; seed: number }, { ground, window, kernels, signal }: StepContext): Promise<Float32Array<ArrayBuffer>> {
  const grid = gridOf(ground, window);
  const octaves = octavesOf(
    { kind: 'fbm', feature: ROCK_SIZE, height: 1, octaves: 7, gain: 0.6, lacunarity: 2, seed: params.seed + 17 } as never,
    Math.max(grid.stepX, grid.stepY),
  );
  const slopes = await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale: ROCK_VARIES, add: 1 }, null, { signal });
  const steepest = exactMath().tan(params.bank * DEGREE);
  for (let i = 0; i < slopes.length; i++) slopes[i] = steepest * Math.max(0.25, slopes[i]);
  return slopes;
}

/** Catchments of fewer samples are those of slopes: they do not come into a window as a stream. */
const LEAST_INFLOW = 4;

/** Where streams of the whole ground come into a window over its inner sides: metres from its north-west corner, and the catchment outside, m². */
function inflowsOf({ args: { grid, rim }, before, change, layers: { flow } }: Begun): Float32Array<ArrayBuffer> {
  const { across, down, spacingX, spacingY } = grid;
  const inside = (column: number, row: number) => column > 0 && row > 0 && column < across - 1 && row < down - 1;
  const height = (i: number) => before[i] + change[i];
  const out: number[] = [];
  const look = (column: number, row: number) => {
    const here = row * across + column;
    if (flow[here] < LEAST_INFLOW * spacingX * spacingY) return;
    // Down the steepest way; over ground that is level or a hollow, to where more water runs.
    let [steepest, most] = [0, flow[here]];
    let into: [number, number] | undefined;
    let along: [number, number] | undefined;
    for (let y = Math.max(0, row - 1); y <= Math.min(down - 1, row + 1); y++) {
      for (let x = Math.max(0, column - 1); x <= Math.min(across - 1, column + 1); x++) {
        const there = y * across + x;
        if (there === here) continue;
        const [east, south] = [(x - column) * spacingX, (y - row) * spacingY];
        const slope = (height(here) - height(there)) / Math.sqrt(east * east + south * south);
        if (slope > steepest) [steepest, into] = [slope, [x, y]];
        if (flow[there] > most) [most, along] = [flow[there], [x, y]];
      }
    }
    const to = into ?? along;
    if (to && inside(...to)) out.push(to[0] * spacingX, to[1] * spacingY, flow[here]);
  };
  for (let column = 0; column < across; column++) {
    if (!rim.north) look(column, 0);
    if (!rim.south) look(column, down - 1);
  }
  for (let row = 1; row < down - 1; row++) {
    if (!rim.west) look(0, row);
    if (!rim.east) look(across - 1, row);
  }
  return Float32Array.from(out);
}
