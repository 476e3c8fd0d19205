import { z } from 'zod';

/**
 * What a later version of a course may hold beside what this one knows is kept as it is: it goes
 * back into the file untouched. The type stays that of what is known.
 */
export const looseObject = <T extends z.ZodObject>(schema: T): T => schema.loose() as unknown as T;

/**
 * One word of a list that later versions may make longer: any word opens, and what works with it
 * says so where it does not know it.
 */
export const looseEnum = <T extends string>() => z.string().max(64) as unknown as z.ZodType<T, T>;
