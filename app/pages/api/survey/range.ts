import type { APIRoute } from 'astro';
import { z } from 'zod';
import { asked, rangeOf, refusal } from '../../../survey/service';

export const prerender = false;

// A view may reach beyond the country.
const metres = z.coerce.number().min(-1e6).max(1e6);
const schema = z.object({ east: metres, south: metres, width: metres.positive(), depth: metres.positive(), floor: z.enum(['0', '1']).default('1') });

/** Lowest and highest of a view of the map. */
export const GET: APIRoute = async ({ url }) => {
  try {
    const { floor, ...frame } = asked(schema, url);
    return Response.json(await rangeOf(frame, floor === '1'));
  } catch (error) {
    return refusal(error);
  }
};
