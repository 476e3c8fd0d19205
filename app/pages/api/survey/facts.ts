import type { APIRoute } from 'astro';
import { asked } from '../../../server/questions';
import { frameQuestion } from '../../../survey/questions';
import { askSurvey, refusal } from '../../../survey/service';

export const prerender = false;

/** What an extract would hold: range, counts, holes. */
export const GET: APIRoute = async ({ url }) => {
  try {
    const { json } = await askSurvey({ kind: 'facts', frame: asked(frameQuestion, url) });
    return Response.json(json, { headers: { 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusal(error);
  }
};
