import { Worker } from 'node:worker_threads';
import { sentenceOf, UplandError } from '@upland-cast/core';
import { MOST_TIME, MOST_WAITING } from '../server/limits';
import { frameToBytes } from './frames';
import { work } from './work';

let waiting = 0;
let last: Promise<unknown> = Promise.resolve();

/** Whether another order would be refused: known before its bytes are read. */
export const isBusy = (): boolean => waiting > MOST_WAITING;

/** Keeps a place for an order whose bytes are still to be read; refuses with a sentence when too many wait. */
export function takePlace(): { leave(): void } {
  if (isBusy()) throw new UplandError('busy', 'The server is busy with other work. Ask again in a few minutes, or work it out here.');
  waiting++;
  let left = false;
  return {
    leave: () => {
      if (!left) waiting--;
      left = true;
    },
  };
}

/** Carries an order out for a page: frames as they come, no faster than they are taken. Refuses with a sentence when too many wait. */
export function carryOut(project: Uint8Array<ArrayBuffer>, orderText: string, left: AbortSignal, place = takePlace()): ReadableStream<Uint8Array> {
  const stop = new AbortController();
  left.addEventListener('abort', () => stop.abort());
  const before = last;
  let taken: () => void = () => undefined;
  return new ReadableStream<Uint8Array>(
    {
      start(controller) {
        const enqueue = (bytes: Uint8Array) => {
          if (!stop.signal.aborted) controller.enqueue(bytes);
        };
        // Said at once, so that the answer has begun while others are served.
        enqueue(frameToBytes({ kind: 'progress', words: 'Waiting for its turn', share: 0 }));
        const mine = before.then(async () => {
          const time = setTimeout(() => stop.abort(new UplandError('time', 'This took longer than half an hour on the server and was ended.')), MOST_TIME);
          try {
            if (!stop.signal.aborted) await (process.env.UPLAND_WORK ? apart : here)(project, orderText, enqueue, stop.signal, (heard) => (taken = heard));
          } catch (error) {
            const reason: unknown = stop.signal.reason instanceof UplandError ? stop.signal.reason : error;
            if (!stop.signal.aborted || reason instanceof UplandError) {
              controller.enqueue(
                frameToBytes({ kind: 'fault', code: reason instanceof UplandError ? reason.code : 'unexpected', sentence: sentenceOf(reason) }),
              );
            }
          } finally {
            clearTimeout(time);
            place.leave();
            try {
              controller.close();
            } catch {
              // The page has gone.
            }
          }
        });
        last = mine.catch(() => undefined);
      },
      pull: () => taken(),
      cancel() {
        stop.abort();
      },
    },
    { highWaterMark: 4 },
  );
}

type Carry = (
  project: Uint8Array<ArrayBuffer>,
  order: string,
  enqueue: (bytes: Uint8Array) => void,
  signal: AbortSignal,
  onTaken: (heard: () => void) => void,
) => Promise<void>;

/** On this thread, for tests and where there is no script of the worker. */
const here: Carry = (project, order, enqueue, signal) =>
  work(
    project,
    order,
    async (frame) => {
      enqueue(frameToBytes(frame));
      // Gives the network its turn.
      await new Promise((resolve) => setTimeout(resolve));
    },
    signal,
  );

/** In a thread of its own, which ends with the order: nothing of it stays in memory. */
const apart: Carry = (project, order, enqueue, signal, onTaken) =>
  new Promise((resolve, reject) => {
    const worker = new Worker(new URL(process.env.UPLAND_WORK!), { workerData: 'run' });
    const end = (then: () => void) => {
      signal.removeEventListener('abort', stop);
      void worker.terminate();
      then();
    };
    const stop = () => end(resolve);
    signal.addEventListener('abort', stop);
    onTaken(() => worker.postMessage({ kind: 'taken' }));
    worker.on('message', (message: { kind: 'frame'; bytes: Uint8Array } | { kind: 'end' }) => {
      if (message.kind === 'frame') enqueue(message.bytes);
      else end(resolve);
    });
    worker.on('error', (error) => {
      console.error(error);
      end(() =>
        reject(new UplandError('worker', 'The thread that worked this out ended: it may have needed more memory than there is. Take fewer samples or maps.')),
      );
    });
    worker.on('exit', () => end(resolve));
    worker.postMessage({ project, order }, [project.buffer]);
  });
