import type { APIRoute } from 'astro';
import { asked } from '../../../../../../server/questions';
import { tilePlace, tileQuestion } from '../../../../../../survey/questions';
import { askSurvey, refusal } from '../../../../../../survey/service';

export const prerender = false;

/** A tile of the map, PNG. */
export const GET: APIRoute = async ({ url, params }) => {
  try {
    const at = tilePlace.safeParse(params);
    if (!at.success) return Response.json({ code: 'asked', sentence: 'There is no such tile.' }, { status: 404, headers: { 'Cache-Control': 'no-store' } });
    const { low, high, floor } = asked(tileQuestion, url);
    const { bytes } = await askSurvey({ kind: 'tile', ...at.data, low, high, seaFloor: floor === '1' });
    return new Response(bytes, { headers: { 'Content-Type': 'image/png', 'Cache-Control': 'public, max-age=86400' } });
  } catch (error) {
    return refusal(error);
  }
};
