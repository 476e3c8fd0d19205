import { z } from 'zod';
import { DEGREE, exactMath } from '../../kernels/math';
import { talusProgram } from '../../kernels/programs/talus';
import { choice, count, degrees, distance, hidden } from '../params';
import { defineStep } from '../step';
import { easeOf, hardnessInputs, hardnessParams, hereAndSeen, samplesOf } from './common';

/**
 * Snow or silt lies down over the ground and slides off what is too steep, into hollows and to
 * the feet of slopes; the rock beneath stays.
 *
 * Depths in metres, angles in degrees. Nothing of what was laid is made or lost but over an open
 * edge. Leaves `fill` and `sediment` (its depth, metres).
 * Source: the slide of Musgrave, Kolb & Mace 1989, held to the cover that lies on each sample.
 */
export const settle = defineStep({
  id: 'settle',
  title: 'Snow and silt',
  family: 'weather',
  summary: 'A cover lies down, slides off steep ground and fills the hollows.',
  finds: ['snow', 'snowfall', 'silt', 'sediment', 'dust', 'deposit', 'accumulation', 'cover', 'ash'],
  params: z.object({
    amount: distance(2, { min: 0.01, max: 200, step: 0.1, logarithmic: true, label: 'Depth', help: 'How much falls everywhere, where the step acts.' }),
    repose: degrees(38, { min: 2, max: 80, label: 'Repose angle', help: 'Fresh snow holds to about 40°, wet silt to some 10°.' }),
    sweeps: count(120, { min: 8, max: 2000, logarithmic: true, label: 'Sweeps', help: 'How long it slides, on each size of grid.' }),
    edges: choice(
      'closed',
      { closed: 'Closed', open: 'Open' },
      { more: true, label: 'Edges', help: 'Closed: nothing leaves the ground. Open: what slides over the edge is gone.' },
    ),
    ...hardnessParams,
    until: hidden(z.object({ level: z.int().min(0).max(20), round: z.int().min(0).max(2_000) }).optional(), 'Kept at'),
  }),
  presets: [
    { name: 'Light snow', params: { amount: 0.6, repose: 40, sweeps: 80 } },
    { name: 'Deep winter', params: { amount: 4, repose: 36, sweeps: 200 } },
    { name: 'Avalanche chutes', params: { amount: 3, repose: 28, sweeps: 400 } },
    { name: 'Silted hollows', params: { amount: 1.5, repose: 6, sweeps: 600 } },
    { name: 'Ash fall', params: { amount: 8, repose: 32, sweeps: 150 } },
  ],
  takesMask: true,
  refines: 'anew',
  reach: () => Infinity,
  inputs: hardnessInputs,
  caption: ({ amount }) => `${amount} m`,
  async run(input, params, context) {
    const { kernels, progress, signal, begun } = context;
    const { height } = input;
    const { args, inputs } = await hereAndSeen(input, context, async (given, asked) => {
      const ease = await easeOf(given, params, asked);
      const cover = new Float32Array(given.height.length);
      for (let i = 0; i < cover.length; i++) cover[i] = params.amount * (ease ? ease[i] : 1);
      return { bed: given.height.map((h, i) => h + cover[i]), cover };
    });
    const laid = inputs.cover;
    const { change, reached } = await kernels.run(
      talusProgram,
      {
        ...samplesOf(input.ground),
        ...args,
        begun: begun?.args,
        tanRepose: exactMath().tan(params.repose * DEGREE),
        sweeps: params.sweeps,
        covered: true,
        open: params.edges === 'open',
        until: params.until,
      },
      { ...inputs, begun: begun && { loose: begun.layers.sediment } },
      { progress, signal, halt: context.halt, watch: context.watch },
    );
    if (reached) context.reached?.({ until: reached });
    // What a coarser grid took from here can be a little more than lies on a sample of this one: that comes off all the others.
    let [wanted, lies] = [0, 0];
    for (let i = 0; i < laid.length; i++) {
      const depth = laid[i] + change[i];
      wanted += depth;
      lies += Math.max(0, depth);
    }
    const share = lies > 0 ? Math.max(0, wanted) / lies : 1;
    const out = new Float32Array(height.length);
    for (let i = 0; i < laid.length; i++) {
      laid[i] = Math.max(0, laid[i] + change[i]) * share;
      out[i] = height[i] + laid[i];
    }
    return { height: out, layers: { fill: laid, sediment: laid.slice() } };
  },
});
