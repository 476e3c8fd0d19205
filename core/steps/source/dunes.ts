import { z } from 'zod';
import { hash32 } from '../../field/hash';
import { DEGREE, exactMath } from '../../kernels/math';
import { defineStep, type StepContext } from '../step';
import { choice, degrees, distance, plain, ratio, seed } from '../params';
import { noiseOver, overWindow, smoothShare, type HeightAt } from './places';

const KINDS = { transverse: 'Transverse', barchan: 'Barchan', linear: 'Linear', star: 'Star' } as const;
type Kind = keyof typeof KINDS;

/** Dry sand slips at this angle (Bagnold 1941: 32 to 34°). */
const SLIP = 33;
/** Linear and star dunes: their flanks rise so, degrees, where the sand does not slip (Lancaster 1995: 15 to 25°). */
const FLANK = 22;

/** The crest over the foot of dunes that stand so far apart, metres (Lancaster 1995, for 10 m to some km: h = 0.0677 λ^0.81; Wilson 1972 has nearly the same). */
export const crestHeight = (spacing: number): number => 0.0677 * exactMath().pow(spacing, 0.81);

interface DuneParams {
  kind: Kind;
  spacing: number;
  steepness: number;
  wind: number;
  supply: number;
  sinuous: number;
  varies: number;
  seed: number;
}

/**
 * Dunes as sand supply and wind make them: transverse ridges across one wind, crescents where sand is scarce,
 * linear ridges along the mean of two winds, stars where it blows from all around. Heights above the floor, metres.
 *
 * Windward slopes are long and end in a slip face at 33°; height follows spacing by h = 0.0677 λ^0.81.
 * Sources: Wasson & Hyde 1983 for which form stands where; Lancaster 1995, *Geomorphology of Desert Dunes*, for
 * heights and spacings; Hesp & Hastings 1998 for the proportions of crescents.
 */
export const dunes = defineStep({
  id: 'dunes',
  title: 'Dunes',
  family: 'source',
  summary: 'Fields of dunes: transverse, crescents, linear or stars.',
  finds: ['dune', 'sand', 'desert', 'barchan', 'erg', 'ripples', 'wind'],
  params: z.object({
    kind: choice('transverse', KINDS, {
      label: 'Kind',
      help: 'Transverse: one wind and much sand. Barchan: one wind and little sand. Linear: two winds. Star: winds from all around.',
    }),
    spacing: distance(240, { fits: 'size', min: 2, max: 5_000, logarithmic: true, label: 'Spacing', help: 'From one crest to the next.' }),
    steepness: plain(1, {
      min: 0.1,
      max: 3,
      step: 0.05,
      label: 'Height',
      help: 'Times what dunes of this spacing usually have: 5.7 m at 240 m apart, 18 m at 1 km.',
    }),
    wind: degrees(0, { min: -180, max: 180, label: 'Wind to', help: 'Where it blows to, or the mean of its ways, in degrees clockwise; at 0 to the east.' }),
    supply: ratio(0.7, { label: 'Sand', help: 'How much of the ground the sand covers: little leaves flats between, or crescents far apart.' }),
    sinuous: ratio(0.4, { label: 'Sinuous', help: 'How much crests wind, join and end.' }),
    varies: ratio(0.35, { more: true, label: 'Varied', help: 'How much heights differ from place to place.' }),
    seed: seed(),
  }),
  presets: [
    { name: 'Sand sea', params: { kind: 'transverse', spacing: 320, supply: 0.9, sinuous: 0.45 } },
    { name: 'Crescents on a plain', params: { kind: 'barchan', spacing: 260, supply: 0.45 } },
    { name: 'Long ridges', params: { kind: 'linear', spacing: 900, supply: 0.6, sinuous: 0.3 } },
    { name: 'Star dunes', params: { kind: 'star', spacing: 1_100, steepness: 1.4, supply: 0.7 } },
    { name: 'Ripples', params: { kind: 'transverse', spacing: 14, sinuous: 0.55, steepness: 0.8 } },
  ],
  gives: 'difference',
  reach: () => 0,
  caption: ({ kind, spacing }) => `${KINDS[kind].toLowerCase()}, ${Math.round(spacing)} m apart`,
  async run(_input, params, context) {
    const high = params.spacing >= 2 * Math.max(context.ground.width / context.ground.across, context.ground.depth / context.ground.down);
    if (!high) context.say('These dunes stand closer than two samples: what is seen of them is chance. Widen their spacing, or work at more samples.');
    return { height: await overWindow(context, await formOf(params, context)) };
  },
});

async function formOf(params: DuneParams, context: StepContext): Promise<HeightAt> {
  const { kind, spacing, wind, seed: own } = params;
  const { sin, cos } = exactMath();
  const [s, c] = [sin(wind * DEGREE), cos(wind * DEGREE)];
  const sway = await noiseOver(context, { feature: 4.2 * spacing, octaves: 4, seed: hash32(own, 1) });
  const size = await noiseOver(context, { feature: 5 * spacing, octaves: 2, seed: hash32(own, 2) });
  /** How high the dunes stand at a place, as a share of the usual. */
  const share = (i: number) => Math.max(0, params.steepness * (1 + params.varies * size[i]));
  if (kind === 'barchan') return crescents(params, s, c, share);
  if (kind === 'star') return stars(params, sway, share);
  if (kind === 'transverse') {
    const profile = asymmetric(spacing, params.supply);
    // Crests sway by more than a spacing to either hand, and sink where they are about to end.
    return (x, y, i) => profile((x * c + y * s) / spacing + 1.5 * params.sinuous * sway[i], share(i) * (0.35 + 0.65 * smoothShare(1.4 + 2 * size[i])));
  }
  const ridge = symmetric(spacing, params.supply);
  // Ridges end and begin, and run together at a small angle: where the noise sways them by a whole ridge.
  const ends = await noiseOver(context, { feature: 9 * spacing, octaves: 2, seed: hash32(own, 4) });
  return (x, y, i) => ridge((y * c - x * s) / spacing + params.sinuous * (0.7 * sway[i] + 1.6 * ends[i]), share(i) * smoothShare(1.6 + 2.2 * size[i]));
}

/** Across a transverse ridge: a long windward slope, then the slip face. `u` counts ridges; heights in metres. */
export function asymmetric(spacing: number, supply: number): (u: number, share: number) => number {
  const slip = exactMath().tan(SLIP * DEGREE);
  const usual = crestHeight(spacing);
  return (u, share) => {
    const crest = usual * share;
    const t = u - Math.floor(u);
    const face = Math.min(0.45, crest / slip / spacing);
    const covered = Math.max(2.2 * face, Math.min(1, 0.25 + supply));
    const windward = covered - face;
    // Flat between ridges, then up to the brink, then down as steeply as sand lies.
    const from = 1 - covered;
    if (t < from) return 0;
    if (t < from + windward) return crest * Math.sqrt(smoothShare((t - from) / windward)) * smoothShare(2 * ((t - from) / windward));
    return Math.max(0, crest - (t - from - windward) * spacing * slip);
  };
}

/** Across a linear ridge: two flanks that meet in a crest; sand that lies too steep for its height lies lower. */
function symmetric(spacing: number, supply: number): (u: number, share: number) => number {
  const flank = exactMath().tan(FLANK * DEGREE);
  const usual = 1.6 * crestHeight(spacing);
  return (u, share) => {
    const t = u - Math.floor(u);
    const away = Math.abs(t - 0.5) * spacing;
    const half = Math.max(0.12, Math.min(0.5, 0.5 * (0.2 + supply))) * spacing;
    const crest = Math.min(usual * share, half * flank * 0.75);
    if (away >= half) return 0;
    const v = 1 - away / half;
    // Steepest half way up, with a foot that runs out.
    return crest * v * (0.35 + 0.65 * v) * (2 - v);
  };
}

interface Crescent {
  x: number;
  y: number;
  size: number;
}

/** Crescents that lie apart, horns downwind: each a windward back, a brink and a slip face. */
function crescents({ spacing, supply, seed: own }: DuneParams, s: number, c: number, share: (i: number) => number): HeightAt {
  const slip = exactMath().tan(SLIP * DEGREE);
  const cell = spacing;
  const known = new Map<number, Crescent | null>();
  const inCell = (ix: number, iy: number): Crescent | null => {
    const key = hash32(hash32(own, ix), iy);
    const found = known.get(key);
    if (found !== undefined) return found;
    const draw = (k: number) => hash32(key, k) / 2 ** 32;
    const made =
      draw(1) > 0.25 + 0.75 * supply
        ? null
        : { x: (ix + 0.2 + 0.6 * draw(2)) * cell, y: (iy + 0.2 + 0.6 * draw(3)) * cell, size: cell * (0.2 + 0.22 * supply) * (0.7 + 0.6 * draw(4)) };
    known.set(key, made);
    return made;
  };
  return (x, y, i) => {
    const [along, across] = [x * c + y * s, y * c - x * s];
    const [ix, iy] = [Math.floor(along / cell), Math.floor(across / cell)];
    let highest = 0;
    for (let dy = -1; dy <= 1; dy++) {
      for (let dx = -1; dx <= 1; dx++) {
        const one = inCell(ix + dx, iy + dy);
        if (one) highest = Math.max(highest, crescentHeight(one, along - one.x, across - one.y, slip) * share(i));
      }
    }
    return highest;
  };
}

/** The larger of two, with `width` metres in which one goes over into the other. */
function softMax(a: number, b: number, width: number): number {
  const apart = Math.abs(a - b) / width;
  return Math.max(a, b) + (apart >= 1 ? 0 : 0.25 * width * (1 - apart) * (1 - apart));
}

interface Star {
  x: number;
  y: number;
  arms: { cos: number; sin: number; long: number }[];
  high: number;
}

/** Peaks that lie apart, with arms to three or more sides that sink as they run out. */
function stars({ spacing, supply, seed: own, sinuous }: DuneParams, sway: Float32Array, share: (i: number) => number): HeightAt {
  const { sin, cos, tan } = exactMath();
  const flank = tan(FLANK * DEGREE);
  const usual = 2.2 * crestHeight(spacing);
  // Crests are rounded over so many metres; arms run into each other and into the floor.
  const round = 0.05 * spacing;
  const known = new Map<number, Star | null>();
  const inCell = (ix: number, iy: number): Star | null => {
    const key = hash32(hash32(own + 5, ix), iy);
    const found = known.get(key);
    if (found !== undefined) return found;
    const draw = (k: number) => hash32(key, k) / 2 ** 32;
    const count = 3 + Math.floor(2.4 * draw(4));
    const first = 2 * Math.PI * draw(5);
    const arms = Array.from({ length: count }, (_, k) => {
      const turn = first + (2 * Math.PI * (k + 0.5 * (draw(6 + k) - 0.5))) / count;
      return { cos: cos(turn), sin: sin(turn), long: spacing * (0.45 + 0.5 * draw(16 + k)) };
    });
    const made =
      draw(1) > 0.35 + 0.65 * supply
        ? null
        : { x: (ix + 0.15 + 0.7 * draw(2)) * spacing, y: (iy + 0.15 + 0.7 * draw(3)) * spacing, arms, high: 0.6 + 0.6 * draw(26) };
    known.set(key, made);
    return made;
  };
  return (x, y, i) => {
    const [sx, sy] = [x + 0.14 * sinuous * spacing * sway[i], y - 0.14 * sinuous * spacing * sway[i]];
    const [ix, iy] = [Math.floor(sx / spacing), Math.floor(sy / spacing)];
    let highest = 0;
    for (let dy = -1; dy <= 1; dy++) {
      for (let dx = -1; dx <= 1; dx++) {
        const star = inCell(ix + dx, iy + dy);
        if (!star) continue;
        const [px, py] = [sx - star.x, sy - star.y];
        const crest = usual * star.high * share(i);
        for (const arm of star.arms) {
          const along = px * arm.cos + py * arm.sin;
          if (along >= arm.long) continue;
          // Behind the peak an arm is the peak's own cone.
          const off = along > 0 ? Math.abs(py * arm.cos - px * arm.sin) : Math.sqrt(px * px + py * py);
          const t = Math.max(0, along) / arm.long;
          highest = softMax(highest, crest * (1 - t) * (1 - 0.35 * t) - flank * (Math.sqrt(off * off + round * round) - round), 0.3 * usual);
        }
      }
    }
    return highest;
  };
}

/** One crescent: as wide as `2 size`, about a tenth as high (Hesp & Hastings 1998), its brink bent downwind at the horns. */
function crescentHeight({ size }: Crescent, along: number, across: number, slip: number): number {
  const v = across / size;
  if (Math.abs(v) >= 1) return 0;
  const crest = 0.19 * size * (1 - v * v);
  // The brink lies back in the middle, the horns run on.
  const brink = size * (0.9 * v * v - 0.15);
  const back = -1.15 * size * Math.sqrt(1 - v * v);
  if (along <= back) return 0;
  if (along <= brink) return crest * smoothShare((along - back) / Math.max(1e-9, brink - back));
  return Math.max(0, crest - (along - brink) * slip);
}
