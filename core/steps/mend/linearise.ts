import { z } from 'zod';
import { linearFromSrgb, srgbFromLinear } from '../../colour';
import { exactMath } from '../../kernels/math';
import { choice, elevation, plain } from '../params';
import { defineStep } from '../step';

/**
 * Undoes a picture's tone curve: heights between black and white, taken as code values of 0 to
 * 1, become what they were before they were encoded for a screen. sRGB by IEC 61966-2-1 (0.5
 * becomes 0.21404), or a plain power. Both ends stay.
 */
export const linearise = defineStep({
  id: 'linearise',
  title: 'Remove tone curve',
  family: 'mend',
  summary: 'Undoes the tone curve that a picture was saved with.',
  finds: ['gamma', 'srgb', 'color', 'linear', 'picture', 'brightness', 'tone curve', 'colour space'],
  params: z.object({
    curve: choice('srgb', { srgb: 'sRGB', power: 'A power' }, { label: 'Tone curve' }),
    gamma: plain(2.2, { min: 0.2, max: 5, step: 0.05, label: 'Gamma', when: { curve: ['power'] } }),
    way: choice('undo', { undo: 'Undo it', apply: 'Apply it' }, { label: 'Way' }),
    black: elevation(0, { min: -20_000, max: 20_000, step: 0.1, label: 'Black', help: 'The height that code 0 stands for.' }),
    white: elevation(255, { min: -20_000, max: 20_000, step: 0.1, label: 'White', help: 'The height that the largest code stands for.' }),
  }),
  reach: () => 0,
  caption: ({ curve, gamma }) => (curve === 'srgb' ? 'sRGB' : `gamma ${gamma}`),
  run({ height }, { curve, gamma, way, black, white }, { say }) {
    if (!(white > black)) {
      say('White has to lie above black. Nothing was changed.');
      return { height };
    }
    const { pow } = exactMath();
    const tone =
      curve === 'srgb'
        ? way === 'undo'
          ? (v: number) => linearFromSrgb(v, (x) => pow(x, 2.4))
          : (v: number) => srgbFromLinear(v, pow)
        : (v: number) => pow(v, way === 'undo' ? gamma : 1 / gamma);
    const span = white - black;
    return {
      height: height.map((h) => {
        const v = (h - black) / span;
        // What lies outside was no tone of the picture: it stays.
        return v <= 0 || v >= 1 ? h : black + span * tone(v);
      }),
    };
  },
});
