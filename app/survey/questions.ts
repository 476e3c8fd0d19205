import { COUNTRY } from '@upland-cast/core';
import { z } from 'zod';
import { above, number, whole } from '../server/questions';

/** What may be asked of the survey, checked before anything is worked out. */

export const EXTRACT_FORMATS = ['tiff', 'png', 'asc', 'jpeg'] as const;
export type ExtractFormat = (typeof EXTRACT_FORMATS)[number];

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
