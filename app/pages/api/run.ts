import type { APIRoute } from 'astro';
import { sentenceOf, UplandError } from '@upland-cast/core';
import { requestFromBytes } from '../../run/frames';
import { carryOut, MOST_BYTES } from '../../run/service';

export const prerender = false;

/** Carries an order out on the server: the order and the project file as `app/run/frames.ts` lays them out; the answer is a stream of frames. */
export const POST: APIRoute = async ({ request }) => {
  try {
    const length = Number(request.headers.get('content-length') ?? 0);
    if (!(length > 0 && length < MOST_BYTES)) throw new UplandError('bytes', 'A project of up to 512 MiB is taken on, and its length has to be said.');
    // Only our own pages: a browser says where a request comes from.
    const site = request.headers.get('sec-fetch-site');
    if (site && site !== 'same-origin' && site !== 'none') throw new UplandError('origin', 'Only the application’s own pages may ask for this.');
    const asked = requestFromBytes(new Uint8Array(await request.arrayBuffer()));
    if (!asked) throw new UplandError('request', 'This is not an order with a project behind it.');
    const stream = carryOut(asked.project, asked.order, request.signal);
    return new Response(stream, { headers: { 'Content-Type': 'application/octet-stream', 'Cache-Control': 'no-store' } });
  } catch (error) {
    const code = error instanceof UplandError ? error.code : 'unexpected';
    const status = code === 'busy' ? 503 : error instanceof UplandError ? 400 : 500;
    return new Response(JSON.stringify({ code, sentence: sentenceOf(error) }), { status, headers: { 'Content-Type': 'application/json' } });
  }
};
