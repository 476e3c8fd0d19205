import { grouped } from '../../grouped';
import { z } from 'zod';
import { UplandError } from '../../errors';
import { type Remap, remapProgram } from '../../kernels/programs/remap';
import { defineStep } from '../step';
import { elevation, plain } from '../params';

/**
 * An input range of elevations onto an output range, bent by a gamma: out = a + (b − a) · t^(1/γ).
 * What lies beyond the input range stands at its ends and is counted as clipped.
 */
export const levels = defineStep({
  id: 'levels',
  title: 'Levels',
  family: 'shape',
  summary: 'An input range of elevations onto an output range, the middle lifted or sunk.',
  finds: ['contrast', 'gamma', 'brightness', 'input', 'output', 'range', 'remap', 'normalise', 'normalize', 'black point', 'white point'],
  params: z.object({
    inLow: elevation(0, { min: -11_000, max: 9_000, label: 'Input from', beginsAt: 'lowest' }),
    inHigh: elevation(1_000, { min: -11_000, max: 9_000, label: 'Input to', beginsAt: 'highest' }),
    gamma: plain(1, { min: 0.1, max: 10, logarithmic: true, label: 'Gamma', help: 'Over 1 lifts the middle, under 1 sinks it.' }),
    outLow: elevation(0, { min: -11_000, max: 9_000, label: 'Output from', beginsAt: 'lowest' }),
    outHigh: elevation(1_000, { min: -11_000, max: 9_000, label: 'Output to', beginsAt: 'highest' }),
  }),
  reach: () => 0,
  caption: ({ outLow, outHigh, gamma }) => `${Math.round(outLow)} to ${Math.round(outHigh)} m${gamma === 1 ? '' : `, γ ${Number(gamma.toFixed(2))}`}`,
  async run({ height }, { inLow, inHigh, gamma, outLow, outHigh }, { kernels, say, signal }) {
    if (inLow === inHigh) throw new UplandError('levels-span', 'The input range begins and ends at the same elevation. Set two different ones.');
    const by: Remap = { kind: 'levels', inLow, scale: 1 / (inHigh - inLow), exponent: 1 / gamma, outLow, outRange: outHigh - outLow };
    const { height: out, below, above } = await kernels.run(remapProgram, { count: height.length, by }, height, { signal });
    if (below || above)
      say(`${grouped(below + above)} samples lie beyond the input range and are clipped: ${grouped(below)} at its lower end, ${grouped(above)} at its upper.`);
    return { height: out };
  },
});
