import { z } from 'zod';
import { DEGREE, exactMath } from '../../kernels/math';
import { defineStep } from '../step';
import { choice, degrees, distance, ratio } from '../params';
import { overWindow, smoothShare } from './places';

const FORMS = {
  dome: 'Dome',
  cone: 'Cone',
  ridge: 'Ridge',
  crater: 'Crater',
  caldera: 'Caldera',
  plateau: 'Plateau',
  trough: 'Trough',
  ramp: 'Ramp',
} as const;
type Form = keyof typeof FORMS;

/**
 * One simple landform: height over distance with a stated profile, metres, 0 beyond its reach.
 * `t` is the distance from the middle as a share of the radius. Ridge and trough run along a
 * line of `length`, their ends rounded; the ramp rises across its length and stays up behind.
 *
 * Profiles: dome 1 − t² squared (level at the top and at the foot); cone 1 − t; ridge 1 − t with
 * a foot rounded by half; crater a rim at `rim` of the radius, a bowl that goes down by `depth`
 * of the height inside and a blanket that thins with the cube of distance outside (McGetchin,
 * Settle & Head 1973); caldera the same with a level floor; plateau level to `rim`, then a smooth
 * flank; trough a parabola (Svensson 1959) between smooth shoulders; ramp a straight line.
 */
export const landform = defineStep({
  id: 'landform',
  title: 'Landform',
  family: 'source',
  summary: 'One simple landform: dome, cone, ridge, crater, caldera, plateau, trough or ramp.',
  finds: [
    'shape',
    'primitive',
    'mountain',
    'hill',
    'dome',
    'cone',
    'crater',
    'ridge',
    'plateau',
    'mesa',
    'valley',
    'island',
    'gradient',
    'ramp',
    'slope',
    'volcano',
  ],
  params: z.object({
    form: choice('dome', FORMS, { label: 'Form' }),
    height: distance(300, {
      fits: 'size',
      min: 0,
      max: 9_000,
      label: 'Height',
      help: 'Of the top above the foot; of the rim for craters, of the shoulders for a trough.',
    }),
    radius: distance(1_500, {
      fits: 'size',
      min: 1,
      max: 100_000,
      logarithmic: true,
      label: 'Radius',
      help: 'From the middle or the middle line to the foot.',
    }),
    length: distance(3_000, {
      fits: 'size',
      min: 0,
      max: 200_000,
      label: 'Length',
      help: 'Of the middle line, or of the ramp.',
      when: { form: ['ridge', 'trough', 'ramp'] },
    }),
    rim: ratio(0.5, {
      min: 0.05,
      max: 0.95,
      label: 'Rim',
      help: 'Where the rim or the edge of the top lies, as a share of the radius.',
      when: { form: ['crater', 'caldera', 'plateau'] },
    }),
    depth: ratio(1.4, { min: 0, max: 3, label: 'Depth', help: 'Of the floor under the rim, as a share of the height.', when: { form: ['crater', 'caldera'] } }),
    east: distance(0, { min: -100_000, max: 100_000, label: 'East of the middle' }),
    north: distance(0, { min: -100_000, max: 100_000, label: 'North of the middle' }),
    turn: degrees(0, {
      min: -180,
      max: 180,
      label: 'Turn',
      help: 'Degrees clockwise; at 0 the line runs from west to east.',
      when: { form: ['ridge', 'trough', 'ramp'] },
    }),
    stretch: ratio(1, {
      min: 0.2,
      max: 5,
      label: 'Stretch',
      help: 'How much wider it is along its line than across.',
      when: { form: ['dome', 'cone', 'crater', 'caldera', 'plateau'] },
    }),
    level: distance(0, { min: -11_000, max: 9_000, label: 'Level', help: 'Where its foot lies.' }),
  }),
  gives: 'difference',
  reach: () => 0,
  caption: ({ form, height }) => `${FORMS[form].toLowerCase()} ${Math.round(height)} m`,
  async run(_input, params, context) {
    const { form, radius, length, east, north, turn, stretch, level } = params;
    const { sin, cos } = exactMath();
    const [s, c] = [sin(turn * DEGREE), cos(turn * DEGREE)];
    const lined = form === 'ridge' || form === 'trough';
    const half = length / 2;
    const profile = profileOf(params);
    const height = await overWindow(context, (fromMiddle, southOfMiddle) => {
      const [x, y] = [fromMiddle - east, southOfMiddle + north];
      // Along the line, and across it.
      const along = x * c + y * s;
      const across = y * c - x * s;
      if (form === 'ramp') return level + profile(along / Math.max(1e-3, length) + 0.5);
      const beyond = lined ? Math.max(0, Math.abs(along) - half) : along / stretch;
      return level + profile(Math.sqrt(beyond * beyond + across * across) / radius);
    });
    return { height };
  },
});

function profileOf({ form, height, rim, depth }: { form: Form; height: number; rim: number; depth: number }): (t: number) => number {
  switch (form) {
    case 'dome':
      return (t) => (t >= 1 ? 0 : height * (1 - t * t) * (1 - t * t));
    case 'cone':
      return (t) => (t >= 1 ? 0 : height * (1 - t));
    case 'ridge':
      return (t) => (t >= 1 ? 0 : height * (1 - t) * (1 - 0.5 * t));
    case 'plateau':
      return (t) => height * (1 - smoothShare((t - rim) / (1 - rim)));
    case 'trough':
      return (t) => (t >= 1 ? height : height * t * t * (2 - t * t));
    case 'ramp':
      return (t) => height * (t < 0 ? 0 : t > 1 ? 1 : t);
    case 'crater':
    case 'caldera': {
      const floor = height * (1 - depth);
      return (t) => {
        if (t >= 1) return 0;
        if (t >= rim) {
          const out = rim / t;
          // The blanket thins with the cube of distance and is brought to nothing at the radius.
          return height * out * out * out * (1 - smoothShare((t - rim) / (1 - rim)) * 0.999) * (t > 0.98 ? (1 - t) / 0.02 : 1);
        }
        const u = t / rim;
        if (form === 'crater') return floor + (height - floor) * u * u;
        return floor + (height - floor) * smoothShare((u - 0.55) / 0.45);
      };
    }
  }
}
