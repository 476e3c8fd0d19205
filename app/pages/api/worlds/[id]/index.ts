import type { APIRoute } from 'astro';
import { refusedOrder } from '../../../../run/request';
import { statusOf } from '../../../../worlds/service';

export const prerender = false;

/** How a world stands. */
export const GET: APIRoute = async ({ params }) => {
  try {
    return Response.json(await statusOf(params.id ?? ''), { headers: { 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusedOrder(error, 'How this world stands could not be found.');
  }
};
