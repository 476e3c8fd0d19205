import type { APIRoute } from 'astro';
import { lengthOf, orderIn, refusedOrder } from '../../run/request';
import { carryOut, takePlace } from '../../run/service';

export const prerender = false;

/** Carries an order out on the server: the order and the project file as `app/run/frames.ts` lays them out; the answer is a stream of frames. */
export const POST: APIRoute = async ({ request }) => {
  let place: ReturnType<typeof takePlace> | undefined;
  try {
    // All that can be said without its bytes is said before they are read.
    const length = lengthOf(request);
    place = takePlace();
    const asked = await orderIn(request, length);
    const stream = carryOut(asked.project, asked.order, request.signal, place);
    return new Response(stream, { headers: { 'Content-Type': 'application/octet-stream', 'Cache-Control': 'no-store' } });
  } catch (error) {
    place?.leave();
    return refusedOrder(error, 'The order could not be taken on.');
  }
};
