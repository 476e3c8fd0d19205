import type { APIRoute } from 'astro';
import { refusedOrder } from '../../../../../run/request';
import { fileOf } from '../../../../../worlds/service';

export const prerender = false;

/** A file of a world, as it lies on the server. */
export const GET: APIRoute = async ({ params }) => {
  try {
    return await fileOf(params.id ?? '', params.name ?? '');
  } catch (error) {
    return refusedOrder(error, 'This file could not be read.');
  }
};
