import type { APIRoute } from 'astro';
import { asked } from '../../../server/questions';
import { viewQuestion } from '../../../survey/questions';
import { askSurvey, refusal } from '../../../survey/service';

export const prerender = false;

/** Lowest and highest of a view of the map. */
export const GET: APIRoute = async ({ url }) => {
  try {
    const { floor, ...frame } = asked(viewQuestion, url);
    const { json } = await askSurvey({ kind: 'range', frame, seaFloor: floor === '1' });
    return Response.json(json, { headers: { 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusal(error);
  }
};
