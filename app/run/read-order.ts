import type { z } from 'zod';
import { describeIssue, UplandError } from '@upland-cast/core';

/** An order out of the text that came with a project; refuses what is none with a sentence that names what is wrong. */
export function readOrder<T extends z.ZodType>(schema: T, text: string): z.output<T> {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new UplandError('order', 'This is not an order: it is not JSON.');
  }
  const parsed = schema.safeParse(json);
  if (!parsed.success) throw new UplandError('order', `This order cannot be carried out: ${describeIssue(parsed.error.issues[0])}.`);
  return parsed.data;
}
