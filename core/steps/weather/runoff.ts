import { z } from 'zod';
import { DEGREE, exactMath } from '../../kernels/math';
import { runoffProgram } from '../../kernels/programs/runoff';
import { choice, count, degrees, distance, hidden, plain, ratio } from '../params';
import { defineStep } from '../step';
import { bedsArgs, bedsOf, changed, easeOf, wearInputs, wearParams, hereAndSeen, samplesOf } from './common';

/**
 * Rain runs off as shallow water, takes material where it is fast and lays it down where it
 * slows: gullies on slopes, fans at their feet, flat floors where water stood.
 *
 * Heights, depths and distances in metres. Leaves `cut`, `fill`, `water` and `sediment` (depths
 * in metres; the sediment is what settled from the water in the end) and `flow`
 * (the land whose rain passes through a sample, m²).
 * Sources: Mei, Decaudin & Hu 2007, "Fast hydraulic erosion simulation and visualization on
 * GPU"; Šťava, Beneš, Brisbin & Křivánek 2008. Sediment moves with the flow between samples, so that none is lost.
 */
export const runoff = defineStep({
  id: 'runoff',
  title: 'Rain',
  family: 'weather',
  summary: 'Hydraulic erosion by rainfall: rain runs off, takes what it can carry and lays it down where it slows.',
  finds: ['hydraulic', 'erosion', 'rain', 'rainfall', 'droplets', 'water', 'gullies', 'erode', 'sediment', 'deposition', 'precipitation'],
  params: z.object({
    amount: count(120, { min: 1, max: 4_000, logarithmic: true, label: 'Amount', help: 'How long it rains: steps of time on each size of grid.' }),
    scale: distance(64, {
      fits: 'size',
      min: 1,
      max: 2_000,
      logarithmic: true,
      label: 'Largest forms',
      help: 'It begins on a grid with about this spacing: the larger, the larger the gullies and fans.',
    }),
    carry: plain(0.56, {
      fits: 'flow',
      min: 0.01,
      max: 20,
      step: 0.05,
      label: 'Strength',
      help: 'How much the water carries at its speed: metres at one metre a second down a vertical fall.',
    }),
    settle: ratio(0.5, { more: true, label: 'Settling', help: 'How soon it lays down what it cannot carry any more.' }),
    rain: distance(4, {
      more: true,
      min: 0.01,
      max: 100,
      step: 0.05,
      label: 'Rain',
      help: 'Metres an hour. More than real rain: a storm of years in minutes.',
    }),
    evaporation: ratio(0.003, {
      more: true,
      min: 0,
      max: 0.5,
      step: 0.001,
      label: 'Drying',
      help: 'Share of the water that is gone each second; less of it lets rivers grow.',
    }),
    bank: degrees(42, { more: true, min: 5, max: 85, label: 'Bank angle', help: 'Banks steeper than this slip.' }),
    edges: choice(
      'open',
      { open: 'Open', closed: 'Closed' },
      { more: true, label: 'Edges', help: 'Open: water leaves over the edge with what it carries. Closed: nothing leaves.' },
    ),
    ...wearParams,
    until: hidden(z.object({ level: z.int().min(0).max(20), round: z.int().min(0).max(4_000) }).optional(), 'Kept at'),
  }),
  presets: [
    { name: 'First storm', params: { amount: 80, scale: 24, carry: 0.4 } },
    { name: 'Gullied slopes', params: { amount: 220, scale: 48, carry: 0.9, settle: 0.35, bank: 48 } },
    { name: 'Fans and floors', params: { amount: 260, scale: 128, carry: 0.6, settle: 0.9, evaporation: 0.02 } },
    { name: 'Long wet years', params: { amount: 500, scale: 128, carry: 0.4, evaporation: 0.005, bank: 36 } },
    { name: 'Clay badland', params: { amount: 300, scale: 20, carry: 1.6, settle: 0.25, rain: 8, bank: 55 } },
  ],
  takesMask: true,
  refines: 'anew',
  reach: () => Infinity,
  inputs: wearInputs,
  caption: ({ amount }) => `${amount} steps`,
  async run(input, params, context) {
    const { kernels, progress, signal, begun } = context;
    const { height } = input;
    const { args, inputs } = await hereAndSeen(input, context, async (given, asked) => ({
      bed: given.height,
      ease: await easeOf(given, params, asked),
      beds: await bedsOf(given, params, asked),
    }));
    const { change, water, sediment, flow, reached } = await kernels.run(
      runoffProgram,
      {
        ...samplesOf(input.ground),
        ...args,
        begun: begun?.args,
        steps: params.amount,
        coarsest: params.scale,
        rain: params.rain,
        evaporation: params.evaporation,
        carry: params.carry,
        wear: WEAR,
        settle: params.settle * SETTLE,
        bank: exactMath().tan(params.bank * DEGREE),
        open: params.edges === 'open',
        beds: bedsArgs(inputs.beds, params),
        until: params.until,
      },
      { ...inputs, begun: begun && { change: begun.change, water: begun.layers.water } },
      { progress, signal, halt: context.halt, watch: context.watch },
    );
    if (reached) context.reached?.({ until: reached });
    const { height: out, layers } = changed(height, change);
    return { height: out, layers: { ...layers, water, sediment, flow } };
  },
});

/** Shares a second, at the settings' middle. */
const WEAR = 0.04;
const SETTLE = 0.08;
