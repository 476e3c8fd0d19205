import { Worker } from 'node:worker_threads';
import { UplandError, localWriter, remoteWriter, type Writer, type Written } from '@upland-cast/core';

type Answer = { job: number; written: Written } | { job: number; fault: string };

/** Files are written on a thread of their own where its script is there (`UPLAND_WRITER`), else in place. */
export function serverWriter(): { writer: Writer; end(): void } {
  const script = process.env.UPLAND_WRITER;
  if (!script) return { writer: localWriter, end: () => undefined };
  const worker = new Worker(new URL(script));
  worker.unref();
  const waiting = new Map<number, { resolve(written: Written): void; reject(error: Error): void }>();
  let jobs = 0;
  worker.on('message', (answer: Answer) => {
    const one = waiting.get(answer.job);
    waiting.delete(answer.job);
    if ('fault' in answer) one?.reject(new UplandError('writing', answer.fault));
    else one?.resolve(answer.written);
  });
  worker.on('error', (error) => {
    for (const one of waiting.values()) one.reject(new UplandError('writing', `The thread that writes files ended: ${error.message}.`));
    waiting.clear();
  });
  const writer = remoteWriter(
    (task, buffers) =>
      new Promise((resolve, reject) => {
        waiting.set(++jobs, { resolve, reject });
        worker.ref();
        worker.postMessage({ job: jobs, task }, buffers);
      }),
  );
  return { writer, end: () => void worker.terminate() };
}
