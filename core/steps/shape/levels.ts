import { grouped } from '../../grouped';
import { z } from 'zod';
import { UplandError } from '../../errors';
import { exactMath } from '../../kernels/math';
import { cooperativeYield } from '../../cooperative-yield';
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
  async run({ height }, { inLow, inHigh, gamma, outLow, outHigh }, { say, signal }) {
    const rest = cooperativeYield(signal);
    if (inLow === inHigh) throw new UplandError('levels-span', 'The input range begins and ends at the same elevation. Set two different ones.');
    const { pow } = exactMath();
    const scale = 1 / (inHigh - inLow);
    const exponent = 1 / gamma;
    let below = 0;
    let above = 0;
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) {
      if ((i & 0xffff) === 0) await rest();
      let t = (height[i] - inLow) * scale;
      if (t < 0) {
        t = 0;
        below++;
      } else if (t > 1) {
        t = 1;
        above++;
      }
      out[i] = outLow + (outHigh - outLow) * (gamma === 1 ? t : pow(t, exponent));
    }
    if (below || above)
      say(`${grouped(below + above)} samples lie beyond the input range and are clipped: ${grouped(below)} at its lower end, ${grouped(above)} at its upper.`);
    return { height: out };
  },
});
