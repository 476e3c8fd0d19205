import { z } from 'zod';

/** The sample counts that tiles were made at; 0 while there are none. */
export const samplesSchema = z
  .object({ across: z.int().min(0), down: z.int().min(0), registration: z.enum(['point', 'area']) })
  .default({ across: 0, down: 0, registration: 'point' });

/** Tiles by their place, "column,row", as the assets that hold them. */
export const tilesSchema = z.record(z.string().regex(/^\d{1,3},\d{1,3}$/), z.string().regex(/^[0-9a-f]{64}$/)).default({});
