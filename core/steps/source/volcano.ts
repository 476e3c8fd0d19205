import { z } from 'zod';
import { gaussian } from '../../field/gaussian';
import { hash32 } from '../../field/hash';
import { gridOf } from '../../field/window';
import { DEGREE, exactMath } from '../../kernels/math';
import { defineStep, type StepContext, type StepInput } from '../step';
import { choice, count, distance, ratio, seed } from '../params';
import { lavaFlows, layLava, type SurfaceAt } from './lava';
import { noiseOver, overWindow, smoothShare } from './places';

/** A cone of loose rock stands no steeper than this at its top (common practice: 30 to 35°). */
const STEEPEST_CONE = 33;
/** A shield is gentler than 10° everywhere (common practice: 2 to 10°); this leaves room for its lobed foot. */
const STEEPEST_SHIELD = 6.5;

/**
 * How concave a cone's flank is: the exponent a of (e^(−at) − e^(−a)) / (1 − e^(−a)), the most
 * that leaves its top no steeper than it can stand.
 */
export function concavityOf(height: number, radius: number, wanted: number): number {
  const { exp, tan } = exactMath();
  const steepest = tan(STEEPEST_CONE * DEGREE);
  const top = (a: number) => ((height / radius) * a) / (1 - exp(-a));
  if (top(wanted) <= steepest) return wanted;
  let [low, high] = [1e-3, wanted];
  for (let k = 0; k < 50; k++) {
    const middle = (low + high) / 2;
    if (top(middle) <= steepest) low = middle;
    else high = middle;
  }
  return low;
}

/** Where a cone's flank begins to run out, as a share of the way to its foot. */
const RUNS_OUT = 0.6;

/** A profile that meets the ground at its foot without an edge: from there on a cubic (Hermite) to level. */
function runOut(profile: (t: number) => number): (t: number) => number {
  const [at, long] = [profile(RUNS_OUT), 1 - RUNS_OUT];
  const slope = ((at - profile(RUNS_OUT - 1e-4)) / 1e-4) * long;
  return (t) => {
    if (t <= RUNS_OUT) return profile(t);
    const u = Math.min(1, (t - RUNS_OUT) / long);
    return (1 - u) * (1 - u) * (at * (1 + 2 * u) + slope * u);
  };
}

/**
 * A volcano on its foot: a cone that steepens to its crater, or a shield that is gentle everywhere; with flows that run
 * down it between levees and end in lobes, and gullies where the cone is old. Metres.
 *
 * The cone's flank is an exponential, as profiles of stratocones are (Karátson, Favalli, Tarquini et al. 2010);
 * no steeper than 33° at the top. Flows have levees of about a fifth of their width (Hulme 1974).
 */
export const volcano = defineStep({
  id: 'volcano',
  title: 'Volcano',
  family: 'source',
  summary: 'A cone or a shield with its crater and its flows.',
  finds: ['caldera', 'lava', 'crater', 'cone', 'shield', 'eruption', 'mountain'],
  params: z.object({
    kind: choice('cone', { cone: 'Cone', shield: 'Shield' }, { label: 'Kind' }),
    height: distance(700, {
      fits: 'size',
      min: 1,
      max: 9_000,
      label: 'Height',
      help: 'Of the rim of the crater above the foot. A shield is no higher than 10° allow.',
    }),
    radius: distance(2_600, { fits: 'size', min: 10, max: 200_000, logarithmic: true, label: 'Radius', help: 'From the middle to the foot.' }),
    concave: ratio(0.6, { label: 'Concave', help: 'How much steeper the cone stands at its top than at its foot.', when: { kind: ['cone'] } }),
    crater: distance(260, { fits: 'size', min: 0, max: 50_000, label: 'Crater', help: 'Its radius at the rim.' }),
    depth: distance(120, { fits: 'size', min: 0, max: 5_000, label: 'Crater depth' }),
    flows: count(9, { min: 0, max: 60, label: 'Flows' }),
    follow: choice(
      'ground',
      { ground: 'The ground', cone: 'The cone alone' },
      {
        more: true,
        label: 'Flows run down',
        help: 'The ground with what lies beneath: flows turn aside for hills, follow valleys, and end in hollows.',
      },
    ),
    thick: distance(14, { fits: 'size', min: 0, max: 500, label: 'Flow thickness' }),
    gullies: ratio(0.35, { label: 'Gullies', help: 'How deeply rain has cut the flanks of a cone.' }),
    east: distance(0, { min: -100_000, max: 100_000, label: 'East of the middle' }),
    north: distance(0, { min: -100_000, max: 100_000, label: 'North of the middle' }),
    seed: seed(),
  }),
  presets: [
    { name: 'Young cone', params: { kind: 'cone', height: 900, radius: 3_000, gullies: 0.1, flows: 14 } },
    { name: 'Gullied cone', params: { kind: 'cone', height: 1_100, radius: 3_800, gullies: 0.8, flows: 4 } },
    { name: 'Cinder cone', params: { kind: 'cone', height: 160, radius: 420, concave: 0.1, crater: 110, depth: 60, flows: 1, thick: 8, gullies: 0.1 } },
    { name: 'Shield', params: { kind: 'shield', height: 420, radius: 6_000, crater: 500, depth: 90, flows: 26, thick: 10 } },
  ],
  gives: 'difference',
  reach: ({ flows, follow }) => (flows > 0 && follow === 'ground' ? Infinity : 0),
  caption: ({ kind, height }) => `${kind} ${Math.round(height)} m`,
  async run(input, params, context) {
    const { radius, crater, depth, gullies } = params;
    const { exp, tan, cos, sin, atan2 } = exactMath();
    const cone = params.kind === 'cone';
    // The steepest place of h (1 − t²)^(3/2) lies at t = 1/2 and is 1.3 h / r.
    const height = cone ? params.height : Math.min(params.height, (radius * tan(STEEPEST_SHIELD * DEGREE)) / 1.3);
    if (height < params.height) context.say(`A shield of this radius is no higher than ${Math.round(height)} m: it would be steeper than 10°.`);
    const rim = Math.min(0.9 * radius, crater);
    const a = concavityOf(height, radius - rim, 0.2 + 4 * params.concave);
    const foot = exp(-a);
    const flank = cone ? runOut((t) => (exp(-a * t) - foot) / (1 - foot)) : (t: number) => (1 - t * t) * Math.sqrt(1 - t * t);
    const lobes = await noiseOver(context, { feature: radius / 2.5, octaves: 3, seed: hash32(params.seed, 4) });
    const rough = await noiseOver(context, { feature: radius / 5, octaves: 5, seed: hash32(params.seed, 3) });
    const heights = await overWindow(context, (x, y, i) => {
      const [dx, dy] = [x - params.east, y + params.north];
      const away = Math.sqrt(dx * dx + dy * dy);
      // The foot is no circle.
      const reach = away * (1 + 0.03 * lobes[i] * smoothShare((away / radius - 0.55) / 0.45));
      if (reach >= radius) return 0;
      if (reach < rim) {
        const t = reach / rim;
        return height - depth * (1 - t * t) * smoothShare(2 * (1 - t));
      }
      const t = (reach - rim) / (radius - rim);
      const angle = atan2(dy, dx);
      let at = height * flank(t);
      // Gullies widen down the flank and end before its foot and its rim.
      if (cone && gullies > 0) {
        const cut = 0.5 + 0.5 * cos(angle * 23 + 2.4 * rough[i] + 5 * sin(angle * 2));
        at -= gullies * 0.07 * height * cut * cut * smoothShare(t / 0.25) * smoothShare((1 - t) / 0.5);
      }
      return at;
    });
    if (params.flows > 0) {
      const profile = (away: number) => (away >= radius ? 0 : height * flank(Math.max(0, (away - rim) / (radius - rim))));
      const surface = await surfaceOf(input, params, context, profile);
      const grid = gridOf(context.ground, context.window);
      const fromVent = {
        ...grid,
        firstX: grid.firstX + grid.left * grid.stepX - context.ground.width / 2 - params.east,
        firstY: grid.firstY + grid.top * grid.stepY - context.ground.depth / 2 + params.north,
      };
      for (const flow of lavaFlows({ ...params, crater: rim }, hash32(params.seed, 11), surface)) {
        layLava(flow, fromVent, (index, thickness) => (heights[index] += thickness));
      }
    }
    return { height: heights };
  },
});

/** Ground beneath is smoothed over so much of the radius: flows do not turn at every stone. */
const SMOOTHED = 0.02;

/** The cone and, where flows follow it, the ground beneath, at places in metres from the vent. */
async function surfaceOf(
  { height }: StepInput,
  { east, north, radius, follow }: { east: number; north: number; radius: number; follow: string },
  { ground, window, kernels, signal }: StepContext,
  cone: (away: number) => number,
): Promise<SurfaceAt> {
  const alone: SurfaceAt = (x, y) => cone(Math.sqrt(x * x + y * y));
  if (follow !== 'ground' || height.length === 0) return alone;
  const { across, down, firstX, firstY, stepX, stepY } = gridOf(ground, window);
  const sigma = SMOOTHED * radius;
  const smooth = await gaussian(kernels, height, across, down, sigma / stepX, sigma / stepY, { signal });
  const [ventX, ventY] = [ground.width / 2 + east, ground.depth / 2 - north];
  return (x, y) => alone(x, y) + bilinear(smooth, across, down, (ventX + x - firstX) / stepX, (ventY + y - firstY) / stepY);
}

/** Between samples by their four neighbours; beyond the edge as on it. */
function bilinear(values: Float32Array, across: number, down: number, column: number, row: number): number {
  const x = Math.max(0, Math.min(across - 1, column));
  const y = Math.max(0, Math.min(down - 1, row));
  const [c, r] = [Math.min(Math.max(0, across - 2), Math.floor(x)), Math.min(Math.max(0, down - 2), Math.floor(y))];
  const [e, s] = [across > 1 ? 1 : 0, down > 1 ? across : 0];
  const [u, v] = [x - c, y - r];
  const p = r * across + c;
  return (values[p] * (1 - u) + values[p + e] * u) * (1 - v) + (values[p + s] * (1 - u) + values[p + s + e] * u) * v;
}
