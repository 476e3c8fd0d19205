import { totalmem } from 'node:os';
import {
  encodeImage,
  exportOrder,
  orderSchema,
  planOf,
  readPicture,
  readProject,
  StageCache,
  UplandError,
  type Course,
  type Field,
  type Order,
} from '@upland-cast/core';
import { reliefPixels } from '../drawing/relief';
import { MEMORY_SHARE, MOST_SAMPLES, MOST_WRITTEN } from '../server/limits';
import { LONGEST, type Frame } from './frames';
import { readOrder } from './read-order';
import { serverKernels } from './kernels';
import { serverWriter } from './writing';

export type Send = (frame: Frame) => Promise<void> | void;

/** Floats of the ground's size that are held at once: its heights before and after a step, layers, a map and its packing. */
const HELD = 8;

/** Judges an order's size before anything is worked out: samples, files, bytes, memory. */
export function judge(course: Course, order: Order, memory = totalmem()): void {
  const { ground, window } = planOf(course, order);
  const samples = ground.across * ground.down;
  const size = `${ground.across} × ${ground.down} samples`;
  if (samples > MOST_SAMPLES) throw new UplandError('samples', `${size} are more than the server takes on.`);
  if (4 * HELD * samples > MEMORY_SHARE * memory) {
    const side = Math.floor(Math.sqrt((MEMORY_SHARE * memory) / (4 * HELD)));
    throw new UplandError('samples', `${size} would take more memory than this server has: ${side} a side is the most here.`);
  }
  const written = (window ? window.across * window.down : samples) * (4 * order.grounds.length + 8 * order.maps.length);
  if (written > MOST_WRITTEN)
    throw new UplandError(
      'order-size',
      `This order comes to some ${Math.round(written / 2 ** 30)} GiB of files; ${MOST_WRITTEN / 2 ** 30} are the most. Take fewer maps, or fewer samples.`,
    );
}

async function relief(field: Field): Promise<string> {
  const [width, height] = [480, Math.max(1, Math.round((480 * field.ground.depth) / field.ground.width))];
  const pixels = reliefPixels(field, width, height, true);
  const png = encodeImage({ width, height, channels: 4, samples: new Uint8Array(pixels.buffer) });
  return `data:image/png;base64,${Buffer.from(png).toString('base64')}`;
}

/** Works an order out and sends its files as frames; the sender may take its time. Throws a sentence where it cannot be done. */
export async function work(bytes: Uint8Array<ArrayBuffer>, orderText: string, send: Send, signal: AbortSignal): Promise<void> {
  const { course, assets } = await readProject(bytes);
  const order = readOrder(orderSchema, orderText);
  judge(course, order);
  const asset = async (sha: string) => {
    const found = assets.get(sha);
    if (!found) throw new UplandError('missing-asset', 'A file that this terrain needs did not come along.');
    return found;
  };
  const { writer, end } = serverWriter();
  const run = exportOrder(course, order, {
    writer,
    kernels: serverKernels(),
    cache: new StageCache(256 * 1024 * 1024),
    asset,
    picture: async (sha) => readPicture(await asset(sha)),
    relief,
    signal,
    onWork: (words, share) => void send({ kind: 'progress', words, share }),
    onProgress: ({ use, share }) => void send({ kind: 'progress', words: use.name || use.step, share }),
  });
  try {
    for (;;) {
      const next = await run.next();
      if (next.done) return await send({ kind: 'docket', docket: next.value as unknown as Record<string, unknown> });
      const { bytes: own, ...file } = next.value;
      await send({ kind: 'file', file, size: own.length });
      for (let at = 0; at < own.length; at += LONGEST) await send({ kind: 'bytes', bytes: own.subarray(at, at + LONGEST) });
    }
  } finally {
    end();
  }
}
