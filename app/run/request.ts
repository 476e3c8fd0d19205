import { sentenceOf, UplandError } from '@upland-cast/core';
import { MOST_BYTES } from '../server/limits';
import { requestFromBytes } from './frames';

/** Milliseconds in which an order and its project have to arrive. */
const ARRIVES = 120_000;

/** Status codes of what is said before an order is looked at; anything else that is known is 400. */
const STATUS: Record<string, number> = { busy: 503, length: 411, bytes: 413, type: 415, slow: 408, 'no-world': 404, 'world-busy': 409 };

/** How many bytes an order promises; refuses what is none, or too large. */
export function lengthOf(request: Request): number {
  if (request.headers.get('content-type') !== 'application/octet-stream')
    throw new UplandError('type', 'An order is bytes (application/octet-stream): its length, the order, the project file.');
  const length = Number(request.headers.get('content-length') ?? NaN);
  if (!(length > 0)) throw new UplandError('length', 'The length of an order has to be said beforehand.');
  if (length > MOST_BYTES) throw new UplandError('bytes', 'A project of up to 512 MiB is taken on.');
  return length;
}

/** The order and the project that a request carries. */
export async function orderIn(request: Request, length: number): Promise<{ order: string; project: Uint8Array<ArrayBuffer> }> {
  const asked = requestFromBytes(await bodyOf(request, length));
  if (!asked) throw new UplandError('request', 'This is not an order with a project behind it.');
  return asked;
}

/** An answer for what went wrong: a sentence and a code, never a stack. */
export function refusedOrder(error: unknown, otherwise: string): Response {
  const code = error instanceof UplandError ? error.code : 'unexpected';
  if (code === 'unexpected') console.error(error);
  const status = STATUS[code] ?? (error instanceof UplandError ? 400 : 500);
  const sentence = error instanceof UplandError ? sentenceOf(error) : otherwise;
  return Response.json({ code, sentence }, { status, headers: { 'Cache-Control': 'no-store', ...(status === 503 ? { 'Retry-After': '60' } : {}) } });
}

/** Exactly as many bytes as were promised, within a time. */
async function bodyOf(request: Request, length: number): Promise<Uint8Array<ArrayBuffer>> {
  const reader = request.body?.getReader();
  if (!reader) throw new UplandError('request', 'This is not an order with a project behind it.');
  const out = new Uint8Array(length);
  let have = 0;
  const late = setTimeout(() => void reader.cancel().catch(() => undefined), ARRIVES);
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      if (have + value.length > length) throw new UplandError('bytes', 'The order is longer than was said.');
      out.set(value, have);
      have += value.length;
    }
  } finally {
    clearTimeout(late);
  }
  if (have < length) throw new UplandError('slow', `The order did not arrive whole: ${have} of ${length} bytes came.`);
  return out;
}
