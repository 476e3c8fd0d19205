import { z } from 'zod';
import { cooperativeYield } from '../../cooperative-yield';
import { spacingOf } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import { distanceProgram } from '../../kernels/programs/distance';
import { frontProgram } from '../../kernels/programs/front';
import { entryAt } from '../../rock/hardness';
import { degrees, distance, ratio, seed } from '../params';
import { noiseOver } from '../source/places';
import { defineStep, type StepContext, type StepInput } from '../step';
import { exposureOf } from './coast';
import { changed, easeOf, wearInputs, wearParams, type Wear } from './common';

/** Where the sea comes from half of all sides it cuts back as far as is said: such a coast is straight. */
const STRAIGHT = 0.5;
/** Hard beds give way so much slower to waves than soft ones. */
const HARD = 0.1;
const SOFT = 1.3;
/** Cliffs in hard and in soft beds stand so much steeper or gentler, rise over run. */
const HARD_CLIFF = 1.6;
const SOFT_CLIFF = 0.6;

/**
 * Waves cut the coast back, the faster the more open water lies before it and the softer its rock is: cliffs with a bench before them, headlands and
 * stacks where it holds. Where they are weak or the land is low, they build a beach.
 *
 * Heights and distances in metres, angles in degrees. What is cut back is where a front from the water line comes in the time, at its speed by exposure
 * and rock. The bench falls gently seaward under the water; behind the new line stands a cliff, and behind that nothing changes. On low land the beach rises from the sea at its slope to the reach of the
 * waves. Leaves `cut` and `fill` (depths in metres).
 * Distances are exact (Felzenszwalb & Huttenlocher 2012), the front is an eikonal equation (Zhao 2005); waves by fetch, and the profile of a wave-cut bench behind a
 * beach face, are common practice.
 */
export const shore = defineStep({
  id: 'shore',
  title: 'Shore',
  family: 'weather',
  summary: 'Waves cut cliffs and a bench into open coasts, and build beaches where they are weak.',
  finds: ['coast', 'coastal', 'erosion', 'beach', 'cliff', 'waves', 'sea', 'marine', 'shoreline', 'island', 'cove'],
  params: z.object({
    retreat: distance(110, {
      fits: 'size',
      min: 0,
      max: 20_000,
      logarithmic: true,
      label: 'Cut back',
      help: 'So far an open straight coast has gone back; less in bays, more on points, and hardly where rock is hard.',
    }),
    stacks: ratio(0.6, { label: 'Uneven', help: 'How much the coast differs from place to place: headlands, stacks and coves come of it.' }),
    amount: ratio(0.85, { label: 'Beach', help: 'How far low ground has come to the beach’s form.' }),
    scale: distance(60, {
      fits: 'size',
      min: 1,
      max: 4_000,
      logarithmic: true,
      label: 'Wave reach',
      help: 'So far from the water line a beach and its bench reach, to either side.',
    }),
    height: distance(4, {
      fits: 'size',
      min: 0.1,
      max: 200,
      step: 0.1,
      logarithmic: true,
      label: 'Wave height',
      help: 'A beach lies no higher than this above the sea.',
    }),
    cliff: degrees(68, { more: true, min: 15, max: 88, label: 'Cliff', help: 'How steep the cliffs stand.' }),
    beach: degrees(6, { more: true, min: 0.5, max: 45, label: 'Beach slope', help: 'Sand lies at 2 to 8°, shingle up to 15°.' }),
    bench: degrees(2.5, { more: true, min: 0, max: 45, label: 'Bench slope', help: 'How the ground falls away under water.' }),
    ...wearParams,
    seed: seed(),
  }),
  presets: [
    { name: 'Sand beach', params: { retreat: 0, scale: 90, height: 4, beach: 4, bench: 1.5 } },
    { name: 'Cliffs and coves', params: { retreat: 160, stacks: 0.8, scale: 70, height: 4, beach: 5 } },
    { name: 'Wave-cut bench', params: { retreat: 90, stacks: 0.4, scale: 120, height: 3, beach: 2, bench: 1, amount: 1 } },
    { name: 'Lake margin', params: { retreat: 6, stacks: 0.3, scale: 14, height: 0.8, beach: 5, bench: 4, amount: 0.7 } },
    { name: 'Storm coast', params: { retreat: 320, stacks: 1, scale: 160, height: 10, beach: 8, bench: 3, amount: 0.9, cliff: 74 } },
  ],
  takesMask: true,
  reach: ({ scale, retreat }, ground) => {
    const { x, y } = spacingOf(ground);
    // Open water counts from afar.
    return retreat > 0 ? Infinity : scale + 2 * Math.max(x, y);
  },
  inputs: (params) => ({ ...wearInputs(params), sea: true }),
  caption: ({ retreat, scale }) => (retreat > 0 ? `${Math.round(retreat)} m back` : `${Math.round(scale)} m`),
  async run(input, params, context) {
    const { height } = input;
    const { ground, window, kernels, signal } = context;
    const spacing = spacingOf(ground);
    const { across, down } = window;
    const ease = await easeOf(input, params, context);
    const sea = ground.sea - ground.datum;
    const wet = new Uint8Array(height.length);
    for (let i = 0; i < wet.length; i++) wet[i] = height[i] < sea ? 1 : 0;
    const some = wet.includes(1);
    const all = !wet.includes(0);
    if (!some || all) {
      if (across === ground.across && down === ground.down) {
        context.say(
          some
            ? 'All of the ground lies under the sea: there is no water line to work on.'
            : 'No part of the ground lies under the sea: there is no water line to work on.',
        );
      }
      return changed(height, new Float32Array(height.length));
    }
    const back = params.retreat > 0 ? await cutBack(input, params, context, wet, ease) : undefined;
    const now = back ? wet.slice() : wet;
    if (back) for (let i = 0; i < now.length; i++) if (back.time[i] < 1) now[i] = 1;
    const dry = new Uint8Array(now.length);
    for (let i = 0; i < dry.length; i++) dry[i] = 1 - now[i];
    const args = { across, down, spacingX: spacing.x, spacingY: spacing.y };
    const toWater = await kernels.run(distanceProgram, args, now, { signal });
    const toLand = await kernels.run(distanceProgram, args, dry, { signal });
    const change = await profileOf(input, params, context, { wet, now, toWater, toLand, ease, back });
    return changed(height, change);
  },
});

interface ShoreParams extends Wear {
  retreat: number;
  stacks: number;
  amount: number;
  scale: number;
  height: number;
  cliff: number;
  beach: number;
  bench: number;
  seed: number;
}

interface CutBack {
  /** When the sea comes to a place: 1 is the end of the time. */
  time: Float32Array<ArrayBuffer>;
  /** How open the coast is, 0 to 1. */
  open: Float32Array<ArrayBuffer>;
  /** Rise over run of the cliffs. */
  cliff: Float32Array<ArrayBuffer>;
}

/** When the sea comes to every place, by how open it lies and how hard it is. */
async function cutBack({ height }: StepInput, params: ShoreParams, context: StepContext, wet: Uint8Array, ease: Float32Array | undefined): Promise<CutBack> {
  const { ground, window, kernels, signal } = context;
  const { tan } = exactMath();
  const sea = ground.sea - ground.datum;
  const rock = params.rock > 0 ? await context.rock({ lowest: sea - 1, highest: sea + 1 }) : undefined;
  const open = await exposureOf(wet, { ...ground, ...window }, signal);
  const uneven = await noiseOver(context, { feature: Math.max(4 * params.retreat, 8 * spacingOf(ground).x), octaves: 5, seed: params.seed + 19 });
  const speed = new Float32Array(height.length);
  const cliff = new Float32Array(height.length);
  const stands = tan(params.cliff * DEGREE);
  for (let i = 0; i < speed.length; i++) {
    open[i] = Math.min(1, open[i] / STRAIGHT);
    const hard = rock ? rock.table.hardness[entryAt(rock.table, sea, rock.uplift[i])] * (rock.sound ? rock.sound[i] : 1) : 0;
    const gives = rock ? 1 + params.rock * (SOFT + (HARD - SOFT) * hard - 1) : 1;
    const differs = Math.max(0.06, 1 + 2.6 * params.stacks * uneven[i]);
    speed[i] = params.retreat * open[i] * Math.sqrt(open[i]) * gives * differs * (ease ? ease[i] : 1);
    cliff[i] = stands * (rock ? 1 + params.rock * (SOFT_CLIFF + (HARD_CLIFF - SOFT_CLIFF) * hard - 1) : 1);
  }
  const { across, down } = window;
  const time = new Float32Array(height.length).fill(Infinity);
  for (let i = 0; i < time.length; i++) if (wet[i]) time[i] = 0;
  startAtLine(time, { height, wet, speed, sea }, { across, down, spacing: spacingOf(ground) });
  const { x: spacingX, y: spacingY } = spacingOf(ground);
  return { time: await kernels.run(frontProgram, { across, down, spacingX, spacingY }, { time, speed }, { signal }), open, cliff };
}

/** The line runs between a wet and a dry sample, where the ground comes to the sea's level. */
function startAtLine(
  time: Float32Array,
  { height, wet, speed, sea }: { height: Float32Array; wet: Uint8Array; speed: Float32Array; sea: number },
  { across, down, spacing }: { across: number; down: number; spacing: { x: number; y: number } },
): void {
  for (let row = 0, i = 0; row < down; row++) {
    for (let column = 0; column < across; column++, i++) {
      if (wet[i] || !(speed[i] > 0)) continue;
      let least = Infinity;
      const beside = (there: boolean, j: number, far: number) => {
        if (there && wet[j]) least = Math.min(least, (far * (height[i] - sea)) / Math.max(1e-6, height[i] - height[j]));
      };
      beside(column > 0, i - 1, spacing.x);
      beside(column < across - 1, i + 1, spacing.x);
      beside(row > 0, i - across, spacing.y);
      beside(row < down - 1, i + across, spacing.y);
      if (least < Infinity) time[i] = least / speed[i];
    }
  }
}

interface Lines {
  /** 1 where there was water before, and where there is now. */
  wet: Uint8Array;
  now: Uint8Array;
  toWater: Float32Array;
  toLand: Float32Array;
  ease: Float32Array | undefined;
  back: CutBack | undefined;
}

/** What the profile of bench, cliff and beach changes. */
async function profileOf({ height }: StepInput, params: ShoreParams, context: StepContext, { wet, now, toWater, toLand, ease, back }: Lines) {
  const { ground, window, signal, progress } = context;
  const { across, down } = window;
  const { tan } = exactMath();
  const spacing = spacingOf(ground);
  const sea = ground.sea - ground.datum;
  const [beach, bench] = [tan(params.beach * DEGREE), tan(params.bench * DEGREE)];
  // The line runs half a sample from the last wet or dry one.
  const half = Math.min(spacing.x, spacing.y) / 2;
  const change = new Float32Array(height.length);
  const rest = cooperativeYield(signal);
  for (let row = 0, i = 0; row < down; row++) {
    const pause = rest();
    if (pause) await pause;
    progress(row / down);
    for (let column = 0; column < across; column++, i++) {
      const above = height[i] - sea;
      const far = Math.max(0, (now[i] ? toLand[i] : toWater[i]) - half);
      if (back && now[i] && !wet[i]) {
        // Cut back: the bench, a little under the water.
        change[i] = Math.min(0, -0.12 * params.height - far * bench - above);
        continue;
      }
      if (back && wet[i] && far < 3 * params.retreat) {
        // Where the line has gone back, the floor before it is worn to the same bench.
        const over = above + 0.12 * params.height + far * bench;
        const fades = Math.min(1, 3 - far / params.retreat);
        if (over > 0) {
          change[i] = -over * fades * (ease ? Math.min(1, ease[i]) : 1);
          continue;
        }
      }
      if (back && !now[i] && back.time[i] < Infinity) {
        const most = 0.5 * params.height + far * back.cliff[i];
        if (above > most) {
          change[i] = (most - above) * (ease ? Math.min(1, ease[i]) : 1);
          continue;
        }
      }
      if (above > params.height || far >= params.scale) continue;
      // Whole at the line, none at the end of the reach; and none at the waves' height, so that no step is left there.
      const t = far / params.scale;
      // Sand stays where waves are weak.
      const stays = back ? 1 - 0.7 * back.open[i] : 1;
      let weight = params.amount * stays * (1 - t * t * (3 - 2 * t)) * (ease ? ease[i] : 1);
      let target: number;
      if (now[i]) target = -far * bench;
      else {
        target = Math.min(params.height, far * beach);
        const up = above / params.height;
        weight *= 1 - up * up;
      }
      // What is land stays land.
      const moved = weight * (target - above);
      change[i] = now[i] ? Math.min(moved, -above * 0.999) : Math.max(moved, -above);
    }
  }
  return change;
}
