import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { DEGREE, exactMath } from '../../kernels/math';
import { distanceProgram } from '../../kernels/programs/distance';
import { degrees, distance, ratio } from '../params';
import { cooperativeYield } from '../../cooperative-yield';
import { defineStep } from '../step';
import { changed, easeOf, wearInputs, wearParams } from './common';

/**
 * Waves cut a beach into the land up to where they reach, and a bench under the water before it.
 *
 * Heights and distances in metres, angles in degrees. The profile follows the distance to the
 * water line: on land the beach rises from the sea at its slope to the reach of the waves; under
 * water the bench falls gently to its outer edge. Nothing above the waves' reach changes. Leaves
 * `cut` and `fill` (depths in metres).
 * The distance is exact (Felzenszwalb & Huttenlocher 2012); the profile is common practice: a
 * wave-cut bench behind a beach face.
 */
export const shore = defineStep({
  id: 'shore',
  title: 'Shore',
  family: 'weather',
  summary: 'Waves cut a beach and a bench along the water line.',
  params: z.object({
    amount: ratio(0.85, { label: 'Amount', help: 'How far the ground has come to the beach’s form.' }),
    scale: distance(60, {
      fits: 'size',
      min: 1,
      max: 4_000,
      logarithmic: true,
      label: 'Wave reach',
      help: 'So far from the water line the waves work, to either side.',
    }),
    height: distance(4, {
      fits: 'size',
      min: 0.1,
      max: 200,
      step: 0.1,
      logarithmic: true,
      label: 'Wave height',
      help: 'Nothing higher than this above the sea changes.',
    }),
    beach: degrees(6, { more: true, min: 0.5, max: 45, label: 'Beach slope', help: 'Sand lies at 2 to 8°, shingle up to 15°.' }),
    bench: degrees(2.5, { more: true, min: 0, max: 45, label: 'Bench slope', help: 'How the ground falls away under water.' }),
    ...wearParams,
  }),
  presets: [
    { name: 'Sand beach', params: { scale: 90, height: 4, beach: 4, bench: 1.5 } },
    { name: 'Shingle bank', params: { scale: 40, height: 5, beach: 12, bench: 5 } },
    { name: 'Wave-cut bench', params: { scale: 120, height: 3, beach: 2, bench: 1, amount: 1 } },
    { name: 'Lake margin', params: { scale: 14, height: 0.8, beach: 5, bench: 4, amount: 0.7 } },
    { name: 'Storm coast', params: { scale: 200, height: 14, beach: 8, bench: 3, amount: 0.9 } },
  ],
  takesMask: true,
  reach: ({ scale }, ground) => {
    const { x, y } = spacingOf(ground);
    return scale + 2 * Math.max(x, y);
  },
  inputs: (params) => ({ ...wearInputs(params), sea: true }),
  caption: ({ scale }) => `${scale} m`,
  async run({ height, ground: here }, params, context) {
    const { ground, window, kernels, signal, progress } = context;
    const spacing = spacingOf(ground);
    const { across, down } = window;
    const ease = await easeOf({ height, ground: here }, params, context);
    const sea = ground.sea - ground.datum;
    const wet = Uint8Array.from(height, (h) => (h < sea ? 1 : 0));
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
    const args = { across, down, spacingX: spacing.x, spacingY: spacing.y };
    const toWater = await kernels.run(distanceProgram, args, wet, { signal });
    const toLand = await kernels.run(
      distanceProgram,
      args,
      wet.map((w) => 1 - w),
      { signal },
    );
    const { tan } = exactMath();
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
        if (above > params.height) continue;
        const far = Math.max(0, (wet[i] ? toLand[i] : toWater[i]) - half);
        if (far >= params.scale) continue;
        // Whole at the line, none at the end of the reach; and none at the waves' height, so that no step is left there.
        const t = far / params.scale;
        let weight = params.amount * (1 - t * t * (3 - 2 * t)) * (ease ? ease[i] : 1);
        let target: number;
        if (wet[i]) target = -far * bench;
        else {
          target = Math.min(params.height, far * beach);
          const up = above / params.height;
          weight *= 1 - up * up;
        }
        // The line stays where it is: what is land stays land.
        const moved = weight * (target - above);
        change[i] = wet[i] ? Math.min(moved, -above * 0.999) : Math.max(moved, -above);
      }
    }
    return changed(height, change);
  },
});
