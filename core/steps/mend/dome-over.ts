import { z } from 'zod';
import { spacingOf } from '../../field/ground';
import { fillVoids, patchesOf } from '../../field/voids';
import { choice, distance, elevation, toggle } from '../params';
import { defineStep } from '../step';

/**
 * Builds a cap over tops (or a bowl under bottoms) that were cut off level, by carrying the
 * slope of their rim on over them. What it makes is an invention: nothing in the heights says
 * what was there. Samples below the cut keep their bits, and no cap goes the other way.
 */
export const domeOver = defineStep({
  id: 'dome-over',
  title: 'Rebuild clipped tops',
  family: 'mend',
  summary: 'Carries the slope of their rim on over clipped tops: an invention, and called one.',
  finds: ['clipped', 'clipping', 'saturated', 'peaks', 'tops', 'white', 'flat', 'plateau', 'repair', 'highlights'],
  params: z.object({
    what: choice('tops', { tops: 'Tops', bottoms: 'Bottoms' }, { label: 'Over' }),
    find: toggle(true, { label: 'Find the cut', help: 'The highest (or lowest) height there is. Off: it is typed.' }),
    cut: elevation(1000, { min: -20_000, max: 20_000, label: 'Cut at', when: { find: [false] } }),
    area: distance(0, { min: 0, max: 1e6, label: 'From', help: 'Metres across; level places smaller than that are left.' }),
    most: distance(400, { min: 0, max: 9000, label: 'At most', help: 'The height of the highest cap above the cut.' }),
  }),
  reach: () => Infinity,
  caption: ({ what }) => (what === 'tops' ? 'invented tops' : 'invented bottoms'),
  async run({ height }, { what, find, cut, area, most }, { ground, window, signal, progress, say }) {
    const { across, down } = window;
    const sign = what === 'tops' ? 1 : -1;
    let end = -Infinity;
    for (let i = 0; i < height.length; i++) end = Math.max(end, sign * height[i]);
    const level = find ? end : sign * cut;
    const { x, y } = spacingOf(ground);
    const level1 = new Uint8Array(height.length);
    for (let i = 0; i < height.length; i++) level1[i] = sign * height[i] >= level ? 1 : 0;
    const free = new Uint8Array(height.length);
    const least = Math.max(4, (area * area) / (x * y));
    let caps = 0;
    for (const patch of patchesOf(level1, across, down)) {
      if (patch.samples.length < least) continue;
      caps++;
      for (const i of patch.samples) free[i] = 1;
    }
    if (caps === 0) {
      say(`There are no level ${what} here to build over.`);
      return { height };
    }
    const filled = await fillVoids(height, across, down, free, { aspect: x / y, signal, progress });
    let highest = 0;
    const out = Float32Array.from(height);
    for (let i = 0; i < out.length; i++) {
      if (!free[i]) continue;
      const above = Math.min(most, Math.max(0, sign * filled.height[i] - level));
      highest = Math.max(highest, above);
      out[i] = sign * (level + above);
    }
    say(
      `${caps} ${caps === 1 ? 'cap was' : 'caps were'} invented, up to ${highest.toFixed(1)} m ${what === 'tops' ? 'above' : 'below'} the cut. Nothing in the file says what was there.`,
    );
    return { height: out };
  },
});
