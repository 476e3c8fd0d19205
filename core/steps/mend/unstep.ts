import { z } from 'zod';
import { levelOf, unstep } from '../../field/unstep';
import { distance } from '../params';
import { defineStep } from '../step';

/**
 * Takes the steps of few levels out of gentle ground: the least bent surface that stays within
 * half a level of every sample, as far as smoothness is the right belief there. Every sample
 * goes back to its own code.
 */
export const unstepStep = defineStep({
  id: 'unstep',
  title: 'Smooth out steps',
  family: 'mend',
  summary: 'Takes the steps of 256 levels out where the ground is gentle, and leaves rough ground as it is.',
  finds: ['stairs', 'stair-steps', 'terracing', 'banding', 'quantisation', 'quantization', '8-bit', 'dither', 'steps', 'debanding'],
  params: z.object({
    level: distance(0, { min: 0, max: 500, step: 0.001, label: 'One level', help: 'Metres from code to code; 0 finds it in the heights.' }),
  }),
  reach: () => Infinity,
  caption: ({ level }) => (level > 0 ? `${Number(level.toPrecision(3))} m a level` : 'its own levels'),
  async run({ height }, { level }, { window, kernels, signal, progress, say }) {
    const found = level > 0 ? level : levelOf(height);
    if (found === null) {
      say('These heights lie on no ladder of levels, so there are no steps to take out. Type the metres of one level where you know them.');
      return { height };
    }
    const smooth = await unstep(kernels, height, window.across, window.down, found, { signal, progress });
    let sum = 0;
    for (let i = 0; i < smooth.length; i++) sum += Math.abs(smooth[i] - height[i]);
    say(`One level is ${Number(found.toPrecision(4))} m. Samples moved by ${(sum / smooth.length / found).toFixed(3)} of one on average, none by half of one.`);
    return { height: smooth };
  },
});
