import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import { windProgram } from '../../kernels/programs/wind';
import { choice, count, degrees, distance, hidden, seed } from '../params';
import { defineStep } from '../step';
import { changed, easeOf, hardnessInputs, hardnessParams } from './common';

/**
 * Wind carries sand on in hops and lays it down in the lee: ridges across the wind where there
 * is much of it, single dunes where there is little.
 *
 * Heights and distances in metres, angles in degrees. The sand's slabs are counted: none is made
 * or lost but over an open edge. Leaves `cut`, `fill` and `sediment` (the sand's depth, metres).
 * Source: Werner 1995, "Eolian dunes: computer simulations and attractor interpretation".
 */
export const wind = defineStep({
  id: 'wind',
  title: 'Wind',
  family: 'weather',
  summary: 'Wind carries sand on in hops and heaps it up across its way.',
  finds: ['aeolian', 'erosion', 'sand', 'dunes', 'deflation', 'drift'],
  params: z.object({
    amount: count(300, {
      min: 1,
      max: 2_000,
      logarithmic: true,
      label: 'Amount',
      help: 'How long it blows: so often is every place tried on the coarsest grid.',
    }),
    scale: distance(40, {
      fits: 'size',
      min: 1,
      max: 1_000,
      logarithmic: true,
      label: 'Hop',
      help: 'How far sand is carried at once: the longer, the wider the dunes stand apart.',
    }),
    sand: distance(6, {
      fits: 'size',
      min: 0.1,
      max: 200,
      step: 0.1,
      logarithmic: true,
      label: 'Sand',
      help: 'How deep the sand lies to begin with, where the step acts.',
    }),
    from: degrees(270, { min: 0, max: 360, label: 'Wind from', help: 'Degrees clockwise from north: 270 blows from the west.' }),
    source: choice(
      'laid',
      { laid: 'Laid on the ground', ground: 'The ground’s own top' },
      { more: true, label: 'Sand is', help: 'Laid on: the ground grows by it. Its own top: the ground keeps its volume.' },
    ),
    shadow: degrees(15, { more: true, min: 5, max: 45, label: 'Lee angle', help: 'In the lee below this angle no wind lifts sand.' }),
    repose: degrees(33, { more: true, min: 10, max: 60, label: 'Repose angle', help: 'Dry sand rests at about 33°.' }),
    edges: choice(
      'closed',
      { closed: 'Come round', open: 'Open' },
      { more: true, label: 'Edges', help: 'Come round: what leaves on one side comes in on the other. Open: it is gone.' },
    ),
    ...hardnessParams,
    seed: seed(),
    until: hidden(z.object({ level: z.int().min(0).max(20), round: z.int().min(0).max(100_000) }).optional(), 'Kept at'),
  }),
  presets: [
    { name: 'Ripples', params: { amount: 150, scale: 12, sand: 2 } },
    { name: 'Ridges across', params: { amount: 350, scale: 45, sand: 9 } },
    { name: 'Single dunes', params: { amount: 500, scale: 60, sand: 2.5 } },
    { name: 'Great sand sea', params: { amount: 500, scale: 140, sand: 30 } },
    { name: 'Drifts behind rock', params: { amount: 150, scale: 30, sand: 1.2, shadow: 20, repose: 36 } },
  ],
  takesMask: true,
  reach: () => Infinity,
  inputs: hardnessInputs,
  caption: ({ from }) => `from ${from}°`,
  async run({ height, ground: here }, params, context) {
    const { ground, kernels, progress, signal } = context;
    const spacing = spacingOf(ground);
    const ease = await easeOf({ height, ground: here }, params, context);
    const { sin, cos, tan } = exactMath();
    const sand = new Float32Array(height.length);
    for (let i = 0; i < sand.length; i++) sand[i] = params.sand * (ease ? ease[i] : 1);
    const rock = params.source === 'ground' ? height.map((h, i) => h - sand[i]) : height;
    const {
      sand: after,
      gone,
      slab,
      reached,
    } = await kernels.run(
      windProgram,
      {
        across: ground.across,
        down: ground.down,
        point: ground.registration === 'point',
        spacingX: spacing.x,
        spacingY: spacing.y,
        sweeps: params.amount,
        coarsest: params.scale / 4,
        hopEast: -params.scale * sin(params.from * DEGREE),
        hopSouth: params.scale * cos(params.from * DEGREE),
        shadow: tan(params.shadow * DEGREE),
        repose: tan(params.repose * DEGREE),
        open: params.edges === 'open',
        seed: params.seed,
        until: params.until,
      },
      { rock, sand, ease },
      { progress, signal, halt: context.halt, watch: context.watch },
    );
    if (reached) context.reached?.({ until: reached });
    if (gone > 0) context.say(`${Math.round(gone * slab * spacing.x * spacing.y).toLocaleString('en')} m³ of sand went over the edge.`);
    const change = new Float32Array(height.length);
    for (let i = 0; i < change.length; i++) change[i] = params.source === 'ground' ? after[i] - sand[i] : after[i];
    const { height: out, layers } = changed(height, change);
    return { height: out, layers: { ...layers, sediment: after } };
  },
});
