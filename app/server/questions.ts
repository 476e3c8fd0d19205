import { describeIssue, UplandError } from '@upland-cast/core';
import { z } from 'zod';

/** A number as it stands in an address: digits, and nothing that JavaScript would also take for one ("", "0x10", " 5 "). */
const written = z
  .string()
  .max(40)
  .regex(/^[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d{1,3})?$/, 'it has to be a number');
export const number = (min: number, max: number) => written.transform(Number).pipe(z.number().min(min).max(max));
export const above = (max: number) => written.transform(Number).pipe(z.number().positive().max(max));
export const whole = (min: number, max: number) =>
  z
    .string()
    .max(12)
    .regex(/^(0|[1-9]\d*)$/, 'it has to be a whole number')
    .transform(Number)
    .pipe(z.number().int().min(min).max(max));
/** What an address asks for, checked, with what its path says; throws a sentence that names the part that is wrong. */
export function asked<T extends z.ZodType>(schema: T, url: URL, place: Record<string, string | undefined> = {}): z.output<T> {
  const parsed = schema.safeParse({ ...Object.fromEntries(url.searchParams), ...place });
  if (parsed.success) return parsed.data;
  const issue = parsed.error.issues[0];
  throw new UplandError('asked', `The question is not understood: ${describeIssue(issue)}.`);
}
