import { z } from 'zod';
import { defineStep } from '../step';
import { choice, elevation } from '../params';

/** Turns the ground upside down about an elevation, or about the middle of its own range. */
export const invert = defineStep({
  id: 'invert',
  title: 'Invert',
  family: 'shape',
  summary: 'Turns the ground upside down: hills become hollows.',
  finds: ['negative', 'reverse', 'complement', 'subtract', 'upside down', 'flip heights'],
  params: z.object({
    about: choice('middle', { middle: 'The middle of its range', elevation: 'An elevation' }, { label: 'About' }),
    pivot: elevation(0, { min: -11_000, max: 9_000, label: 'Elevation', beginsAt: 'middle', when: { about: ['elevation'] } }),
  }),
  reach: ({ about }) => (about === 'middle' ? Infinity : 0),
  caption: ({ about, pivot }) => (about === 'middle' ? 'about the middle' : `about ${Math.round(pivot)} m`),
  run({ height }, { about, pivot }) {
    let sum = 2 * pivot;
    if (about === 'middle') {
      let low = Infinity;
      let high = -Infinity;
      for (let i = 0; i < height.length; i++) {
        if (height[i] < low) low = height[i];
        if (height[i] > high) high = height[i];
      }
      sum = low + high;
    }
    const out = new Float32Array(height.length);
    for (let i = 0; i < out.length; i++) out[i] = sum - height[i];
    return { height: out };
  },
});
