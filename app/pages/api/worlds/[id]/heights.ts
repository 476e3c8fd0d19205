import type { APIRoute } from 'astro';
import { z } from 'zod';
import { MOST_LOOKED_AT } from '@upland-cast/core';
import { refusedOrder } from '../../../../run/request';
import { asked, whole } from '../../../../server/questions';
import { folderOf, look } from '../../../../worlds/service';

export const prerender = false;

const place = whole(0, 131_073);
const side = whole(1, MOST_LOOKED_AT);
const question = z.object({ left: place, top: place, across: side, down: side, stride: whole(1, 4096) });

/** Heights of a world, metres as 32-bit floats (little-endian), every `stride`-th sample from (left, top); NaN where there is none yet. */
export const GET: APIRoute = async ({ params, url }) => {
  try {
    const { bytes, type } = await look({ kind: 'heights', folder: folderOf(params.id ?? ''), ...asked(question, url) });
    return new Response(bytes, { headers: { 'Content-Type': type, 'Cache-Control': 'no-store' } });
  } catch (error) {
    return refusedOrder(error, 'This part of the world could not be read.');
  }
};
