import { stepUse, type StepUse } from '../course/schema';
import { makeGround, type Ground } from '../field/ground';
import { maskUse } from '../course/where';

/** The country of Velmarch, made up: 69.12 × 46.08 km of land and sea floor. Its map counts in metres from a made-up corner. */
export const COUNTRY = { name: 'Velmarch', width: 69_120, depth: 46_080, west: 412_000, north: 738_000, crs: 'Velmarch grid 1' } as const;

/** The spacings that there are extracts at, metres. */
export const SURVEY_SPACINGS = [10, 30, 90] as const;
export type Spacing = (typeof SURVEY_SPACINGS)[number];

/** The most samples that one extract may have. */
export const MOST_SURVEYED = 2 ** 22;

/** The whole country at a spacing that divides it. */
export const countryGround = (spacing: number): Ground =>
  makeGround({
    width: COUNTRY.width,
    depth: COUNTRY.depth,
    across: COUNTRY.width / spacing,
    down: COUNTRY.depth / spacing,
    registration: 'area',
    georeference: { west: COUNTRY.west, north: COUNTRY.north, crs: COUNTRY.crs },
  });

const mask = (kind: string, params: Record<string, unknown>) => ({ masks: [maskUse(kind, params)], combine: 'multiply' as const });

/**
 * The steps that the country is made of: a shelf with a sunken west, two ranges, rolling ground
 * that is stronger inland, a caldera, benches in the middle heights. Every one reads a bounded
 * distance around, so that any frame of it can be worked out by itself.
 */
export const countrySteps: StepUse[] = [
  stepUse('flat', { level: -260 }),
  stepUse('landform', { form: 'plateau', height: 420, radius: 21_000, rim: 0.35, stretch: 1.45, east: 4_000, north: -1_500, turn: 0 }, { join: 'add' }),
  stepUse('landform', { form: 'ridge', height: 620, radius: 9_000, length: 26_000, east: 7_000, north: 4_500, turn: -24 }, { join: 'add' }),
  stepUse('noise', { kind: 'fbm', feature: 17_000, height: 520, octaves: 12, gain: 0.47, warp: 1_900, warpFeature: 9_000, seed: 6107 }, { join: 'add' }),
  stepUse('noise', { kind: 'fbm', feature: 6_300, height: 190, octaves: 10, gain: 0.5, warp: 500, warpFeature: 3_000, seed: 93 }, { join: 'add' }),
  stepUse(
    'noise',
    { kind: 'ridged', feature: 6_800, height: 620, octaves: 11, gain: 0.46, warp: 700, warpFeature: 3_600, seed: 2291 },
    { join: 'add', where: mask('height', { low: 260, high: 9000, softness: 320 }) },
  ),
  stepUse(
    'noise',
    { kind: 'hybrid', feature: 2_600, height: 150, octaves: 9, gain: 0.45, seed: 417 },
    { join: 'add', where: mask('height', { low: 40, high: 9000, softness: 160 }) },
  ),
  stepUse('landform', { form: 'caldera', height: 190, radius: 3_400, rim: 0.4, depth: 0.9, east: -17_500, north: 9_000 }, { join: 'add' }),
  stepUse('noise', { kind: 'fbm', feature: 420, height: 14, octaves: 6, gain: 0.5, seed: 88 }, { join: 'add' }),
];

export interface NamedPlace {
  name: string;
  /** Metres from the country's north-west corner. */
  east: number;
  south: number;
  kind: 'town' | 'village' | 'peak' | 'bay';
}

/** Made-up names; where they stand was looked for on the ground. */
export const places: NamedPlace[] = [
  { name: 'Harrowmouth', east: 22_800, south: 30_900, kind: 'town' },
  { name: 'Stenby', east: 35_500, south: 31_700, kind: 'town' },
  { name: 'Ormsgate', east: 47_900, south: 27_200, kind: 'town' },
  { name: 'Low Tarrow', east: 28_300, south: 23_300, kind: 'village' },
  { name: 'Wethering', east: 40_600, south: 26_500, kind: 'village' },
  { name: 'Skell Moor', east: 52_800, south: 20_100, kind: 'village' },
  { name: 'Thornwick', east: 44_100, south: 36_800, kind: 'village' },
  { name: 'Great Vessel', east: 42_700, south: 17_600, kind: 'peak' },
  { name: 'The Anvils', east: 33_200, south: 20_900, kind: 'peak' },
  { name: 'The Cauldron', east: 17_100, south: 14_000, kind: 'bay' },
  { name: 'Saltrow Bay', east: 12_600, south: 34_000, kind: 'bay' },
  { name: 'Ness Deep', east: 8_200, south: 22_500, kind: 'bay' },
];

/** Roads by the places they join, and how they bend between them. */
export const roads: [number, number][][] = [
  [
    [22_800, 30_900],
    [25_800, 32_900],
    [29_400, 33_500],
    [32_700, 32_300],
    [35_500, 31_700],
    [39_000, 31_300],
    [42_800, 30_600],
    [45_600, 28_400],
    [47_900, 27_200],
  ],
  [
    [22_800, 30_900],
    [24_100, 28_000],
    [25_700, 25_800],
    [28_300, 23_300],
  ],
  [
    [35_500, 31_700],
    [37_600, 30_400],
    [39_300, 28_500],
    [40_600, 26_500],
  ],
  [
    [47_900, 27_200],
    [50_300, 24_600],
    [52_800, 20_100],
  ],
  [
    [35_500, 31_700],
    [40_300, 32_900],
    [42_600, 34_600],
    [44_100, 36_800],
  ],
];

/** The border between its two counties. */
export const borders: [number, number][][] = [
  [
    [31_000, 9_500],
    [32_300, 14_800],
    [33_200, 20_900],
    [33_000, 25_000],
    [31_200, 29_600],
    [31_900, 34_800],
    [30_400, 40_500],
  ],
];
