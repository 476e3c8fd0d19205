import { makeGround } from '../field/ground';
import { makeCourse, makeTributary, stepUse, type Course } from './schema';
import { maskUse } from './where';

export interface StartingCourse {
  id: string;
  name: string;
  /** What kind of ground it makes, in one sentence. */
  summary: string;
  make(): Course;
}

const land = (width: number, sea: number) => makeGround({ width, depth: width, across: 1025, down: 1025, registration: 'point', sea });
const where = (...masks: ReturnType<typeof maskUse>[]) => ({ masks, combine: 'multiply' as const });

/** Courses to begin from: ten plainly different kinds of ground, each made of the steps there are. */
export const startingCourses: readonly StartingCourse[] = [
  {
    id: 'downland',
    name: 'Downland',
    summary: 'Wide chalk swells with dry valleys.',
    make: () =>
      makeCourse('Downland', land(8192, 0), [
        stepUse('noise', { kind: 'fbm', basis: 'simplex', feature: 3400, height: 190, level: 160, octaves: 6, gain: 0.36, seed: 11 }, { join: 'replace' }),
        stepUse('noise', { kind: 'crossed', feature: 2600, height: 110, octaves: 4, gain: 0.35, crossings: 1, seed: 52 }, { name: 'Dry valleys', join: 'add' }),
        stepUse('blur', { size: 34 }),
        stepUse('noise', { kind: 'fbm', feature: 220, height: 5, octaves: 5, seed: 4 }, { name: 'Turf', join: 'add' }),
      ]),
  },
  {
    id: 'crest-range',
    name: 'Crest range',
    summary: 'High sharp crests with scree at their feet.',
    make: () =>
      makeCourse(
        'Crest range',
        land(12_288, 0),
        [
          stepUse('noise', { kind: 'fbm', feature: 6200, height: 620, level: 900, octaves: 9, gain: 0.45, seed: 303 }, { name: 'Massif', join: 'replace' }),
          stepUse('join', { tributary: 'crests' }, { join: 'smooth-higher', joinWidth: 260 }),
          stepUse('fluvial', { amount: 1500, scale: 300, soften: 44, bank: 50, uplift: 300, breach: 300 }),
          stepUse('roughen', { height: 9, feature: 120, steepFrom: 26 }),
          stepUse('talus', { cliff: 45, fall: 40, repose: 36, loose: 0.75, patch: 200 }),
        ],
        [
          makeTributary(
            'Crests',
            [
              stepUse(
                'noise',
                { kind: 'ridged', feature: 5600, height: 1250, level: 560, octaves: 9, gain: 0.44, warp: 420, warpFeature: 3600, seed: 88 },
                { join: 'replace' },
              ),
            ],
            'crests',
          ),
        ],
      ),
  },
  {
    id: 'mesa-desert',
    name: 'Table lands',
    summary: 'Flat-topped tables and steps above a gravel floor.',
    make: () =>
      makeCourse('Table lands', land(8192, 0), [
        stepUse(
          'noise',
          { kind: 'fbm', feature: 3000, height: 620, level: 560, octaves: 7, gain: 0.42, warp: 260, warpFeature: 1600, seed: 61 },
          { join: 'replace' },
        ),
        stepUse('clamp', { low: 380, high: 720, shoulder: 26 }),
        stepUse('terrace', { spacing: 74, start: 380, sharpness: 0.72, tilt: 0.16, variation: 0.6, seed: 5 }),
        stepUse('roughen', { height: 22, feature: 120, steepFrom: 18, octaves: 6 }),
        stepUse('talus', { cliff: 42, fall: 24, repose: 35 }),
        stepUse('noise', { kind: 'fbm', feature: 160, height: 4, octaves: 5, seed: 17 }, { name: 'Gravel', join: 'add' }),
      ]),
  },
  {
    id: 'skerry-isle',
    name: 'Skerry isle',
    summary: 'One ragged isle in the sea, with coves and outliers.',
    make: () =>
      makeCourse('Skerry isle', land(6144, 0), [
        stepUse('noise', { kind: 'hybrid', feature: 2400, height: 420, level: 10, octaves: 9, gain: 0.46, seed: 912 }, { join: 'replace' }),
        stepUse('falloff', { outline: 'round', width: 1500, margin: 420, level: -60, ragged: 1300, feature: 2600, seed: 41 }),
        stepUse('fluvial', { amount: 1400, scale: 100, soften: 18 }),
        stepUse('noise', { kind: 'ridged', feature: 520, height: 46, octaves: 6, seed: 6 }, { name: 'Skerries', join: 'add', strength: 0.8, hold: 'mean' }),
        stepUse('roughen', { height: 7, feature: 60 }),
      ]),
  },
  {
    id: 'crater-field',
    name: 'Crater field',
    summary: 'Old overlapping craters in a plain of dust.',
    make: () =>
      makeCourse('Crater field', land(8192, -400), [
        stepUse('noise', { kind: 'fbm', feature: 3600, height: 170, level: 200, octaves: 9, gain: 0.45, seed: 71 }, { name: 'Plain', join: 'replace' }),
        stepUse('craters', { count: 900, largest: 2400, smallest: 50, power: 1.8, age: 0.8, seed: 12 }, { name: 'Impacts', join: 'add' }),
        stepUse('noise', { kind: 'billow', feature: 120, height: 4, octaves: 5, seed: 9 }, { name: 'Dust', join: 'add' }),
      ]),
  },
  {
    id: 'dune-sea',
    name: 'Dune sea',
    summary: 'High ridges of sand across the wind, with lesser ones on their backs.',
    make: () =>
      makeCourse('Dune sea', land(8192, -400), [
        stepUse('noise', { kind: 'fbm', feature: 5200, height: 90, level: 320, octaves: 5, gain: 0.35, seed: 17 }, { name: 'Floor', join: 'replace' }),
        stepUse(
          'dunes',
          { kind: 'transverse', spacing: 900, steepness: 2.6, supply: 0.8, wind: 24, sinuous: 0.5, varies: 0.5, seed: 3 },
          { name: 'High ridges', join: 'add' },
        ),
        stepUse(
          'dunes',
          { kind: 'transverse', spacing: 150, steepness: 1.1, supply: 0.9, wind: 44, sinuous: 0.7, varies: 0.6, seed: 8 },
          { name: 'Lesser ridges', join: 'add' },
        ),
      ]),
  },
  {
    id: 'fire-mountain',
    name: 'Fire mountain',
    summary: 'A cone with its crater, flows and gullies above a rolling foreland.',
    make: () =>
      makeCourse('Fire mountain', land(12_288, 0), [
        stepUse('noise', { kind: 'fbm', feature: 5200, height: 240, level: 260, octaves: 9, gain: 0.45, seed: 61 }, { name: 'Foreland', join: 'replace' }),
        stepUse(
          'volcano',
          {
            kind: 'cone',
            height: 1500,
            radius: 4700,
            crater: 420,
            depth: 210,
            concave: 0.7,
            flows: 12,
            thick: 26,
            gullies: 0.55,
            east: 500,
            north: 300,
            seed: 5,
          },
          { name: 'Cone', join: 'add' },
        ),
        stepUse('fluvial', { amount: 700, scale: 130, soften: 24 }),
        stepUse('noise', { kind: 'fbm', feature: 260, height: 9, octaves: 5, seed: 2 }, { name: 'Slag', join: 'add' }),
      ]),
  },
  {
    id: 'drumlin-fen',
    name: 'Drumlin fen',
    summary: 'Low elongated hills standing out of a wet plain.',
    make: () =>
      makeCourse('Drumlin fen', land(6144, 12), [
        stepUse('flat', { level: 14 }),
        stepUse(
          'noise',
          { kind: 'billow', basis: 'simplex', feature: 620, height: 74, level: 8, octaves: 3, gain: 0.3, seed: 29 },
          { name: 'Hills', join: 'smooth-higher', joinWidth: 18 },
        ),
        stepUse('place', { across: 2.4, turn: 24, edge: 'mirror' }),
        stepUse('noise', { kind: 'fbm', feature: 900, height: 9, octaves: 6, seed: 3 }, { name: 'Fen', join: 'add' }),
        stepUse('fluvial', { amount: 900, scale: 140, soften: 24 }),
        stepUse('blur', { size: 14 }),
      ]),
  },
  {
    id: 'fjord-coast',
    name: 'Drowned valleys',
    summary: 'Deep winding inlets between steep shoulders.',
    make: () =>
      makeCourse('Drowned valleys', land(16_384, 0), [
        stepUse(
          'noise',
          { kind: 'crossed', feature: 5600, height: 900, level: -190, octaves: 8, gain: 0.42, crossings: 1, warp: 900, warpFeature: 5200, seed: 147 },
          { join: 'replace' },
        ),
        stepUse(
          'noise',
          { kind: 'ridged', feature: 2600, height: 300, octaves: 8, seed: 19 },
          {
            name: 'Shoulders',
            join: 'add',
            where: where(maskUse('height', { low: 150, high: 9000, softness: 260 })),
          },
        ),
        stepUse('landform', { form: 'ramp', height: 300, length: 15_000, turn: 20, level: -150 }, { name: 'Seaward tilt', join: 'add' }),
        stepUse('edge-smooth', { size: 30, edge: 5 }),
        stepUse('roughen', { height: 14, feature: 140, steepFrom: 24 }),
      ]),
  },
  {
    id: 'karst-plateau',
    name: 'Karst plateau',
    summary: 'A bare limestone plateau of sinkholes, cut by one dry gorge.',
    make: () =>
      makeCourse('Karst plateau', land(4096, 0), [
        stepUse('noise', { kind: 'fbm', feature: 2800, height: 120, level: 640, octaves: 7, gain: 0.4, seed: 8 }, { join: 'replace' }),
        stepUse(
          'noise',
          { kind: 'fbm', basis: 'cellular', cell: 'nearest', feature: 300, height: 46, octaves: 3, gain: 0.4, seed: 77, warp: 40, warpFeature: 260 },
          {
            name: 'Sinkholes',
            join: 'add',
            where: where(maskUse('noise', { feature: 1300, low: 0.42, softness: 0.2, seed: 5 })),
          },
        ),
        stepUse('terrace', { spacing: 16, sharpness: 0.5, tilt: 0.4, variation: 0.5, seed: 2 }, { strength: 0.6 }),
        stepUse('channel', {
          points: [
            { east: 300, south: 500 },
            { east: 1300, south: 1250 },
            { east: 1750, south: 2200 },
            { east: 2800, south: 2600 },
            { east: 3900, south: 3700 },
          ],
          width: 46,
          depth: 80,
          bank: 46,
          soften: 24,
        }),
        stepUse('warp', { amount: 90, feature: 420, octaves: 5, gain: 0.5, seed: 12 }),
        stepUse('roughen', { height: 8, feature: 70, steepFrom: 24 }),
      ]),
  },
];

/** The starting course with this id, or undefined. */
export const startingCourse = (id: string): StartingCourse | undefined => startingCourses.find((s) => s.id === id);
