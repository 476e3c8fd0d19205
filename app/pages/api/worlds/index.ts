import type { APIRoute } from 'astro';
import { lengthOf, orderIn, refusedOrder } from '../../../run/request';
import { all, begin } from '../../../worlds/service';

export const prerender = false;

/** The worlds that lie on this server. */
export const GET: APIRoute = async () => {
  try {
    return Response.json(await all(), { headers: { 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusedOrder(error, 'The worlds on this server could not be listed.');
  }
};

/** Begins a world: its order and the project file, laid out as orders are (`app/run/frames.ts`); the answer is its name. */
export const POST: APIRoute = async ({ request, url }) => {
  try {
    const { order, project } = await orderIn(request, lengthOf(request));
    return Response.json({ id: await begin(project, order, url.searchParams.get('where') === 'queue') }, { headers: { 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusedOrder(error, 'The world could not be begun.');
  }
};
