import { rockSchema, type Rock } from '../rock/rock';
import { makeGround } from '../field/ground';
import { coverSchema, type Cover } from './recipe';
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
const withCover = (course: Course, cover: Cover): Course => ({ ...course, cover });

const onSlopes = (low: number, softness: number) => ({ masks: [{ id: 'slope', kind: 'slope', params: { low, high: 90, softness } }] });

/** Sand that lies light on crests and darker in hollows, over a floor of gravel where the wind has swept it. */
const sand = (): Cover =>
  coverSchema.parse({
    reach: 500,
    grain: 'sand',
    stops: [
      { at: 0, colour: [158, 126, 86] },
      { at: 0.5, colour: [190, 157, 110] },
      { at: 1, colour: [208, 178, 132] },
    ],
    layers: [
      {
        id: 'floor',
        name: 'Gravel floor',
        colour: [143, 122, 96],
        strength: 0.7,
        where: {
          masks: [
            { id: 'hollow', kind: 'relief', params: { size: 800, low: 0, high: 0.16, softness: 0.12 }, ragged: 0.4, raggedSize: 120 },
            { id: 'level', kind: 'slope', params: { low: 0, high: 4, softness: 4 } },
          ],
        },
      },
      { id: 'slip', name: 'Sand of the slip faces', colour: [176, 141, 94], where: onSlopes(27, 4) },
    ],
  });

/** Dust, and the rubble and rock that stand out of it where it is steep. */
const dust = (): Cover =>
  coverSchema.parse({
    grain: 'sand',
    stops: [
      { at: 0, colour: [88, 83, 77] },
      { at: 0.45, colour: [118, 112, 103] },
      { at: 1, colour: [152, 145, 133] },
    ],
    layers: [
      { id: 'rubble', name: 'Rubble', colour: [128, 121, 112], where: onSlopes(24, 6) },
      { id: 'rock', name: 'Rock', colour: [97, 92, 87], where: onSlopes(38, 6) },
    ],
  });

const withRock = (course: Course, rock: Partial<Rock>): Course => ({ ...course, rock: rockSchema.parse(rock) });
const where = (...masks: ReturnType<typeof maskUse>[]) => ({ masks, combine: 'multiply' as const });

/** Courses to begin from: twelve plainly different kinds of ground, each made of the steps there are. */
export const startingCourses: readonly StartingCourse[] = [
  {
    id: 'downland',
    name: 'Downland',
    summary: 'Chalk downs: long backs that dip away from a scarp, with dry valleys.',
    make: () =>
      withRock(
        makeCourse('Downland', land(8192, 0), [
          stepUse('noise', { kind: 'fbm', feature: 4200, height: 280, level: 200, octaves: 7, gain: 0.42, seed: 11 }, { join: 'replace' }),
          stepUse('fluvial', { amount: 18_000, scale: 460, soften: 90, bank: 36, uplift: 280, breach: 300, exponent: 0.4 }),
          stepUse('blur', { size: 22 }),
          stepUse('noise', { kind: 'fbm', feature: 260, height: 3, octaves: 4, seed: 4 }, { name: 'Turf', join: 'add' }),
          stepUse('drain', { amount: 6, scale: 16 }),
        ]),
        { thickness: 110, spread: 0.3, hardShare: 0.4, contrast: 0.6, dip: 3.5, dipDirection: 150, foldHeight: 40, foldLength: 5200, joints: 0, seed: 3 },
      ),
  },
  {
    id: 'crest-range',
    name: 'Crest range',
    summary: 'High sharp crests over corries, beds of rock running through them, scree at their feet.',
    make: () =>
      withRock(
        makeCourse(
          'Crest range',
          land(12_288, 0),
          [
            stepUse('noise', { kind: 'fbm', feature: 6200, height: 620, level: 900, octaves: 9, gain: 0.45, seed: 303 }, { name: 'Massif', join: 'replace' }),
            stepUse('join', { tributary: 'crests' }, { join: 'smooth-higher', joinWidth: 260 }),
            stepUse('fluvial', { amount: 2600, scale: 300, soften: 44, bank: 54, uplift: 400, breach: 300, rock: 0.7 }),
            stepUse('glacier', { amount: 420, snowline: 0.52, favour: 0.22, snow: 0.9, till: 0.12, wall: 60, rock: 0.8 }),
            stepUse('talus', { cliff: 47, fall: 40, repose: 36, loose: 0.75, patch: 200, sweeps: 80 }),
            stepUse('roughen', { height: 9, feature: 130, steepFrom: 18 }, { name: 'Crags' }),
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
        {
          thickness: 90,
          spread: 0.6,
          hardShare: 0.5,
          contrast: 0.8,
          dip: 24,
          dipDirection: 70,
          foldHeight: 160,
          foldLength: 5200,
          joints: 0.3,
          jointSpacing: 260,
        },
      ),
  },
  {
    id: 'mesa-desert',
    name: 'Table lands',
    summary: 'Flat-topped tables in level beds, their ledges and buttes over a worn floor with dry pans.',
    make: () =>
      withRock(
        makeCourse('Table lands', land(8192, 0), [
          stepUse(
            'noise',
            { kind: 'fbm', feature: 1950, height: 1150, level: 560, octaves: 8, gain: 0.48, warp: 300, warpFeature: 1600, seed: 61 },
            { name: 'Highs and lows', join: 'replace' },
          ),
          stepUse('clamp', { low: 400, high: 745, shoulder: 40 }, { name: 'Table and floor' }),
          stepUse('noise', { kind: 'fbm', feature: 900, height: 36, octaves: 6, seed: 5 }, { name: 'Swells', join: 'add' }),
          stepUse('fluvial', { amount: 3000, scale: 200, soften: 30, bank: 52, breach: 400 }),
          stepUse('talus', { cliff: 46, fall: 60, repose: 34 }),
          stepUse('noise', { kind: 'fbm', feature: 160, height: 3, octaves: 5, seed: 17 }, { name: 'Gravel', join: 'add' }),
        ]),
        {
          thickness: 90,
          spread: 0.5,
          hardShare: 0.35,
          contrast: 1,
          dip: 0.6,
          dipDirection: 200,
          foldHeight: 14,
          foldLength: 4200,
          joints: 0.5,
          jointSpacing: 180,
        },
      ),
  },
  {
    id: 'skerry-isle',
    name: 'Skerry isle',
    summary: 'One ragged isle in the sea: cliffs, coves, stacks and outliers.',
    make: () =>
      withRock(
        makeCourse('Skerry isle', land(6144, 0), [
          stepUse('noise', { kind: 'hybrid', feature: 2400, height: 420, level: 10, octaves: 9, gain: 0.46, seed: 912 }, { join: 'replace' }),
          stepUse('falloff', { outline: 'round', width: 1500, margin: 420, level: -60, ragged: 1300, feature: 2600, seed: 41 }),
          stepUse('fluvial', { amount: 2600, scale: 100, soften: 18 }),
          stepUse('noise', { kind: 'ridged', feature: 520, height: 60, octaves: 6, seed: 6 }, { name: 'Skerries', join: 'add', strength: 0.7, hold: 'mean' }),
          stepUse('drain', { amount: 60, scale: 24 }),
          stepUse('shore', { retreat: 130, stacks: 0.9, scale: 60, height: 4, cliff: 72, seed: 4 }),
          stepUse('roughen', { height: 5, feature: 60 }),
        ]),
        {
          thickness: 46,
          spread: 0.5,
          hardShare: 0.5,
          contrast: 0.9,
          dip: 28,
          dipDirection: 250,
          foldHeight: 60,
          foldLength: 1800,
          joints: 0.4,
          jointSpacing: 90,
        },
      ),
  },
  {
    id: 'crater-field',
    name: 'Crater field',
    summary: 'Old overlapping craters in a plain of dust.',
    make: () =>
      withCover(
        makeCourse('Crater field', land(8192, -400), [
          stepUse('noise', { kind: 'fbm', feature: 3600, height: 170, level: 200, octaves: 9, gain: 0.45, seed: 71 }, { name: 'Plain', join: 'replace' }),
          stepUse('craters', { count: 900, largest: 2400, smallest: 50, power: 1.8, age: 0.8, seed: 12 }, { name: 'Impacts', join: 'add' }),
          stepUse('noise', { kind: 'billow', feature: 120, height: 4, octaves: 5, seed: 9 }, { name: 'Dust', join: 'add' }),
        ]),
        dust(),
      ),
  },
  {
    id: 'dune-sea',
    name: 'Dune sea',
    summary: 'High ridges of sand across the wind, with lesser ones on their backs.',
    make: () =>
      withCover(
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
        sand(),
      ),
  },
  {
    id: 'fire-mountain',
    name: 'Fire mountain',
    summary: 'A cone with its crater, flows and gullies above a rolling foreland.',
    make: () =>
      makeCourse('Fire mountain', land(12_288, 0), [
        stepUse('noise', { kind: 'fbm', feature: 4800, height: 400, level: 300, octaves: 9, gain: 0.45, seed: 62 }, { name: 'Foreland', join: 'replace' }),
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
        stepUse('drain', { amount: 8, scale: 24 }),
      ]),
  },
  {
    id: 'drumlin-fen',
    name: 'Drumlin fen',
    summary: 'A swarm of long low hills, all drawn one way by ice, over a wet plain.',
    make: () =>
      makeCourse('Drumlin fen', land(6144, 12), [
        stepUse('flat', { level: 14 }),
        stepUse(
          'noise',
          { kind: 'billow', basis: 'simplex', feature: 620, height: 130, level: 8, octaves: 2, gain: 0.3, seed: 29 },
          { name: 'Hills', join: 'smooth-higher', joinWidth: 18 },
        ),
        stepUse('place', { across: 3, turn: 24, edge: 'mirror' }),
        stepUse('noise', { kind: 'fbm', feature: 900, height: 9, octaves: 6, seed: 3 }, { name: 'Fen', join: 'add' }),
        stepUse('fluvial', { amount: 300, scale: 140, soften: 24 }),
        stepUse('blur', { size: 14 }),
      ]),
  },
  {
    id: 'fjord-coast',
    name: 'Drowned valleys',
    summary: 'Troughs that ice has dug under the sea, between steep shoulders.',
    make: () =>
      makeCourse('Drowned valleys', land(16_384, 0), [
        stepUse('noise', { kind: 'fbm', feature: 8200, height: 1000, level: 520, octaves: 9, gain: 0.45, seed: 140 }, { join: 'replace' }),
        stepUse('landform', { form: 'ramp', height: 700, length: 15_000, turn: 35, level: -350 }, { name: 'Seaward tilt', join: 'add' }),
        stepUse('fluvial', { amount: 5200, scale: 420, soften: 55, bank: 46, breach: 400, toSea: false }),
        stepUse('glacier', { amount: 1300, snowline: 0.12, snow: 1.4, slide: 0.75, favour: 0.06, till: 0.06, wall: 62 }),
        stepUse('shift', { by: -70 }, { name: 'Drowned' }),
        stepUse('talus', { cliff: 46, fall: 30, repose: 36, sweeps: 50 }),
        stepUse('roughen', { height: 24, feature: 260 }, { name: 'Crags' }),
        stepUse('shore', { retreat: 40, stacks: 0.6, scale: 60, height: 3 }),
      ]),
  },
  {
    id: 'ice-fells',
    name: 'Ice-worn fells',
    summary: 'Fells with tarns under their crags, and dales that ice has opened.',
    make: () =>
      withRock(
        makeCourse('Ice-worn fells', land(8192, 0), [
          stepUse('noise', { kind: 'fbm', feature: 4600, height: 900, level: 520, octaves: 9, gain: 0.45, seed: 27 }, { join: 'replace' }),
          stepUse('fluvial', { amount: 5200, scale: 300, soften: 40, bank: 48, breach: 300, rock: 0.6 }),
          stepUse('glacier', { amount: 1100, snowline: 0.3, favour: 0.22, till: 0.14, slide: 0.7 }),
          stepUse('talus', { cliff: 42, fall: 30, repose: 35, loose: 0.7, patch: 140, sweeps: 45 }),
          stepUse('roughen', { height: 3, feature: 60, steepFrom: 20 }),
        ]),
        {
          thickness: 55,
          spread: 0.6,
          hardShare: 0.55,
          contrast: 0.7,
          dip: 14,
          dipDirection: 320,
          foldHeight: 80,
          foldLength: 3600,
          joints: 0.35,
          jointSpacing: 120,
        },
      ),
  },
  {
    id: 'scarplands',
    name: 'Scarplands',
    summary: 'Tilted beds worn to one scarp behind another, with vales in the soft ones.',
    make: () =>
      withRock(
        makeCourse('Scarplands', land(12_288, 0), [
          stepUse('noise', { kind: 'fbm', feature: 6200, height: 420, level: 520, octaves: 9, gain: 0.45, seed: 71 }, { join: 'replace' }),
          stepUse('fluvial', { amount: 30_000, scale: 1000, soften: 180, bank: 42, uplift: 420, breach: 600, exponent: 0.42 }),
          stepUse('blur', { size: 16 }, { name: 'Soil' }),
          stepUse('talus', { cliff: 44, fall: 24, repose: 34, sweeps: 60 }),
          stepUse('drain', { amount: 25, scale: 24 }),
        ]),
        {
          thickness: 70,
          spread: 0.4,
          hardShare: 0.45,
          contrast: 1,
          dip: 4,
          dipDirection: 132.5,
          foldHeight: 240,
          foldLength: 5000,
          foldDirection: 87.5,
          joints: 0.3,
          jointSpacing: 300,
          seed: 6,
          faults: [{ east: 7200, south: 5200, strike: 84.5, throw: 150 }],
        },
      ),
  },
  {
    id: 'karst-plateau',
    name: 'Karst plateau',
    summary: 'A bare limestone plateau, its pavements and sinkholes cut by dry gorges.',
    make: () =>
      withRock(
        makeCourse('Karst plateau', land(4096, 0), [
          stepUse('noise', { kind: 'fbm', feature: 2800, height: 170, level: 640, octaves: 8, gain: 0.42, seed: 8 }, { join: 'replace' }),
          stepUse('fluvial', { amount: 5200, scale: 260, soften: 14, bank: 60, breach: 200, uplift: 40 }),
          stepUse('canyon', { from: 900, depth: 120, width: 18, hard: 82, soft: 34 }, { name: 'Gorge' }),
          stepUse(
            'noise',
            { kind: 'fbm', basis: 'cellular', cell: 'nearest', feature: 210, height: 34, octaves: 3, gain: 0.4, seed: 77, warp: 40, warpFeature: 260 },
            {
              name: 'Sinkholes',
              join: 'add',
              strength: 0.8,
              where: where(maskUse('noise', { feature: 900, low: 0.5, softness: 0.16, seed: 5 }), maskUse('slope', { low: 0, high: 13, softness: 7 })),
            },
          ),
          stepUse('talus', { cliff: 48, fall: 12, repose: 36, patch: 60 }),
          stepUse('roughen', { height: 3, feature: 30, steepFrom: 18 }),
        ]),
        {
          thickness: 17,
          spread: 0.6,
          hardShare: 0.62,
          contrast: 0.9,
          dip: 2,
          dipDirection: 300,
          foldHeight: 10,
          foldLength: 1600,
          joints: 0.8,
          jointSpacing: 46,
        },
      ),
  },
];

/** The starting course with this id, or undefined. */
export const startingCourse = (id: string): StartingCourse | undefined => startingCourses.find((s) => s.id === id);
