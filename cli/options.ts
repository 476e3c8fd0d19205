import { InvalidArgumentError, Option } from 'commander';
import {
  FILTERS,
  paramsOf,
  UplandError,
  type Band,
  type Encoding,
  type Field,
  type Filter,
  type Ground,
  type Meaning,
  type SampleType,
} from '@upland-cast/core';
import { CODES, formatById, formatByName, parseRawSpec, statistics } from '@upland-cast/core';

const NUMBER = '[-+]?(?:\\d+\\.?\\d*|\\.\\d+)(?:[eE][-+]?\\d+)?';

/** `LO:HI` in metres. */
export function parseRange(text: string): { low: number; high: number } {
  const match = new RegExp(`^(${NUMBER}):(${NUMBER})$`).exec(text);
  if (!match) throw new InvalidArgumentError('A range is LO:HI in metres, such as 350:1004.');
  return { low: Number(match[1]), high: Number(match[2]) };
}

/** `C0=H0,C1=H1`. */
export function parseMap(text: string): NonNullable<Meaning['map']> {
  const match = new RegExp(`^(${NUMBER})=(${NUMBER}),(${NUMBER})=(${NUMBER})$`).exec(text);
  if (!match) throw new InvalidArgumentError('A map is C0=H0,C1=H1: two codes and the metres they stand for.');
  const [code0, height0, code1, height1] = match.slice(1).map(Number);
  return { code0, height0, code1, height1 };
}

export function parsePair(text: string): { x: number; y: number } {
  const match = new RegExp(`^(${NUMBER})x(${NUMBER})$`).exec(text);
  if (!match) throw new InvalidArgumentError('This takes two numbers with an x between them, such as 1025x1025.');
  return { x: Number(match[1]), y: Number(match[2]) };
}

export function parseSize(text: string): { across: number; down: number } {
  const { x, y } = parsePair(text);
  if (!Number.isInteger(x) || !Number.isInteger(y) || x < 1 || y < 1) throw new InvalidArgumentError('A size is columns x rows in whole samples.');
  return { across: x, down: y };
}

export function parseNumber(text: string): number {
  if (!new RegExp(`^${NUMBER}$`).test(text)) throw new InvalidArgumentError(`"${text}" is not a number.`);
  return Number(text);
}

export function parseWhole(text: string): number {
  const value = parseNumber(text);
  if (!Number.isInteger(value) || value < 0) throw new InvalidArgumentError(`"${text}" is not a whole number.`);
  return value;
}

/** Reads one of some words, which it carries with it for completion. */
export function oneOf<T extends string>(...choices: readonly T[]): ((text: string) => T) & { choices: readonly T[] } {
  const read = (text: string) => {
    if (!choices.includes(text as T)) throw new InvalidArgumentError(`It takes one of ${choices.join(', ')}.`);
    return text as T;
  };
  return Object.assign(read, { choices });
}

/** A band by its number, or what a colour picture is read as. */
export function parseBand(text: string): Band {
  if (text === 'luminance' || text === 'packed') return text;
  const number = parseWhole(text);
  if (number < 1) throw new InvalidArgumentError('Bands are counted from 1.');
  return number;
}

/** Settings as options of a command: names, words and bounds as their schema has them. What is not given is left out. */
export function settingOptions(schema: Parameters<typeof paramsOf>[0], keys: readonly string[]): Option[] {
  const all = new Map(paramsOf(schema).map((param) => [param.key, param]));
  return keys.map((key) => {
    const { meta, value } = all.get(key)!;
    const { kind, label, help, choices, min = -Infinity, max = Infinity, unit } = meta;
    const flag = `--${key.replace(/[A-Z]/g, (letter) => `-${letter.toLowerCase()}`)}`;
    const words = `${label}${help ? `. ${help.replace(/\.$/, '')}` : ''}`;
    if (kind === 'switch') return new Option(flag, words);
    if (kind === 'choice') return new Option(`${flag} <${Object.keys(choices!).join('|')}>`, words).argParser(oneOf(...Object.keys(choices!)));
    const within = (text: string): number => {
      const number = kind === 'count' ? parseWhole(text) : parseNumber(text);
      if (number < min || number > max) throw new InvalidArgumentError(`It takes ${min} to ${max}${unit ? ` ${unit}` : ''}.`);
      return number;
    };
    return new Option(`${flag} <${unit || 'n'}>`, `${words}; ${String(value)} without it`).argParser(within);
  });
}

export const parseFilter = oneOf<Filter>(...FILTERS);

export function collect(text: string, before: string[]): string[] {
  return [...before, text];
}

export interface OutOptions {
  outAs?: string;
  outRange?: { low: number; high: number };
  depth?: '8' | '16' | '32f';
}

/** Heights as far as their encoding goes by them, where not all of them are at hand. */
export interface Measured {
  ground: Ground;
  /** Their lowest and highest, metres, absolute. */
  measure(): { lowest: number; highest: number };
}

/**
 * How a field is written to `out`: the format by `--out-as` or the ending, the type by
 * `--depth` or what the input had, the range by `--out-range`, else the input's own codes where
 * they fit, else the field's lowest and highest.
 */
export function encodingFor(
  out: string,
  field: Field | Measured,
  options: OutOptions,
  source?: { type: SampleType; range?: { low: number; high: number } },
): Encoding {
  const spec = options.outAs;
  const layout = spec?.startsWith('raw:') ? parseOutSpec(spec) : undefined;
  const format = spec ? formatById(spec.split(':')[0]) : formatByName(out);
  const byDepth = options.depth && ({ '8': 'u8', '16': 'u16', '32f': 'f32' } as const)[options.depth];
  const wished = layout?.type ?? byDepth ?? source?.type ?? 'f32';
  if ((layout || byDepth) && !format.writes.includes(wished)) {
    throw new UplandError('type', `${format.title} is not written with ${wished} samples. It takes ${format.writes.join(', ')}.`);
  }
  // Decimal text carries heights on a datum too, which float32 would round.
  const type = format.id === 'asc' || format.id === 'xyz' ? (field.ground.datum ? 'f64' : 'f32') : format.writes.includes(wished) ? wished : format.writes[0];
  const encoding: Encoding = { format: format.id, type, options: layout ? { order: layout.order, rows: layout.rows, skip: layout.skip } : tiffOptions(spec) };
  if (!CODES[type]) return encoding;
  if (options.outRange) return { ...encoding, range: options.outRange };
  const { lowest, highest } = 'measure' in field ? field.measure() : statistics(field);
  const own = source?.type === type && source.range && source.range.low <= lowest && highest <= source.range.high ? source.range : undefined;
  const range = own ?? (highest > lowest ? { low: lowest, high: highest } : { low: lowest, high: lowest + 1 });
  return { ...encoding, range };
}

/** `tiff:deflate`, `tiff:cloud`: how a TIFF is laid out. */
function tiffOptions(spec: string | undefined): Encoding['options'] {
  const [format, ...words] = spec?.split(':') ?? [];
  if (words.length === 0) return undefined;
  const unknown = words.find((word) => formatById(format).id !== 'tiff' || (word !== 'cloud' && word !== 'deflate'));
  if (unknown !== undefined)
    throw new UplandError('type', `“${unknown}” says nothing about how ${formatById(format).title} is written. TIFF takes tiff:deflate, tiff:cloud or both.`);
  return { cloud: words.includes('cloud'), compression: words.includes('deflate') || words.includes('cloud') ? 'deflate' : 'none' };
}

/**
 * How heights that were worked out are written: 32-bit floats, or 16 bits where the format has
 * none. Eight bits, and what the input had, only when they are asked for: they would write a
 * mend away again.
 */
export function encodingForWorked(out: string, field: Field, options: OutOptions): Encoding {
  const format = options.outAs ? formatById(options.outAs.split(':')[0]) : formatByName(out);
  const type = (['f32', 'u16', 'f64', 's16', 'u24', 'u8'] as const).find((t) => format.writes.includes(t)) ?? format.writes[0];
  return encodingFor(out, field, options, { type });
}

/** An encoding's numbers: "32-bit floats", "16-bit codes". */
export function inWords({ type }: Encoding): string {
  const codes = CODES[type];
  return codes ? `${codes.bits}-bit codes` : `${type.slice(1)}-bit floats`;
}

/** `raw:TYPE:ORDER[:…]` on writing: the size is the field's own. */
function parseOutSpec(spec: string) {
  const parts = spec.split(':');
  const sized = /^\d+x\d+$/.test(parts[3] ?? '') ? spec : [...parts.slice(0, 3), '1x1', ...parts.slice(3)].join(':');
  return parseRawSpec(sized);
}
