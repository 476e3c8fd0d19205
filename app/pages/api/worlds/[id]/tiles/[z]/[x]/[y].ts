import type { APIRoute } from 'astro';
import { z } from 'zod';
import { refusedOrder } from '../../../../../../../run/request';
import { asked, number, whole } from '../../../../../../../server/questions';
import { folderOf, look } from '../../../../../../../worlds/service';

export const prerender = false;

const question = z.object({ z: whole(0, 12), x: whole(0, 4096), y: whole(0, 4096), low: number(-1e6, 1e6), high: number(-1e6, 1e6) });

/** A picture of a world for a map: relief, tinted between two heights (metres). */
export const GET: APIRoute = async ({ params, url }) => {
  try {
    const { id = '', ...place } = params;
    const { low, high, ...at } = asked(question, url, place);
    const { bytes, type } = await look({ kind: 'tile', folder: folderOf(id), ...at, range: { low, high } });
    return new Response(bytes, { headers: { 'Content-Type': type, 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusedOrder(error, 'This part of the world could not be drawn.');
  }
};
