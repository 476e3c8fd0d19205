import type { APIRoute } from 'astro';
import { asked, extractOf, factsOf, frameSchema, refusal } from '../../../survey/service';

export const prerender = false;

/** What an extract would hold: range, counts, holes. */
export const GET: APIRoute = async ({ url }) => {
  try {
    const question = asked(frameSchema, url);
    return Response.json(factsOf(await extractOf(question), question.spacing));
  } catch (error) {
    return refusal(error);
  }
};
