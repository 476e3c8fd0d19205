import { Worker } from 'node:worker_threads';
import { availableParallelism } from 'node:os';
import {
  decodePlanes,
  encodeImage,
  handOn,
  inlineKernels,
  issueInWords,
  orderSchema,
  planOf,
  pooledKernels,
  readProject,
  sentenceOf,
  StageCache,
  UplandError,
  type Field,
  type Kernels,
  type Picture,
} from '@upland-cast/core';
import { decode as decodeJpeg } from 'jpeg-js';
import { reliefPixels } from '../engine/relief';
import { serverWriter } from './writing';
import { frameToBytes, LONGEST, type Frame } from './frames';

/** Bytes of a project, samples and time that one piece of work may take. */
export const MOST_BYTES = 512 * 1024 * 1024;
const MOST_SAMPLES = 16_385 * 16_385;
const MOST_TIME = 30 * 60_000;
/** One piece of work runs, and so many wait. */
const MOST_WAITING = 2;
let waiting = 0;
let last: Promise<unknown> = Promise.resolve();

let kernels: Kernels | undefined;

/** Kernels over worker threads where the script of the pool is there, else in place. */
function ownKernels(): Kernels {
  const script = process.env.UPLAND_POOL;
  const threads = availableParallelism();
  if (!script || threads < 2) return (kernels ??= inlineKernels());
  return (kernels ??= pooledKernels(threads, () => {
    const worker = new Worker(new URL(script));
    worker.unref();
    return {
      send: (message) => worker.postMessage(message),
      onMessage: (listener) => worker.on('message', listener),
      onError: (listener) => worker.on('error', (error) => listener(error.message)),
      end: () => void worker.terminate(),
    };
  }));
}

async function pictureOf(bytes: Uint8Array<ArrayBuffer>): Promise<Picture> {
  if (bytes[0] === 0xff && bytes[1] === 0xd8) {
    const { width, height, data } = decodeJpeg(bytes, { useTArray: true, maxMemoryUsageInMB: 512 });
    const rgb = new Uint8Array(3 * width * height);
    for (let i = 0; i < width * height; i++) for (let c = 0; c < 3; c++) rgb[3 * i + c] = data[4 * i + c];
    return { width, height, rgb };
  }
  const { width, height, planes } = await decodePlanes(bytes).catch(() => {
    throw new UplandError('picture', 'One of the pictures of the ground colour is neither a PNG nor a JPEG. The server reads those two.');
  });
  const shift = planes[0] instanceof Uint16Array ? 8 : 0;
  const rgb = new Uint8Array(3 * width * height);
  for (let i = 0; i < width * height; i++) for (let c = 0; c < 3; c++) rgb[3 * i + c] = (planes[planes.length < 3 ? 0 : c][i] as number) >> shift;
  return { width, height, rgb };
}

async function relief(field: Field): Promise<string> {
  const [width, height] = [480, Math.max(1, Math.round((480 * field.ground.depth) / field.ground.width))];
  const pixels = reliefPixels(field, width, height, true);
  const png = encodeImage({ width, height, channels: 4, samples: new Uint8Array(pixels.buffer) });
  return `data:image/png;base64,${Buffer.from(png).toString('base64')}`;
}

/** Carries an order out for a page: frames as they come. Refuses with a sentence when too many wait. */
export function carryOut(project: Uint8Array<ArrayBuffer>, orderText: string, left: AbortSignal): ReadableStream<Uint8Array> {
  if (waiting > MOST_WAITING) throw new UplandError('busy', 'The server is busy with other work. Ask again in a few minutes, or work it out here.');
  waiting++;
  const stop = new AbortController();
  left.addEventListener('abort', () => stop.abort());
  const before = last;
  return new ReadableStream<Uint8Array>({
    start(controller) {
      const send = (frame: Frame) => {
        if (!stop.signal.aborted) controller.enqueue(frameToBytes(frame));
      };
      const mine = before.then(async () => {
        const time = setTimeout(() => stop.abort(new UplandError('time', 'This took longer than half an hour on the server and was ended.')), MOST_TIME);
        try {
          if (!stop.signal.aborted) await work(project, orderText, send, stop.signal);
        } catch (error) {
          const reason: unknown = stop.signal.reason instanceof UplandError ? stop.signal.reason : error;
          if (!stop.signal.aborted || reason instanceof UplandError) {
            controller.enqueue(frameToBytes({ kind: 'fault', code: reason instanceof UplandError ? reason.code : 'unexpected', sentence: sentenceOf(reason) }));
          }
        } finally {
          clearTimeout(time);
          waiting--;
          try {
            controller.close();
          } catch {
            // The page has gone.
          }
        }
      });
      last = mine.catch(() => undefined);
    },
    cancel() {
      stop.abort();
    },
  });
}

async function work(bytes: Uint8Array<ArrayBuffer>, orderText: string, send: (frame: Frame) => void, signal: AbortSignal): Promise<void> {
  const { course, assets } = await readProject(bytes);
  let json: unknown;
  try {
    json = JSON.parse(orderText);
  } catch {
    throw new UplandError('order', 'This is not an order: it is not JSON.');
  }
  const parsed = orderSchema.safeParse(json);
  if (!parsed.success) throw new UplandError('order', `This order cannot be carried out: ${issueInWords(parsed.error.issues[0])}.`);
  const { ground } = planOf(course, parsed.data);
  if (ground.across * ground.down > MOST_SAMPLES)
    throw new UplandError('samples', `${ground.across} × ${ground.down} samples are more than the server takes on.`);
  const asset = async (sha: string) => {
    const found = assets.get(sha);
    if (!found) throw new UplandError('missing-asset', 'A file that this terrain needs did not come along.');
    return found;
  };
  const { writer, end } = serverWriter();
  const run = handOn(course, parsed.data, {
    writer,
    kernels: ownKernels(),
    cache: new StageCache(256 * 1024 * 1024),
    asset,
    picture: async (sha) => pictureOf(await asset(sha)),
    relief,
    signal,
    onWork: (words, share) => send({ kind: 'progress', words, share }),
    onProgress: ({ use, share }) => send({ kind: 'progress', words: use.name || use.step, share }),
  });
  try {
    for (;;) {
      const next = await run.next();
      if (next.done) return send({ kind: 'docket', docket: next.value as unknown as Record<string, unknown> });
      const { bytes: own, ...file } = next.value;
      send({ kind: 'file', file, size: own.length });
      for (let at = 0; at < own.length; at += LONGEST) send({ kind: 'bytes', bytes: own.subarray(at, at + LONGEST) });
      // Gives the network its turn.
      await new Promise((resolve) => setTimeout(resolve));
    }
  } finally {
    end();
  }
}
