import { z } from 'zod';

/** What a setting is, beside its bounds: enough for a panel, a command line and a reference page to be made from it. */
export interface ParamMeta {
  label: string;
  help?: string;
  /** The trade's other words for it, by which it is found. */
  finds?: readonly string[];
  /**
   * `elevation`: metres, absolute; the evaluator moves it to the ground's datum before a step
   * sees it. `distance`: metres, or a difference of heights. `ratio`: shown in percent.
   */
  kind:
    'elevation' | 'distance' | 'degrees' | 'count' | 'ratio' | 'number' | 'choice' | 'switch' | 'seed' | 'asset' | 'tributary' | 'curve' | 'line' | 'hidden';
  unit: string;
  min?: number;
  max?: number;
  step?: number;
  /** Equal ratios rather than equal differences along a slider. */
  logarithmic?: boolean;
  choices?: Record<string, string>;
  /** What a slider reaches, where the bounds are further. */
  span?: [number, number];
  /** Typed, without a slider. */
  typed?: boolean;
  /** Shown only where another setting has one of these values. */
  when?: Record<string, readonly unknown[]>;
  /** Shown only where another setting is less than this. */
  below?: Record<string, number>;
  /** One of the full set that stands beneath the few on top. */
  more?: boolean;
  /** What of a ground its starting value goes with: its size, its range of heights, how steep it is, or how far water runs on it. */
  fits?: 'size' | 'range' | 'steepness' | 'flow';
  /** Of an elevation: which one of the ground it begins at. */
  beginsAt?: 'lowest' | 'middle' | 'highest';
  /** Of a line on the ground: whether it comes back to where it began. */
  closed?: boolean;
}

interface Words {
  label: string;
  help?: string;
  when?: ParamMeta['when'];
  more?: boolean;
  below?: Record<string, number>;
  /** Of a count that has few values: what each is called. */
  choices?: Record<string, string>;
}

interface NumberOptions extends Words {
  fits?: ParamMeta['fits'];
  beginsAt?: ParamMeta['beginsAt'];
  span?: [number, number];
  typed?: boolean;
  min: number;
  max: number;
  step?: number;
  logarithmic?: boolean;
}

/** The trade's other words for settings, by what they are called here. */
const FINDS: Readonly<Record<string, readonly string[]>> = {
  'Feature size': ['scale', 'wavelength', 'frequency', 'zoom', 'period'],
  Height: ['amplitude', 'scale', 'elevation'],
  Level: ['base', 'offset', 'elevation'],
  Octaves: ['detail', 'iterations', 'levels'],
  Gain: ['persistence', 'roughness', 'amplitude'],
  Lacunarity: ['frequency ratio'],
  Warp: ['distortion', 'domain warp', 'displacement'],
  Amount: ['strength', 'intensity', 'opacity', 'mix'],
  Stops: ['gain', 'contrast', 'amplify'],
  Distance: ['offset', 'move', 'height'],
  Size: ['radius', 'sigma', 'kernel'],
  Turn: ['rotation', 'angle', 'rotate'],
  Throw: ['offset', 'displacement'],
  'Repose angle': ['talus angle', 'friction angle'],
  Rain: ['precipitation', 'rainfall'],
  Hardness: ['resistance', 'erodibility'],
  Heights: ['range', 'scale'],
  Soften: ['falloff', 'feather', 'blend'],
  Margin: ['falloff', 'border', 'width'],
  Shoulder: ['soft knee', 'soft clip'],
};

function numeric(kind: ParamMeta['kind'], unit: string, value: number, options: NumberOptions, whole = false) {
  const meta: ParamMeta = { kind, unit, finds: FINDS[options.label], ...options };
  const base = whole ? z.int() : z.number();
  return base
    .min(options.min)
    .max(options.max)
    .default(value)
    .meta(meta as unknown as Record<string, unknown>);
}

/** Metres, absolute. */
export const elevation = (value: number, options: NumberOptions) => numeric('elevation', 'm', value, { step: 1, ...options });
/** Metres along the ground, or a difference of heights. */
export const distance = (value: number, options: NumberOptions) => numeric('distance', 'm', value, { step: 1, ...options });
export const degrees = (value: number, options: NumberOptions) => numeric('degrees', '°', value, { step: 0.5, ...options });
export const count = (value: number, options: NumberOptions) => numeric('count', '', value, { step: 1, ...options }, true);
/** Metres that may be small fractions; any other unit where one is named. */
export const length = (value: number, options: NumberOptions & { unit?: string }) => {
  const { unit = 'm', ...rest } = options;
  return numeric('number', unit, value, { step: 0.1, ...rest });
};
/** A share, 0 to 1 unless told otherwise; shown in percent. */
export const ratio = (value: number, options: Partial<NumberOptions> & { label: string }) =>
  numeric('ratio', '%', value, { min: 0, max: 1, step: 0.01, ...options });
export const plain = (value: number, options: NumberOptions) => numeric('number', '', value, { step: 0.01, ...options });

export function seed(options: Pick<ParamMeta, 'below'> = {}) {
  const meta: ParamMeta = {
    ...options,
    kind: 'seed',
    unit: '',
    label: 'Roll',
    min: 0,
    max: 0xffffffff,
    help: 'The seed: another number, another ground of the same kind.',
  };
  return z
    .int()
    .min(0)
    .max(0xffffffff)
    .default(1)
    .meta(meta as unknown as Record<string, unknown>);
}

export function choice<const T extends Record<string, string>>(value: keyof T & string, choices: T, options: Words) {
  const keys = Object.keys(choices) as [keyof T & string, ...(keyof T & string)[]];
  const meta: ParamMeta = { kind: 'choice', unit: '', choices, ...options };
  return z
    .enum(keys)
    .default(value as never)
    .meta(meta as unknown as Record<string, unknown>);
}

export function toggle(value: boolean, options: Words) {
  const meta: ParamMeta = { kind: 'switch', unit: '', ...options };
  return z
    .boolean()
    .default(value)
    .meta(meta as unknown as Record<string, unknown>);
}

/** The name within the course of a tributary; empty: none chosen yet. */
export function tributary(options: Words) {
  const meta: ParamMeta = { kind: 'tributary', unit: '', ...options };
  return z
    .string()
    .max(64)
    .default('')
    .meta(meta as unknown as Record<string, unknown>);
}

/** Points of a curve from elevation to elevation, metres on both axes. */
export function curvePoints(value: { from: number; to: number }[], options: { label: string; help?: string }) {
  const meta: ParamMeta = { kind: 'curve', unit: 'm', ...options };
  const height = z.number().min(-20_000).max(20_000);
  return z
    .array(z.object({ from: height, to: height }))
    .max(64)
    .default(value)
    .meta(meta as unknown as Record<string, unknown>);
}

/** Points of a line on the ground, metres east and south of its north-west corner. */
export function linePoints(options: { label: string; help?: string; closed?: boolean; when?: ParamMeta['when'] }) {
  const meta: ParamMeta = { kind: 'line', unit: 'm', ...options };
  const place = z.number().min(-1e6).max(1e6);
  return z
    .array(z.object({ east: place, south: place }))
    .max(256)
    .default([])
    .meta(meta as unknown as Record<string, unknown>);
}

/** A setting that no panel shows: data of the step's own. */
export function hidden<T extends z.ZodType>(schema: T, label: string) {
  const meta: ParamMeta = { kind: 'hidden', unit: '', label };
  return schema.meta(meta as unknown as Record<string, unknown>);
}

export function asset(label: string, help: string, when?: ParamMeta['when']) {
  const meta: ParamMeta = { kind: 'asset', unit: '', label, help, when };
  return z
    .string()
    .regex(/^([0-9a-f]{64})?$/)
    .default('')
    .meta(meta as unknown as Record<string, unknown>);
}

/** Whether a setting means anything beside what the others are set to. */
export const isShown = (meta: ParamMeta, settings: Record<string, unknown>): boolean =>
  Object.entries(meta.when ?? {}).every(([key, values]) => values.includes(settings[key])) &&
  Object.entries(meta.below ?? {}).every(([key, bound]) => Number(settings[key]) < bound);

/** The settings of a step in their order, each with its description. */
export function paramsOf(schema: z.ZodObject): { key: string; meta: ParamMeta; value: unknown }[] {
  return Object.entries(schema.shape).map(([key, param]) => ({
    key,
    meta: (param as z.ZodType).meta() as unknown as ParamMeta,
    value: (param as z.ZodType).parse(undefined),
  }));
}
