import type { APIRoute } from 'astro';
import { UplandError } from '@upland-cast/core';
import { refusedOrder } from '../../../../run/request';
import { remove, resume, stop } from '../../../../worlds/service';

export const prerender = false;

/** Stops a world, goes on with it (`?where=queue`: by workers), or takes it away. */
export const POST: APIRoute = async ({ params: { id = '', act }, url }) => {
  try {
    if (act === 'stop') await stop(id);
    else if (act === 'resume') await resume(id, url.searchParams.get('where') === 'queue');
    else if (act === 'remove') await remove(id);
    else throw new UplandError('no-world', 'Worlds are stopped, gone on with or removed, and nothing else.');
    return Response.json({}, { headers: { 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusedOrder(error, 'That could not be done with this world.');
  }
};
