import { COUNTRY, describeIssue, UplandError } from '@upland-cast/core';
import { z } from 'zod';

/** What may be asked of the survey, checked before anything is worked out. */

export const EXTRACT_FORMATS = ['tiff', 'png', 'asc', 'jpeg'] as const;
export type ExtractFormat = (typeof EXTRACT_FORMATS)[number];

/** A number as it stands in an address: digits, and nothing that JavaScript would also take for one ("", "0x10", " 5 "). */
const written = z
  .string()
  .max(40)
  .regex(/^[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d{1,3})?$/, 'it has to be a number');
const number = (min: number, max: number) => written.transform(Number).pipe(z.number().min(min).max(max));
const above = (max: number) => written.transform(Number).pipe(z.number().positive().max(max));
const whole = (min: number, max: number) =>
  z
    .string()
    .max(12)
    .regex(/^(0|[1-9]\d*)$/, 'it has to be a whole number')
    .transform(Number)
    .pipe(z.number().int().min(min).max(max));
const floor = z.enum(['0', '1']).default('1');

/** The most zoom of the map's tiles. */
export const MOST_ZOOM = 5;

export const frameQuestion = z.object({
  east: number(0, COUNTRY.width),
  south: number(0, COUNTRY.depth),
  width: above(COUNTRY.width),
  depth: above(COUNTRY.depth),
  spacing: whole(1, 1000),
});
export const extractQuestion = frameQuestion.extend({ format: z.enum(EXTRACT_FORMATS).default('tiff') });
/** A view of the map may reach beyond the country. */
export const viewQuestion = z.object({ east: number(-1e6, 1e6), south: number(-1e6, 1e6), width: above(1e6), depth: above(1e6), floor });
export const tilePlace = z.object({ z: whole(0, MOST_ZOOM), x: whole(0, 64), y: whole(0, 64) });
export const tileQuestion = z.object({ low: number(-20_000, 20_000).default(-500), high: number(-20_000, 20_000).default(1500), floor });

/** What an address asks for, checked; throws a sentence that names the part that is wrong. */
export function asked<T extends z.ZodType>(schema: T, url: URL): z.output<T> {
  const parsed = schema.safeParse(Object.fromEntries(url.searchParams));
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  throw new UplandError('asked', `The question is not understood: ${describeIssue(issue)}.`);
}
