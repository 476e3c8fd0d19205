import { z } from 'zod';
import { UplandError } from '../errors';
import { groundSchema } from '../field/ground';
import { stepById, steps } from '../steps';
import { JOIN_MODES, type JoinMode } from '../steps/step';

export const COURSE_VERSION = 1;

const joinModes = Object.keys(JOIN_MODES) as [JoinMode, ...JoinMode[]];

export const stepUseSchema = z.object({
  /** Its own name within the course. */
  id: z.string().min(1).max(64),
  /** Which step it is. */
  step: z.string(),
  /** What the artist calls it; empty: the step's title. */
  name: z.string().max(80).default(''),
  params: z.record(z.string(), z.unknown()).default({}),
  on: z.boolean().default(true),
  strength: z.number().min(0).max(1).default(1),
  join: z.enum(joinModes).default('replace'),
  note: z.string().max(2000).default(''),
});

export type StepUse = z.infer<typeof stepUseSchema>;

/** What a terrain is made of: its ground and the steps of its stem, first to last. */
export const courseSchema = z.object({
  format: z.literal('upland-cast course'),
  version: z.literal(COURSE_VERSION),
  name: z.string().min(1).max(120),
  ground: groundSchema,
  stem: z.array(stepUseSchema).max(500),
  /** The files that steps refer to, by SHA-256: where they came from. */
  assets: z.record(z.string().regex(/^[0-9a-f]{64}$/), z.object({ name: z.string(), bytes: z.int().min(0) })).default({}),
});

export type Course = z.infer<typeof courseSchema>;

/** One migration for every version ever written: from version n to n + 1. */
const migrations: Record<number, (course: Record<string, unknown>) => Record<string, unknown>> = {};

/** A course from parsed JSON, brought up to the present version and checked whole, settings included. */
export function parseCourse(input: unknown): Course {
  if (typeof input !== 'object' || input === null || (input as { format?: unknown }).format !== 'upland-cast course') {
    throw new UplandError('not-a-course', 'This is not a terrain of Upland Cast: its course does not say so.');
  }
  let course = input as Record<string, unknown>;
  if (typeof course.version === 'number' && course.version > COURSE_VERSION) {
    throw new UplandError(
      'newer-course',
      `This terrain was made by a newer Upland Cast (course version ${course.version}; this one reads up to ${COURSE_VERSION}). Update, or save it there for this version.`,
    );
  }
  while (typeof course.version === 'number' && course.version < COURSE_VERSION && migrations[course.version]) {
    course = migrations[course.version](course);
  }
  const parsed = courseSchema.safeParse(course);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    throw new UplandError('course', `This terrain cannot be read: ${issue.path.join(' › ') || 'the course'}: ${issue.message}.`);
  }
  const seen = new Set<string>();
  for (const use of parsed.data.stem) {
    if (seen.has(use.id)) throw new UplandError('course', `This terrain cannot be read: two of its steps are called "${use.id}".`);
    seen.add(use.id);
  }
  return parsed.data;
}

/** The settings of a step use with the defaults filled in; a sentence names the setting that is out of bounds. */
export function settingsOf(use: Pick<StepUse, 'step' | 'params'>): Record<string, unknown> {
  const step = stepById(use.step);
  const parsed = step.params.safeParse(use.params);
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  const key = String(issue.path[0] ?? '');
  const meta = step.params.shape[key] && ((step.params.shape[key] as z.ZodType).meta() as { label?: string; min?: number; max?: number; unit?: string });
  const bounds = meta?.min !== undefined && meta.max !== undefined ? ` It takes ${meta.min} to ${meta.max}${meta.unit ? ` ${meta.unit}` : ''}.` : '';
  throw new UplandError('setting', `${step.title}: "${meta?.label ?? key}" cannot be ${JSON.stringify(use.params[key])}.${bounds}`, { key });
}

/** A new use of a step, joined the way that is usual for it. */
export function stepUse(step: string, params: Record<string, unknown> = {}, rest: Partial<StepUse> = {}): StepUse {
  const id = rest.id ?? `${step}-${globalThis.crypto.getRandomValues(new Uint32Array(1))[0].toString(36)}`;
  return stepUseSchema.parse({ id, step, params, join: stepById(step).joins[0], ...rest });
}

/** An empty course on a ground. */
export function makeCourse(name: string, ground: Course['ground'], stem: StepUse[] = []): Course {
  return { format: 'upland-cast course', version: COURSE_VERSION, name, ground, stem, assets: {} };
}

/** The assets that a course reads, by SHA-256. Steps that are unknown or set wrong read none. */
export function assetsOf(course: Course): string[] {
  const found = new Set<string>();
  for (const use of course.stem) {
    const step = steps.find((s) => s.id === use.step);
    const params = step?.params.safeParse(use.params);
    if (step && params?.success) step.inputs(params.data).assets.forEach((sha) => found.add(sha));
  }
  return [...found];
}
