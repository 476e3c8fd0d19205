import type { APIRoute } from 'astro';
import { z } from 'zod';
import { asked, MOST_ZOOM, refusal, tileOf } from '../../../../../../survey/service';

export const prerender = false;

const place = z.object({
  z: z.coerce.number().int().min(0).max(MOST_ZOOM),
  x: z.coerce.number().int().min(0).max(64),
  y: z.coerce.number().int().min(0).max(64),
});
const metres = z.coerce.number().min(-20_000).max(20_000);
const schema = z.object({ low: metres.default(-500), high: metres.default(1500), floor: z.enum(['0', '1']).default('1') });

/** A tile of the map, PNG. */
export const GET: APIRoute = async ({ url, params }) => {
  try {
    const at = place.safeParse(params);
    if (!at.success) return Response.json({ code: 'asked', sentence: 'There is no such tile.' }, { status: 404 });
    const { low, high, floor } = asked(schema, url);
    const bytes = await tileOf(at.data.z, at.data.x, at.data.y, low, high, floor === '1');
    return new Response(bytes, { headers: { 'Content-Type': 'image/png', 'Cache-Control': 'public, max-age=86400' } });
  } catch (error) {
    return refusal(error);
  }
};
