import { z } from 'zod';
import { hash32 } from '../../field/hash';
import { DEGREE, exactMath } from '../../kernels/math';
import { defineStep } from '../step';
import { count, degrees, distance, ratio, seed } from '../params';
import { drawsOf, noiseOver, overWindow, smoothShare } from './places';

/** A piece of a channel, a straight line in metres from the apex: along the fan's middle line and across it. */
interface Reach {
  ax: number;
  ay: number;
  vx: number;
  vy: number;
  /** Metres that it cuts from side to side; each fork has half of the width's square. */
  width: number;
}

/** Channels swing by so much of the fan's length. */
const SWING = 0.05;

/**
 * An alluvial fan: a piece of a cone from where a stream leaves its valley, concave along, convex across, with channels that fork on it. Metres above the floor it lies on.
 *
 * Long profile h (1 − t)^p, p from 1 (straight) to 2.2; 2 to 10° at the apex are usual (Blair & McPherson 1994).
 * Channels fork with half of the width's square each.
 */
export const fan = defineStep({
  id: 'fan',
  title: 'Fan',
  family: 'source',
  summary: 'An alluvial fan with channels that fork, from the mouth of a valley.',
  finds: ['alluvial', 'fan', 'delta', 'debris', 'sediment', 'deposit', 'bajada'],
  params: z.object({
    length: distance(2_000, { fits: 'size', min: 1, max: 100_000, logarithmic: true, label: 'Length', help: 'From the apex to the toe.' }),
    slope: degrees(6, { min: 0.2, max: 30, label: 'Slope at the apex', help: '2 to 10° is usual; cones of debris stand steeper.' }),
    concave: ratio(0.5, { label: 'Concave', help: 'How much gentler it lies at its toe.' }),
    opens: degrees(110, { min: 10, max: 300, label: 'Opens by', help: 'The angle between its sides.' }),
    turn: degrees(90, { min: -180, max: 180, label: 'Turn', help: 'Where it runs to, degrees clockwise; at 0 to the east.' }),
    forks: count(4, { min: 0, max: 7, label: 'Forks', help: 'How often its channels divide.' }),
    channel: distance(40, { fits: 'size', min: 0, max: 2_000, label: 'Channel width', help: 'At the apex; a tenth as deep.' }),
    east: distance(0, { min: -100_000, max: 100_000, label: 'Apex east of the middle' }),
    north: distance(600, { min: -100_000, max: 100_000, label: 'Apex north of the middle' }),
    seed: seed(),
  }),
  presets: [
    { name: 'Desert fan', params: { slope: 4, concave: 0.5, forks: 5 } },
    { name: 'Debris cone', params: { length: 500, slope: 14, concave: 0.25, forks: 2, channel: 18 } },
    { name: 'Outwash', params: { length: 4_000, slope: 1.5, concave: 0.7, opens: 140, forks: 6, channel: 70 } },
  ],
  gives: 'difference',
  reach: () => 0,
  caption: ({ length, slope }) => `${Math.round(length)} m, ${slope}°`,
  async run(_input, params, context) {
    const { length } = params;
    const { sin, cos, atan2, tan, pow } = exactMath();
    const [s, c] = [sin(params.turn * DEGREE), cos(params.turn * DEGREE)];
    const power = 1 + 1.2 * params.concave;
    // The slope at the apex of h (1 − t)^p is h p / length.
    const height = (length * tan(params.slope * DEGREE)) / power;
    const half = (params.opens / 2) * DEGREE;
    const reaches = channelsOf(params, half);
    const rough = await noiseOver(context, { feature: length / 6, octaves: 4, seed: hash32(params.seed, 5) });
    const swing = await noiseOver(context, { feature: length / 5, octaves: 4, seed: hash32(params.seed, 6) });
    const heights = await overWindow(context, (x, y, i) => {
      const [dx, dy] = [x - params.east, y + params.north];
      const [along, across] = [dx * c + dy * s, dy * c - dx * s];
      const away = Math.sqrt(along * along + across * across);
      const angle = atan2(across, along);
      const side = Math.abs(angle) / half;
      // Toe and sides are lobed, as streams left them.
      const t = away / (length * (1 + 0.06 * rough[i]));
      if (t >= 1 || side >= 1) return 0;
      const shape = height * pow(1 - t, power) * (1 - side * side * side * side);
      const bent = across + SWING * length * swing[i] * smoothShare(3 * t);
      const cut = cutAt(reaches, along, bent) * smoothShare((1 - t) / 0.15);
      return Math.max(0, shape - Math.min(cut, shape));
    });
    return { height: heights };
  },
});

/** The channels of a fan from its apex on, each fork within the sides. */
function channelsOf({ forks, seed: own, length, channel }: { forks: number; seed: number; length: number; channel: number }, half: number): Reach[] {
  const draw = drawsOf(hash32(own, 13));
  const { sin, cos } = exactMath();
  const reaches: Reach[] = [];
  const grow = (t: number, angle: number, low: number, high: number, level: number) => {
    const end = level >= forks ? 1 : t + (1 - t) * (0.24 + 0.2 * draw());
    const towards = low + (high - low) * (0.35 + 0.3 * draw());
    const [ax, ay] = [t * length * cos(angle), t * length * sin(angle)];
    const [bx, by] = [end * length * cos(towards), end * length * sin(towards)];
    reaches.push({ ax, ay, vx: bx - ax, vy: by - ay, width: channel * Math.sqrt(2 ** -level) });
    if (level >= forks) return;
    const middle = low + (high - low) * (0.4 + 0.2 * draw());
    grow(end, towards, low, middle, level + 1);
    grow(end, towards, middle, high, level + 1);
  };
  grow(0, 0, -0.85 * half, 0.85 * half, 0);
  return reaches;
}

/** How deep the deepest channel is at a place, metres: a tenth of its width, with soft banks. */
function cutAt(reaches: readonly Reach[], x: number, y: number): number {
  let deepest = 0;
  for (const { ax, ay, vx, vy, width } of reaches) {
    const [px, py] = [x - ax, y - ay];
    const k = Math.min(1, Math.max(0, (px * vx + py * vy) / (vx * vx + vy * vy)));
    const [ex, ey] = [px - k * vx, py - k * vy];
    const off = ex * ex + ey * ey;
    if (off >= 2.56 * width * width) continue;
    deepest = Math.max(deepest, 0.1 * width * (1 - smoothShare(Math.sqrt(off) / (1.6 * width))));
  }
  return deepest;
}
