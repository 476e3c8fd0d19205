import type { Command } from './commands';

/** A number with its unit, as it was typed behind a command. */
export interface Typed {
  value: number;
  unit: string;
}

const LENGTHS: Readonly<Record<string, number>> = { m: 1, km: 1000, cm: 0.01, mm: 0.001, ft: 0.3048 };
const UNITS: Readonly<Record<string, string>> = { deg: '°', degrees: '°', x: '×', times: '×', metres: 'm', meters: 'm', percent: '%' };
const NUMBER = /(?:^|\s)([+\-−]?(?:\d{1,3}(?:[ \u2009\u202f]\d{3})+|\d+)?(?:[.,]\d+)?)\s*(km|cm|mm|ft|metres|meters|m|°|deg|degrees|%|percent|×|x|times)?\s*$/i;

/** What was typed, taken apart: the words, and the number behind them. */
export function typedIn(query: string): { words: string; typed: Typed | null } {
  const found = NUMBER.exec(query);
  if (!found?.[1] || !/\d/.test(found[1])) return { words: query.trim(), typed: null };
  const value = Number(
    found[1]
      .replace(/[ \u2009\u202f]/g, '')
      .replace(',', '.')
      .replace('−', '-'),
  );
  const unit = (found[2] ?? '').toLowerCase();
  return { words: query.slice(0, found.index).trim(), typed: { value, unit: UNITS[unit] ?? unit } };
}

/** The number as a command takes it; a sentence where it cannot. */
export function valueFor({ takes }: Command, { value, unit }: Typed): number | string {
  if (!takes) return 'It takes no number.';
  const length = LENGTHS[unit];
  if (unit && unit !== takes.unit && !(length && takes.unit === 'm'))
    return takes.unit ? `It takes ${takes.unit}, not ${unit}.` : 'It takes a number without a unit.';
  const taken = takes.percent ? value / 100 : length && takes.unit === 'm' ? Number((value * length).toPrecision(12)) : value;
  const [low, high] = [takes.min, takes.max].map((v) => (takes.percent ? 100 * v : v));
  return taken < takes.min || taken > takes.max ? `It takes ${low} to ${high} ${takes.unit}.` : taken;
}
