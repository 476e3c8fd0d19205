import { z } from 'zod';
import { quoted, UplandError } from '../errors';
import { describeIssue } from '../issue';
import { groundSchema } from '../field/ground';
import { waterSchema } from '../analysis/water';
import { maskKinds } from '../masks';
import { assetReadingSchema } from '../formats/asset';
import { rockSchema } from '../rock/rock';
import { knownStep, stepById, steps } from '../steps';
import type { JoinMode, StepInputs } from '../steps/step';
import { coverSchema, orderSchema } from './recipe';
import { looseObject, looseEnum } from './loose';
import { checkedSettings } from './settings';
import { migrations } from './migrate';
import { inputsOfWhere, whereSchema } from './where';

export const COURSE_VERSION = 5;

export const HOLDS = { none: 'Nothing', mean: 'Mean', lowest: 'Lowest', highest: 'Highest' } as const;
export type Hold = keyof typeof HOLDS;

const idSchema = z.string().min(1).max(64);

export const stepUseSchema = looseObject(
  z.object({
    /** Its own name within the course. */
    id: idSchema,
    /** Which step it is. */
    step: z.string().max(64),
    /** What the artist calls it; empty: the step's title. */
    name: z.string().max(80).default(''),
    params: z.record(z.string(), z.unknown()).default({}),
    on: z.boolean().default(true),
    strength: z.number().min(0).max(1).default(1),
    join: looseEnum<JoinMode>().default('replace'),
    /** Metres over which the blended ways of joining round the corner. */
    joinWidth: z.number().min(0).max(9_000).default(60),
    /** Multiplied: the heights that stand for 0 and for 1, metres. */
    joinZero: z.number().min(-20_000).max(20_000).default(0),
    joinOne: z.number().min(-20_000).max(20_000).default(100),
    where: whereSchema.default({ masks: [], combine: 'multiply' }),
    /** What of the ground it leaves as it was: one shift afterwards brings it back. */
    hold: looseEnum<Hold>().default('none'),
    note: z.string().max(2000).default(''),
  }),
);

export type StepUse = z.infer<typeof stepUseSchema>;

/** A side line of steps; it joins the stem or another tributary at a Join step, or says where a step acts. */
export const tributarySchema = looseObject(
  z.object({
    id: idSchema,
    name: z.string().min(1).max(80),
    steps: z.array(stepUseSchema).max(500),
    /** Drawn as one card. */
    collapsed: z.boolean().default(false),
  }),
);
export type Tributary = z.infer<typeof tributarySchema>;

const assetName = z.string().regex(/^[0-9a-f]{64}$/);
const place = z.object({ east: z.number(), south: z.number() });

/**
 * One side of a comparison. A heightmap is an asset, read as it was settled, with the steps that mend it; a mesh is one or several. They are no
 * part of the terrain.
 */
const comparedSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('now') }),
  z.object({ kind: z.literal('step'), id: idSchema }),
  z.object({ kind: z.literal('tributary'), id: idSchema }),
  z.object({ kind: z.literal('mark'), id: z.int().min(0) }),
  z.object({ kind: z.literal('save'), at: z.number() }),
  z.object({ kind: z.literal('terrain'), id: z.string().max(80) }),
  z.object({ kind: z.literal('roll'), number: z.int().min(0) }),
  /** `scale` and `lift`: what its heights are A's times, and more by; they are taken out. */
  z.object({
    kind: z.literal('file'),
    name: z.string().max(300),
    sha: assetName.optional(),
    /** The files of a mesh, by their names and their assets'. */
    mesh: z
      .array(z.object({ name: z.string().max(300), sha: assetName }))
      .max(4096)
      .optional(),
    reading: assetReadingSchema.optional(),
    steps: z.array(stepUseSchema).max(12).optional(),
    scale: z.number().optional(),
    lift: z.number().optional(),
  }),
]);
export type Compared = z.infer<typeof comparedSchema>;

/** Two sides, and how B is laid on A. */
export const comparisonSchema = z.object({
  name: z.string().max(80).default(''),
  a: comparedSchema,
  b: comparedSchema,
  laid: z.enum(['usual', 'ground', 'georeference', 'size', 'corner', 'fit']).default('usual'),
});
export type Comparison = z.infer<typeof comparisonSchema>;

/** What a terrain is made of: its ground, the steps of its stem, first to last, and its side lines. */
export const courseSchema = looseObject(
  z.object({
    format: z.literal('upland-cast course'),
    /** A later one opens where what this one knows of it holds; it stays what it is. */
    version: z.int().min(COURSE_VERSION).max(1_000_000),
    name: z.string().min(1).max(120),
    ground: looseObject(groundSchema),
    stem: z.array(stepUseSchema).max(500),
    tributaries: z.array(tributarySchema).max(100).default([]),
    /** The files that steps refer to, by SHA-256: where they came from, and how they are read. */
    assets: z.record(assetName, z.object({ name: z.string(), bytes: z.int().min(0), reading: assetReadingSchema.optional() })).default({}),
    /** Every seed that a source has had, by the step's id, oldest first. */
    rolls: z.record(idSchema, z.array(z.object({ seed: z.int().min(0).max(0xffffffff), favourite: z.boolean().default(false) })).max(1000)).default({}),
    /** Rolls of the whole course: every seed of its steps, by their ids, and of their masks ("step/mask"), oldest first. */
    wholeRolls: z
      .array(
        z.object({
          number: z.int().min(0).max(999_999),
          favourite: z.boolean().default(false),
          seeds: z.record(z.string().min(1).max(129), z.int().min(0).max(0xffffffff)),
        }),
      )
      .max(200)
      .default([]),
    /** Named places whose heights are watched, metres from the north-west corner. */
    spots: z
      .array(place.extend({ id: idSchema, name: z.string().max(80) }))
      .max(200)
      .default([]),
    /** Views that are kept: metres east, south and above the datum. */
    cameras: z
      .array(
        z.object({
          id: idSchema,
          name: z.string().max(80),
          eye: z.tuple([z.number(), z.number(), z.number()]),
          target: z.tuple([z.number(), z.number(), z.number()]),
        }),
      )
      .max(100)
      .default([]),
    /** The rock that the terrain is made of; left out: alike everywhere, and nothing feels it. */
    rock: looseObject(rockSchema).optional(),
    /** What counts as a lake and as a stream; left out: as is usual on ground of this size. */
    water: looseObject(waterSchema).optional(),
    /** What the ground is covered with, for its colour and material weights; left out: the usual cover. */
    cover: coverSchema.optional(),
    /** What is handed on, kept to be done again. */
    orders: z.array(orderSchema).max(100).default([]),
    /** What was last chosen in the rooms that write files: an order, and the settings of a mesh, as they were; those of a later version are passed over. */
    chosen: z.object({ order: orderSchema.optional().catch(undefined), mesh: z.record(z.string(), z.unknown()).optional().catch(undefined) }).optional(),
    /** What is compared now, and comparisons that are kept by name. */
    comparison: comparisonSchema.optional(),
    comparisons: z.array(comparisonSchema).max(100).default([]),
    /** The line that the section is drawn along. */
    section: z.object({ from: place, to: place }).optional(),
  }),
);

export type Course = z.infer<typeof courseSchema>;

/** A course from parsed JSON, brought up to the present version and checked whole, settings included. */
export function parseCourse(input: unknown): Course {
  if (typeof input !== 'object' || input === null || (input as { format?: unknown }).format !== 'upland-cast course') {
    throw new UplandError('not-a-course', 'This is not a terrain of Upland Cast: its course does not say so.');
  }
  let course = input as Record<string, unknown>;
  while (typeof course.version === 'number' && course.version < COURSE_VERSION && migrations[course.version]) {
    course = migrations[course.version](course);
  }
  const parsed = courseSchema.safeParse(course);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    if (typeof course.version === 'number' && course.version > COURSE_VERSION) {
      throw new UplandError(
        'newer-course',
        `This terrain was made by a newer Upland Cast (course version ${course.version}; this one reads up to ${COURSE_VERSION}), and cannot be read here: ${describeIssue(issue, 'the course')}. Update, or save it there for this version.`,
      );
    }
    throw new UplandError('course', `This terrain cannot be read: ${describeIssue(issue, 'the course')}.`);
  }
  const seen = new Set<string>();
  for (const { id } of [...allUses(parsed.data), ...parsed.data.tributaries]) {
    if (seen.has(id)) throw new UplandError('course', `This terrain cannot be read: two of its parts are called ${quoted(id)}.`);
    seen.add(id);
  }
  return parsed.data;
}

/** A line of steps: the stem has an empty id. */
export interface CourseLine {
  id: string;
  name: string;
  steps: StepUse[];
}

/** The stem and the tributaries, the stem first. */
export const linesOf = (course: Pick<Course, 'stem' | 'tributaries'>): CourseLine[] => [{ id: '', name: 'Stem', steps: course.stem }, ...course.tributaries];

/** The step uses of all lines. */
export const allUses = (course: Pick<Course, 'stem' | 'tributaries'>): StepUse[] => linesOf(course).flatMap((line) => line.steps);

/** The line that a step use stands on, and where. */
export function findUse(course: Pick<Course, 'stem' | 'tributaries'>, id: string | null): { line: CourseLine; index: number; use: StepUse } | undefined {
  for (const line of linesOf(course)) {
    const index = line.steps.findIndex((use) => use.id === id);
    if (index >= 0) return { line, index, use: line.steps[index] };
  }
  return undefined;
}

/** The settings of a step use with the defaults filled in; a sentence names the setting that is out of bounds. */
export function settingsOf(use: Pick<StepUse, 'step' | 'params'>): Record<string, unknown> {
  const step = stepById(use.step);
  return checkedSettings(step.title, step.params, use.params);
}

/** What a step use reads beside the line it stands on, its masks included. */
export function inputsOf(use: Pick<StepUse, 'step' | 'params' | 'where'>): Required<StepInputs> {
  const { assets = [], tributaries = [], sea = false, rock = false } = stepById(use.step).inputs(settingsOf(use) as never);
  const where = inputsOfWhere(use.where);
  return { assets: [...assets, ...where.assets], tributaries: [...tributaries, ...where.tributaries], sea: sea || where.sea, rock: rock || where.rock };
}

/** The same, nothing where the step is unknown or set wrong. */
function inputsIfAny(use: Pick<StepUse, 'step' | 'params' | 'where'>): Required<StepInputs> {
  try {
    return inputsOf(use);
  } catch {
    return { assets: [], tributaries: [], sea: false, rock: false };
  }
}

/**
 * The names of the lines around a loop that would arise if `line` read the tributary `from`;
 * null where there is none. Steps that are off count: they may be switched on.
 */
export function loopBetween(course: Course, line: string, from: string): string[] | null {
  const walk = (at: string, path: string[]): string[] | null => {
    const here = course.tributaries.find((t) => t.id === at);
    if (!here || path.includes(here.name)) return null;
    const next = [...path, here.name];
    if (at === line) return next;
    for (const use of here.steps) {
      for (const id of inputsIfAny(use).tributaries) {
        const found = walk(id, next);
        if (found) return found;
      }
    }
    return null;
  };
  return line === '' ? null : walk(from, []);
}

export const loopSentence = (names: string[]): string =>
  names.length === 1
    ? `"${names[0]}" would flow into itself. Choose another tributary.`
    : `This would make a loop: ${[...names, names[0]].map((n) => `"${n}"`).join(' flows into ')}. Choose another tributary.`;

let counter = 0;
const freshId = (kind: string) => `${kind}-${globalThis.crypto.getRandomValues(new Uint32Array(1))[0].toString(36)}${(counter++).toString(36)}`;

/** A new use of a step, joined the way that is usual for it. */
export function stepUse(step: string, params: Record<string, unknown> = {}, rest: Partial<StepUse> = {}): StepUse {
  return stepUseSchema.parse({ id: freshId(step), step, params, join: knownStep(step).joins[0], ...rest });
}

export function makeTributary(name: string, steps: StepUse[] = [], id = freshId('line')): Tributary {
  return { id, name, steps, collapsed: false };
}

/** An empty course on a ground. */
export function makeCourse(name: string, ground: Course['ground'], stem: StepUse[] = [], tributaries: Tributary[] = []): Course {
  return {
    format: 'upland-cast course',
    version: COURSE_VERSION,
    name,
    ground,
    stem,
    tributaries,
    assets: {},
    rolls: {},
    wholeRolls: [],
    spots: [],
    cameras: [],
    orders: [],
    comparisons: [],
  };
}

/** The assets that a course reads, by SHA-256. Steps that are unknown or set wrong read none. */
export function assetsOf(course: Course): string[] {
  const cover = (course.cover?.layers ?? []).flatMap((layer) => [
    ...(layer.picture ? [layer.picture] : []),
    ...inputsIfAny({ step: 'shift', params: {}, where: layer.where }).assets,
  ]);
  return [...new Set([...allUses(course).flatMap((use) => inputsIfAny(use).assets), ...cover])];
}

/**
 * What steps that are not known here, or set wrong, may read: every name of an asset in their
 * settings. They go along where they are there, so that the file stays what it was.
 */
export function optionalAssetsOf(course: Course): string[] {
  const strange = allUses(course).filter((use) => !steps.some((s) => s.id === use.step) || inputsFail(use));
  return [...new Set(JSON.stringify(strange.map(({ params, where }) => [params, where])).match(/\b[0-9a-f]{64}\b/g) ?? [])];
}

function inputsFail(use: StepUse): boolean {
  try {
    inputsOf(use);
    return use.where.masks.some((mask) => !maskKinds.some((kind) => kind.id === mask.kind));
  } catch {
    return true;
  }
}

/** The tributaries that are read by some step, whether it is on or off. */
export function readersOf(course: Course, tributary: string): StepUse[] {
  return allUses(course).filter((use) => inputsIfAny(use).tributaries.includes(tributary));
}
