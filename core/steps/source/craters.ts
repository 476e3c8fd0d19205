import { z } from 'zod';
import { hash32 } from '../../field/hash';
import { exactMath } from '../../kernels/math';
import { defineStep } from '../step';
import { count, distance, plain, ratio, seed } from '../params';
import { drawsOf, noiseOver, overWindow, smoothShare } from './places';

/** Rim to floor and rim to plain of simple craters, as shares of the diameter (Pike 1977, from memory: 0.2 and 0.04). */
const DEPTH = 0.2;
const RIM = 0.04;
/** Complex craters deepen with this power of the diameter only (Pike 1977, from memory: 0.3). */
const COMPLEX_POWER = 0.3;
/** The blanket of what was thrown out reaches so many radii, thinning with the cube of distance (McGetchin, Settle & Head 1973). */
const BLANKET = 4;
/** Inside this many radii an impact leaves nothing of what was there before. */
const ERASED = 0.95;
const ERASED_TO = 1.5;

/** Ages that profiles are worked out for: κt over the radius squared. */
const AGES = 24;
const OLDEST = 0.32;
const PLACES = 160;

/** The fresh profile over distance in radii: heights as shares of the diameter. `depth`: of the floor under the rim. */
export function freshProfile(t: number, depth: number, complex: boolean): number {
  if (t >= BLANKET) return 0;
  if (t >= 1) return (RIM / (t * t * t)) * (1 - smoothShare((t - 2.2) / (BLANKET - 2.2)));
  const floor = RIM - depth;
  if (!complex) return floor + depth * t * t;
  // A level floor with a peak, and walls that have slumped.
  const wall = smoothShare((t - 0.5) / 0.5);
  const peak = 0.35 * depth * (1 - smoothShare(t / 0.22));
  return floor + depth * wall + peak;
}

/**
 * Profiles of a crater as it ages: each an equal step of κt / r², by implicit diffusion along the radius, as
 * soil creeps on slopes. A row of `PLACES` heights over distances from 0 to `BLANKET` radii.
 */
export function agedProfiles(depth: number, complex: boolean): Float64Array[] {
  const step = BLANKET / (PLACES - 1);
  let now = Float64Array.from({ length: PLACES }, (_, k) => freshProfile(k * step, depth, complex));
  const out = [now];
  // Twice as long with every age: little happens late.
  for (let age = 1; age < AGES; age++) {
    const tau = (OLDEST * (age * age - (age - 1) * (age - 1))) / ((AGES - 1) * (AGES - 1));
    for (let part = 0; part < 4; part++) now = diffuse(now, tau / 4, step);
    out.push(now);
  }
  return out;
}

/** One implicit step of ∂h/∂τ = (1/t) ∂/∂t (t ∂h/∂t), nothing passing the outer end. */
function diffuse(h: Float64Array<ArrayBuffer>, tau: number, step: number): Float64Array<ArrayBuffer> {
  const n = h.length;
  const [c, d] = [new Float64Array(n), new Float64Array(n)];
  for (let k = 0; k < n; k++) {
    // Rings: between two of them the shared edge, over the ring's area.
    const area = k === 0 ? (step * step) / 8 : k * step * step;
    const inner = k === 0 ? 0 : ((k - 0.5) * step * tau) / (area * step);
    const outer = k === n - 1 ? 0 : ((k + 0.5) * step * tau) / (area * step);
    const under = k === 0 ? 0 : inner * c[k - 1];
    const divide = 1 + inner + outer - under;
    c[k] = outer / divide;
    d[k] = (h[k] + (k === 0 ? 0 : inner * d[k - 1])) / divide;
  }
  const out = new Float64Array(n);
  for (let k = n - 1; k >= 0; k--) out[k] = d[k] + (k === n - 1 ? 0 : c[k] * out[k + 1]);
  return out;
}

interface Impact {
  x: number;
  y: number;
  radius: number;
  profile: Float64Array;
  /** Height of the ground that it fell on. */
  base: number;
}

/**
 * Craters of many sizes and ages, the old ones first: an impact leaves nothing of what was there and throws a blanket
 * over what is around. Metres; the plain between them lies at 0.
 *
 * Sizes: so many times as many of half the diameter as the power says (cumulative counts N(>D) ∝ D^−b).
 * Simple craters are 0.2 D deep with rims 0.04 D high; beyond a diameter they have level floors and peaks and deepen
 * with D^0.3 (Pike 1977). Blankets thin with the cube of distance (McGetchin, Settle & Head 1973). Old
 * craters have crept: linear diffusion of their profile (Soderblom 1970).
 */
export const craters = defineStep({
  id: 'craters',
  title: 'Craters',
  family: 'source',
  summary: 'Many impact craters of many sizes and ages.',
  finds: ['crater', 'impact', 'moon', 'lunar', 'meteor', 'asteroid', 'planet'],
  params: z.object({
    count: count(240, { min: 1, max: 4_000, logarithmic: true, label: 'Craters' }),
    largest: distance(1_600, { fits: 'size', min: 1, max: 200_000, logarithmic: true, label: 'Largest', help: 'Diameter from rim to rim.' }),
    smallest: distance(60, { fits: 'size', min: 0.5, max: 200_000, logarithmic: true, label: 'Smallest', help: 'Diameter from rim to rim.' }),
    power: plain(2, {
      min: 0.5,
      max: 4,
      step: 0.05,
      label: 'Size law',
      help: 'The power of cumulative counts: 2 is usual, more gives more of the small ones.',
    }),
    age: ratio(0.5, { label: 'Age', help: 'How old the oldest are: 0, all are fresh; 1, the oldest are hardly seen.' }),
    complex: distance(15_000, {
      more: true,
      min: 10,
      max: 500_000,
      logarithmic: true,
      label: 'Complex from',
      help: 'Diameter from which craters have level floors and peaks: some 3 km on a heavy world, 15 km on a light one.',
    }),
    ragged: ratio(0.4, { more: true, label: 'Ragged', help: 'How far rims leave a circle.' }),
    seed: seed(),
  }),
  presets: [
    { name: 'Young plain', params: { count: 90, age: 0.15, largest: 900 } },
    { name: 'Old highland', params: { count: 1_200, age: 0.9, largest: 3_200, power: 1.8 } },
    { name: 'One great basin', params: { count: 160, largest: 5_200, complex: 2_500, power: 2.4, age: 0.4 } },
    { name: 'Shell holes', params: { count: 700, largest: 22, smallest: 3, power: 1.4, age: 0.7 } },
  ],
  gives: 'difference',
  reach: () => 0,
  caption: (params) => `${params.count}, to ${Math.round(params.largest)} m`,
  async run(_input, params, context) {
    const { ground } = context;
    if (params.smallest > params.largest) context.say('The smallest craters are larger than the largest: all are given the largest diameter.');
    const impacts = impactsOf(params, ground);
    const ragged = await noiseOver(context, { feature: Math.max(40, params.largest / 5), octaves: 6, seed: hash32(params.seed, 21) });
    const cells = cellsOf(impacts, ground);
    return { height: await overWindow(context, (x, y, i) => heightOf(cells.at(x, y), x, y, 1 + 0.12 * params.ragged * ragged[i])) };
  },
});

interface CraterParams {
  count: number;
  largest: number;
  smallest: number;
  power: number;
  age: number;
  complex: number;
  seed: number;
}

/** Where they fell, how large and how worn, the oldest first. */
export function impactsOf(params: CraterParams, { width, depth }: { width: number; depth: number }): Impact[] {
  const { pow, log } = exactMath();
  const { largest, power } = params;
  const smallest = Math.min(params.smallest, largest);
  const draw = drawsOf(hash32(params.seed, 17));
  const share = pow(smallest / largest, power);
  const simple = agedProfiles(DEPTH, false);
  const complexOf = new Map<number, Float64Array[]>();
  const found = Array.from({ length: params.count }, (_, k) => {
    // The power law between the two ends, by its inverse; one is the largest, and lies on the ground.
    const drawn = draw();
    const diameter = k === 0 ? largest : smallest / pow(1 - drawn * (1 - share), 1 / power);
    // Those beyond the edge throw their blankets in.
    const [alongX, alongY] = k === 0 ? [0.6 * width, 0.6 * depth] : [width + diameter, depth + diameter];
    const x = (draw() - 0.5) * alongX;
    const y = (draw() - 0.5) * alongY;
    return { diameter, x, y, age: draw() };
  });
  found.sort((a, b) => b.age - a.age);
  const impacts: Impact[] = [];
  for (const { diameter, x, y, age } of found) {
    const radius = diameter / 2;
    // As old in metres: the small ones are gone long before the large ones.
    const worn = (params.age * age * params.age * age * largest) / diameter;
    const place = Math.min(AGES - 1, Math.sqrt(worn) * 0.5 * (AGES - 1));
    let profiles = simple;
    if (diameter > params.complex) {
      const step = Math.round((8 * log(diameter / params.complex)) / Math.LN2);
      if (!complexOf.has(step)) complexOf.set(step, agedProfiles(DEPTH * pow(2, ((COMPLEX_POWER - 1) * step) / 8), true));
      profiles = complexOf.get(step)!;
    }
    const [low, high] = [Math.floor(place), Math.min(AGES - 1, Math.floor(place) + 1)];
    const profile = profiles[low].map((h, k) => (h + (profiles[high][k] - h) * (place - low)) * diameter);
    impacts.push({ x, y, radius, profile, base: baseOf(impacts, x, y, radius) });
  }
  return impacts;
}

/** The mean of the ground that an impact falls on. */
function baseOf(before: Impact[], x: number, y: number, radius: number): number {
  const near = before.filter((one) => reaches(one, x, y, radius));
  let sum = 0;
  for (const [dx, dy] of [
    [0, 0],
    [0.6, 0],
    [-0.6, 0],
    [0, 0.6],
    [0, -0.6],
  ])
    sum += heightOf(near, x + dx * radius, y + dy * radius, 1);
  return sum / 5;
}

const reaches = ({ x, y, radius }: Impact, px: number, py: number, beyond: number) => {
  const reach = 1.15 * BLANKET * radius + beyond;
  return Math.abs(px - x) < reach && Math.abs(py - y) < reach;
};

/** One impact after the other, at a place. `stretch`: how much nearer it counts, for rims that are no circles. */
function heightOf(impacts: readonly Impact[], x: number, y: number, stretch: number): number {
  let h = 0;
  for (const { x: ex, y: ey, radius, profile, base } of impacts) {
    const [dx, dy] = [x - ex, y - ey];
    const t = (Math.sqrt(dx * dx + dy * dy) / radius) * stretch;
    if (t >= BLANKET) continue;
    const at = (t / BLANKET) * (PLACES - 1);
    const k = Math.min(PLACES - 2, Math.floor(at));
    const own = profile[k] + (profile[k + 1] - profile[k]) * (at - k);
    const left = smoothShare((t - ERASED) / (ERASED_TO - ERASED));
    h = base + (h - base) * left + own;
  }
  return h;
}

/** Impacts by the squares of ground that they reach, in their order. */
function cellsOf(impacts: readonly Impact[], { width, depth }: { width: number; depth: number }) {
  const across = 48;
  const [cellX, cellY] = [width / across, depth / across];
  const lists: Impact[][] = Array.from({ length: across * across }, () => []);
  const clamp = (v: number) => Math.min(across - 1, Math.max(0, Math.floor(v)));
  for (const one of impacts) {
    const reach = 1.15 * BLANKET * one.radius;
    const [x0, x1] = [one.x - reach, one.x + reach].map((x) => (x + width / 2) / cellX);
    const [y0, y1] = [one.y - reach, one.y + reach].map((y) => (y + depth / 2) / cellY);
    if (x1 < 0 || y1 < 0 || x0 >= across || y0 >= across) continue;
    for (let row = clamp(y0); row <= clamp(y1); row++) for (let column = clamp(x0); column <= clamp(x1); column++) lists[row * across + column].push(one);
  }
  return { at: (x: number, y: number) => lists[clamp((y + depth / 2) / cellY) * across + clamp((x + width / 2) / cellX)] };
}
