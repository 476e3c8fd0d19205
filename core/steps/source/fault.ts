import { z } from 'zod';
import { hash32 } from '../../field/hash';
import { DEGREE, exactMath } from '../../kernels/math';
import { defineStep } from '../step';
import { degrees, distance, seed } from '../params';
import { noiseOver, overWindow } from './places';

/** The error function within 1.5e-7 (Abramowitz & Stegun 1964, 7.1.26). */
export function errorFunction(x: number): number {
  const { exp } = exactMath();
  const t = 1 / (1 + 0.3275911 * Math.abs(x));
  const tail = ((((1.061405429 * t - 1.453152027) * t + 1.421413741) * t - 0.284496736) * t + 0.254829592) * t * exp(-x * x);
  return x < 0 ? tail - 1 : 1 - tail;
}

/** The throw at a share of the way from the middle to an end, of the largest: 2 (1 − r) √(((1 + r) / 2)² − r²). */
export const throwAlong = (r: number): number => (r >= 1 ? 0 : 2 * (1 - r) * Math.sqrt(((1 + r) / 2) * ((1 + r) / 2) - r * r));

/**
 * A fault: one side is thrown up against the other along a line; the throw fades towards its ends, and both sides bend
 * back to level away from it. Metres; the higher side lies to the left of the line as it is turned.
 *
 * The throw along the line is that of a single slip (Walsh & Watterson 1987, from memory). Worn, the scarp is an error function of a width
 * of 2√(κt) (Hanks, Bucknam, Lajoie & Wallace 1984).
 */
export const fault = defineStep({
  id: 'fault',
  title: 'Fault',
  family: 'source',
  summary: 'One side is thrown up along a line, as a scarp that wears.',
  finds: ['scarp', 'tectonic', 'cliff', 'throw', 'displacement', 'break'],
  params: z.object({
    throw: distance(60, {
      fits: 'range',
      min: -2_000,
      max: 2_000,
      label: 'Throw',
      help: 'How much higher one side lies in the middle of the line; less than 0: the other side.',
    }),
    length: distance(6_000, {
      fits: 'size',
      min: 1,
      max: 500_000,
      logarithmic: true,
      label: 'Length',
      help: 'From end to end; beyond them nothing has moved.',
    }),
    worn: distance(30, {
      fits: 'size',
      min: 0,
      max: 5_000,
      logarithmic: true,
      label: 'Worn',
      help: 'How wide the scarp has worn, 2√(κt): 0 is a clean break.',
    }),
    bend: distance(3_000, {
      fits: 'size',
      min: 1,
      max: 500_000,
      logarithmic: true,
      label: 'Bend',
      help: 'So far from the line both sides have bent back to where they were.',
    }),
    wander: distance(80, { fits: 'size', min: 0, max: 10_000, logarithmic: true, label: 'Wander', help: 'How far the line leaves a straight one.' }),
    turn: degrees(30, { min: -180, max: 180, label: 'Turn', help: 'Degrees clockwise; at 0 the line runs from west to east.' }),
    east: distance(0, { min: -100_000, max: 100_000, label: 'East of the middle' }),
    north: distance(0, { min: -100_000, max: 100_000, label: 'North of the middle' }),
    seed: seed(),
  }),
  presets: [
    { name: 'Fresh scarp', params: { throw: 12, worn: 4, length: 4_000, bend: 1_500, wander: 30 } },
    { name: 'Mountain front', params: { throw: 600, worn: 250, length: 14_000, bend: 8_000, wander: 300 } },
    { name: 'Old step', params: { throw: 60, worn: 220, length: 8_000, bend: 4_000, wander: 120 } },
  ],
  gives: 'difference',
  reach: () => 0,
  caption: (params) => `${Math.round(params.throw)} m, ${Math.round(params.length)} m long`,
  async run(_input, params, context) {
    const { sin, cos, exp } = exactMath();
    const [s, c] = [sin(params.turn * DEGREE), cos(params.turn * DEGREE)];
    const away = await noiseOver(context, { feature: Math.max(50, params.length / 4), octaves: 3, seed: hash32(params.seed, 7) });
    const half = params.length / 2;
    const height = await overWindow(context, (x, y, i) => {
      const [dx, dy] = [x - params.east, y + params.north];
      const along = (dx * c + dy * s) / half;
      if (Math.abs(along) >= 1) return 0;
      const offset = dx * s - dy * c + params.wander * away[i];
      const thrown = params.throw * throwAlong(Math.abs(along));
      const scarp = params.worn > 0 ? errorFunction(offset / params.worn) : offset >= 0 ? 1 : -1;
      return 0.5 * thrown * scarp * exp(-Math.abs(offset) / params.bend);
    });
    return { height };
  },
});
