import { z } from 'zod';
import { degrees, distance, ratio, seed } from '../steps/params';

/** A break that has moved the beds on one side of it. */
export const rockFaultSchema = z.object({
  /** A place on its line, metres from the ground's north-west corner. */
  east: z.number().min(-1e6).max(1e6),
  south: z.number().min(-1e6).max(1e6),
  /** Degrees clockwise from north that its line runs to. */
  strike: z.number().min(0).max(360),
  /** Metres that the beds to the right of the line lie lower. */
  throw: z.number().min(-9_000).max(9_000),
});
export type RockFault = z.infer<typeof rockFaultSchema>;

/** The rock that a terrain is made of, in three dimensions. Lengths and heights in metres, angles in degrees. */
export const rockSchema = z.object({
  thickness: distance(60, {
    min: 0,
    max: 4_000,
    logarithmic: true,
    label: 'Bed thickness',
    help: 'How thick a bed is on the mean. 0: no beds, the rock is alike everywhere.',
  }),
  spread: ratio(0.5, { max: 0.95, label: 'Thickness varies', help: 'How much thicker or thinner than the mean single beds are.' }),
  hardShare: ratio(0.45, { label: 'Hard beds', help: 'How many of the beds are hard. All of them: nothing gives way more than anything else.' }),
  contrast: ratio(0.9, { label: 'Contrast', help: 'How much harder the hard beds are than the soft ones.' }),
  dip: degrees(4, { min: 0, max: 60, label: 'Dip', help: 'How steeply the beds sink.' }),
  dipDirection: degrees(120, { min: 0, max: 360, step: 5, label: 'Dips towards', help: 'Degrees clockwise from north: 90 sinks to the east.' }),
  foldHeight: distance(25, { min: 0, max: 3_000, label: 'Fold height', help: 'How far folds lift the beds and let them down.' }),
  foldLength: distance(2_600, { min: 20, max: 100_000, logarithmic: true, label: 'Fold length', help: 'From one fold’s crest to the next.' }),
  foldDirection: degrees(30, { min: 0, max: 180, step: 5, label: 'Fold axis', help: 'Degrees clockwise from north that the folds’ crests run to.' }),
  jointSpacing: distance(140, {
    min: 1,
    max: 10_000,
    logarithmic: true,
    label: 'Joint spacing',
    help: 'From one joint to the next; there are two sets, nearly at right angles.',
  }),
  joints: ratio(0.35, { label: 'Joints', help: 'How much weaker hard rock is along its joints. 0: there are none.' }),
  lift: distance(0, { min: -9_000, max: 9_000, label: 'Lift', help: 'All beds higher or lower by so much.' }),
  seed: seed(),
  faults: z.array(rockFaultSchema).max(24).default([]),
});
export type Rock = z.output<typeof rockSchema>;

/** The settings that a panel shows as rows, in their order; faults are a list of their own. */
export const rockSettings = rockSchema.omit({ faults: true });

export const ROCK_PRESETS: readonly { name: string; rock: Partial<Rock> }[] = [
  { name: 'Level tables', rock: { thickness: 70, dip: 0.5, foldHeight: 8, hardShare: 0.4 } },
  { name: 'Tilted scarps', rock: { thickness: 90, dip: 9, foldHeight: 20, hardShare: 0.4, contrast: 1 } },
  { name: 'Upended ribs', rock: { thickness: 110, dip: 48, foldHeight: 60, hardShare: 0.35, joints: 0.2 } },
  { name: 'Folded ranges', rock: { thickness: 120, dip: 4, foldHeight: 340, foldLength: 3_200, hardShare: 0.4 } },
  { name: 'Thin flags', rock: { thickness: 18, spread: 0.7, dip: 3, foldHeight: 15, hardShare: 0.5 } },
];
