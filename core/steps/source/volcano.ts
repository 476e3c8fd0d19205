import { z } from 'zod';
import { hash32 } from '../../field/hash';
import { DEGREE, exactMath } from '../../kernels/math';
import { defineStep } from '../step';
import { choice, count, distance, ratio, seed } from '../params';
import { drawsOf, noiseOver, overWindow, smoothShare } from './places';

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

interface Flow {
  /** Direction at the crater, radians, and how it bends on the way. */
  angle: number;
  bend: number;
  wave: number;
  /** Shares of the radius at which it begins and ends. */
  from: number;
  to: number;
  width: number;
  thick: number;
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
  reach: () => 0,
  caption: ({ kind, height }) => `${kind} ${Math.round(height)} m`,
  async run(_input, params, context) {
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
    const flows = flowsOf(params);
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
      for (const flow of flows) at += flowThickness(flow, t, angle, away, sin);
      return at;
    });
    return { height: heights };
  },
});

function flowsOf({
  flows,
  thick,
  radius,
  crater,
  seed: own,
  kind,
}: {
  flows: number;
  thick: number;
  radius: number;
  crater: number;
  seed: number;
  kind: string;
}): Flow[] {
  const draw = drawsOf(hash32(own, 11));
  return Array.from({ length: flows }, () => ({
    angle: (2 * draw() - 1) * Math.PI,
    bend: 0.25 * (2 * draw() - 1),
    wave: 0.05 + 0.07 * draw(),
    from: draw() < 0.6 ? 0 : 0.4 * draw(),
    to: 0.45 + 0.5 * draw(),
    width: (kind === 'shield' ? 0.05 : 0.035) * radius * (0.6 + 0.8 * draw()) + 0.06 * crater,
    thick: thick * (0.6 + 0.8 * draw()),
  }));
}

/** How thick a flow lies at a place: levees at its sides, a channel between them, a lobe at its end. */
function flowThickness(flow: Flow, t: number, angle: number, away: number, sin: (x: number) => number): number {
  if (t < flow.from || t > flow.to + 0.06) return 0;
  const course = flow.angle + flow.bend * t + flow.wave * sin(9 * t + 7 * flow.angle);
  let off = angle - course;
  if (off > Math.PI) off -= 2 * Math.PI;
  if (off < -Math.PI) off += 2 * Math.PI;
  const along = (t - flow.from) / (flow.to - flow.from);
  // It spreads on the way, most of all in its lobe.
  const width = flow.width * (0.6 + 0.5 * along + 0.7 * smoothShare((along - 0.8) / 0.2));
  const v = Math.abs(off * away) / width;
  if (v >= 1) return 0;
  const end = 1 - smoothShare((t - flow.to + 0.04 * v * v) / 0.05);
  const begun = smoothShare(along / 0.08);
  const lobe = smoothShare((along - 0.75) / 0.2);
  // Levees: highest at four fifths of the half width; in the lobe it is full.
  const side = v < 0.8 ? 0.55 + 0.45 * smoothShare(v / 0.8) : 1 - smoothShare((v - 0.8) / 0.2);
  const full = 1 - v * v * v * v;
  return flow.thick * end * begun * (side + lobe * (full - side));
}
