import { z } from 'zod';
import { asOnEdge, carriedOn, sizeWithApron, withApron, withoutApron, type Apron } from '../../field/apron';
import { gaussian } from '../../field/gaussian';
import { spacingOf, type Ground } from '../../field/ground';
import { octavesOf } from '../../field/octaves';
import { boundsOf } from '../../field/statistics';
import { gridOf, wholeOf } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { GLEN, iceProgram } from '../../kernels/programs/ice';
import { noiseProgram } from '../../kernels/programs/noise';
import type { InterimState } from '../../kernels/program';
import { choice, count, degrees, distance, hidden, plain, ratio, seed } from '../params';
import { defineStep, type StepContext, type StepInput } from '../step';
import { bedsArgs, bedsOf, changed, easeOf, hereAndSeen, samplesOf, wearInputs, wearParams } from './common';

/** Ground of this size has ice in metres and years as it is in nature; on other ground it is as thick for its size, metres. */
const LIKE = 8_192;
/** Ice slides as fast as it flows within where it is about so thick, metres. */
const SLIDES_LIKE = 220;
/** A place is shaded as the ground of this size around it faces, of the ground's size. */
const SHADE_SIZE = 0.035;
/** Metres a year at which the amount is worn. */
const AT_SPEED = 50;
/** No ice slides faster, metres a year. */
const FASTEST = 40;
/** Metres a year that the step of time reckons with. */
const PACE = 450;
/** How readily ice of two hundred metres passes, m² a year. */
const PASSAGE = 6e5;
/** What breaks off in the sea, metres a year. */
const CALVES = 25;
/** Hummocks of till, of the ground's size, and how much they vary it. */
const HUMMOCK_SIZE = 0.02;
const HUMMOCKS = 0.35;

/** Ground goes on so far past its rim, of its longer side, for ice to come from and go to. */
const APRON = 1 / 16;
/** It may rise and fall there so far past its range, of it. */
const APRON_ROOM = 0.25;

/**
 * Ice gathers over a snow line, flows by its own weight, wears its bed where it slides, and lays down what it carries where it melts: corries, troughs with
 * hanging side dales, tarns behind their sills, moraines.
 *
 * Heights and distances in metres, angles in degrees. Leaves `ice` (how thick it was at its greatest), `till`, `cut` and `fill` (depths in metres).
 * Sources: shallow ice with Glen's law, n = 3 (Cuffey & Paterson 2010); wear by sliding speed (Hallet 1979; Harbor 1992 for the trough that comes of it); Jarosch, Schoof &
 * Anslow 2013 for ice on steep beds.
 */
export const glacier = defineStep({
  id: 'glacier',
  title: 'Ice',
  family: 'weather',
  summary: 'Glaciers gather, carve corries and troughs, and leave moraines.',
  finds: ['ice', 'glacial', 'erosion', 'glacier', 'glaciers', 'moraine', 'corrie', 'cirque', 'fjord', 'alpine', 'u-shaped valley'],
  params: z.object({
    amount: distance(320, {
      fits: 'range',
      min: 0,
      max: 4_000,
      logarithmic: true,
      label: 'Amount',
      help: 'Metres worn where ice slid at fifty metres a year the whole time.',
    }),
    snowline: ratio(0.5, { label: 'Snow line', help: 'Ice gathers above this share of the way from the lowest to the highest ground.' }),
    snow: plain(1, { min: 0.1, max: 5, step: 0.05, label: 'Snow', help: 'How much snow falls: 1 is a cool wet climate, less is dry and its ice thin.' }),
    favour: ratio(0.16, {
      min: 0,
      max: 0.6,
      label: 'Shade',
      help: 'On slopes in shade and lee the snow line lies lower by so much of the range: corries grow there.',
    }),
    towards: degrees(35, { more: true, min: 0, max: 360, step: 5, label: 'Shade faces', help: 'Degrees clockwise from north that the shaded slopes face.' }),
    slide: ratio(0.6, { more: true, label: 'Sliding', help: 'How much of its way ice slides over its bed, rather than within itself: cold ice hardly does.' }),
    wall: degrees(56, { more: true, min: 20, max: 85, label: 'Steepest wall', help: 'Walls over the ice that are steeper fall in.' }),
    till: ratio(0.15, { label: 'Till', help: 'How much of what is worn away lies as moraine and till in the end; the rest goes with the meltwater.' }),
    stages: count(4, { more: true, min: 1, max: 8, label: 'Stages', help: 'The ice goes in so many halts, each with its own moraine.' }),
    leaves: choice('gone', { gone: 'Melted away', lies: 'Lies on the ground' }, { label: 'Ice in the end' }),
    ...wearParams,
    seed: seed(),
    until: hidden(z.object({ level: z.int().min(0).max(20), round: z.int().min(0).max(10_000) }).optional(), 'Kept at'),
  }),
  presets: [
    { name: 'Corries', params: { amount: 380, snowline: 0.68, favour: 0.24, snow: 0.8, till: 0.25 } },
    { name: 'Valley glaciers', params: { amount: 320, snowline: 0.48, favour: 0.14 } },
    { name: 'Deep troughs', params: { amount: 800, snowline: 0.32, snow: 1.4, slide: 0.75, favour: 0.08 } },
    { name: 'Ice cap', params: { amount: 200, snowline: 0.12, snow: 1.2, favour: 0.02, till: 0.25 } },
    { name: 'Last ice', params: { amount: 90, snowline: 0.6, favour: 0.2, snow: 0.7, till: 0.3, stages: 5 } },
  ],
  takesMask: true,
  reach: () => Infinity,
  inputs: (params) => ({ ...wearInputs(params), sea: true }),
  caption: ({ amount }) => `${amount} m worn`,
  async run(input, params, context) {
    const { ground, kernels, progress, signal } = context;
    const { height } = input;
    const sea = ground.sea - ground.datum;
    const { lowest, highest } = boundsOf(context.seen?.input.height ?? height);
    const none = (sentence: string) => {
      context.say(sentence);
      return { height: height.slice(), layers: {} };
    };
    if (highest <= sea) return none('All of the ground lies under the sea: ice breaks off there, and none gathers. Lower the sea.');
    if (highest - lowest < 1e-3) return none('Level ground sheds no ice: it has nowhere to flow. Give it some relief first.');
    // As thick for its size as ice is on ground of eight kilometres.
    const like = Math.max(ground.width, ground.depth) / LIKE;
    const dry = Math.max(lowest, sea);
    const line = dry + params.snowline * (highest - dry);
    const margin = APRON_ROOM * (highest - lowest);
    const beyond = carriedOn(lowest - margin, highest + margin);
    const { args, inputs } = await hereAndSeen(input, context, async (given, asked) => {
      const on = (values: Float32Array, how: (edge: number, within: number) => number = asOnEdge) =>
        withApron(values, given.ground, apronOf(given.ground), how);
      const ease = await easeOf(given, params, asked);
      const beds = await bedsOf(given, params, asked, 0.5 * (highest - lowest));
      return {
        bed: on(given.height, beyond),
        ease: ease && on(ease),
        snowline: on(await snowlines(given, asked, line, params.favour * (highest - dry), params.towards)),
        beds: beds && { ...beds, uplift: on(beds.uplift), sound: beds.sound && on(beds.sound) },
      };
    });
    const apron = apronOf(ground);
    const made = await kernels.run(
      iceProgram,
      {
        ...samplesOf(ground),
        ...sizeWithApron(ground, apron),
        ...(args.seen && context.seen ? { seen: { ...args.seen, ...sizeWithApron(args.seen, apronOf(context.seen.context.ground)) } } : {}),
        ...iceBy(params, { like, line, highest, sea: sea > lowest ? sea : -Infinity }),
        masked: inputs.ease !== undefined,
        beds: bedsArgs(inputs.beds, params),
        until: params.until,
      },
      inputs,
      { progress, signal, halt: context.halt, watch: context.watch && ((state) => context.watch!(withinRim(state, ground, apron))) },
    );
    if (made.reached) context.reached?.({ until: made.reached });
    const [change, ice, till] = [made.change, made.ice, made.till].map((values) => withoutApron(values, ground, apron));
    if (!ice.some((depth) => depth > 0)) return none('The snow line lies above all of the ground: no ice gathers. Lower it.');
    await hummocks(till, change, context, params.seed);
    if (params.leaves === 'lies') for (let i = 0; i < change.length; i++) change[i] += ice[i];
    const { height: out, layers } = changed(height, change);
    return { height: out, layers: { ...layers, ice, till } };
  },
});

/** What the kernels are told of ice, for ground `like` times as large as that which it is written for; its snow line and heights in metres. */
function iceBy(
  params: Record<'snow' | 'slide' | 'amount' | 'wall' | 'till' | 'stages', number>,
  { like, line, highest, sea }: { like: number; line: number; highest: number; sea: number },
) {
  return {
    flow: GLEN / (like * like * like),
    slide: (GLEN * SLIDES_LIKE * (params.slide / Math.max(0.05, 1 - params.slide))) / (like * like),
    gradient: 0.008 * params.snow,
    most: 1.6 * params.snow * like,
    sea,
    calve: CALVES * like,
    wear: params.amount / (AT_SPEED * like),
    fastest: FASTEST * like,
    bank: exactMath().tan(params.wall * DEGREE),
    till: params.till,
    stages: params.stages,
    rise: Math.max(0, highest - line),
    pace: PACE * like,
    passage: PASSAGE * like * like,
  };
}

/** The samples that a ground goes on for past its rim. */
function apronOf(ground: Ground): Apron {
  const { x, y } = spacingOf(ground);
  const far = APRON * Math.max(ground.width, ground.depth);
  return { x: Math.round(far / x), y: Math.round(far / y) };
}

/** What stands of a work that is under way, without the apron: as near as its grid's samples let it be. */
function withinRim({ across, down, change }: InterimState, ground: Ground, apron: Apron): InterimState {
  const whole = sizeWithApron(ground, apron);
  const own: Apron = { x: Math.round((across * apron.x) / whole.across), y: Math.round((down * apron.y) / whole.down) };
  const size = { across: across - 2 * own.x, down: down - 2 * own.y };
  return { ...size, change: withoutApron(change, size, own) };
}

/** The height of the snow line at every sample: lower where the ground around faces the shade. */
async function snowlines({ height, ground: here }: StepInput, { kernels, signal }: StepContext, line: number, lower: number, towards: number) {
  const { x, y } = spacingOf(here);
  const { sin, cos } = exactMath();
  const size = SHADE_SIZE * Math.max(here.width, here.depth);
  const { across, down } = here;
  const wide = await gaussian(kernels, height, across, down, size / 2 / x, size / 2 / y, { signal });
  const [east, south] = [sin(towards * DEGREE), -cos(towards * DEGREE)];
  const out = new Float32Array(height.length);
  for (let row = 0, i = 0; row < down; row++) {
    const [n, s] = [row > 0 ? across : 0, row < down - 1 ? across : 0];
    for (let column = 0; column < across; column++, i++) {
      const [w, e] = [column > 0 ? 1 : 0, column < across - 1 ? 1 : 0];
      const gx = w + e > 0 ? (wide[i + e] - wide[i - w]) / ((w + e) * x) : 0;
      const gy = n + s > 0 ? (wide[i + s] - wide[i - n]) / ((n + s > across ? 2 : 1) * y) : 0;
      // How much it falls towards the shade; from a slope of one in three on, whole.
      const faces = Math.max(-1, Math.min(1, -3 * (gx * east + gy * south)));
      out[i] = line - lower * faces;
    }
  }
  return out;
}

/** Till lies in hummocks: it varies about its depth, and its volume stays. */
async function hummocks(till: Float32Array, change: Float32Array, { ground, kernels, signal }: StepContext, salt: number): Promise<void> {
  const grid = gridOf(ground, wholeOf(ground));
  const feature = HUMMOCK_SIZE * Math.max(ground.width, ground.depth);
  const octaves = octavesOf({ feature, octaves: 3, gain: 0.45, lacunarity: 2.03, seed: salt + 61 }, Math.max(grid.stepX, grid.stepY));
  const noise = await kernels.run(noiseProgram, { ...grid, kind: 0, octaves, scale: HUMMOCKS, add: 1 }, null, { signal });
  let [before, after] = [0, 0];
  for (let i = 0; i < till.length; i++) {
    before += till[i];
    noise[i] = till[i] * Math.max(0.1, noise[i]);
    after += noise[i];
  }
  const scale = after > 0 ? before / after : 1;
  for (let i = 0; i < till.length; i++) {
    change[i] += scale * noise[i] - till[i];
    till[i] = scale * noise[i];
  }
}
