import { Worker } from 'node:worker_threads';
import { remoteWriter, UplandError, type WriteTask, type Writer, type Written } from '@upland-cast/core';

/** What the thread that writes is told, and what it answers. */
export interface ToWriter {
  job: number;
  task: WriteTask;
}
export type FromWriter = { job: number; written: Written } | { job: number; fault: string };

/** Files are packed and read back on a thread of their own while the next map is drawn. `script`: the built worker. */
export function writerOn(script: URL): { writer: Writer; close(): void } {
  const asked = new Map<number, { done(written: Written): void; failed(error: Error): void }>();
  let worker: Worker | undefined;
  let jobs = 0;
  const fail = (sentence: string) => {
    worker = undefined;
    for (const { failed } of asked.values()) failed(new UplandError('writer-ended', sentence));
    asked.clear();
  };
  const start = () => {
    const own = new Worker(script);
    own.on('message', (message: FromWriter) => {
      const waiting = asked.get(message.job);
      asked.delete(message.job);
      if ('fault' in message) waiting?.failed(new UplandError('writing', message.fault));
      else waiting?.done(message.written);
      // With nothing left to write it keeps no process alive.
      if (asked.size === 0) own.unref();
    });
    own.on('error', (error) => fail(`The thread that writes files ended: ${error.message}`));
    own.on('exit', () => own === worker && fail('The thread that writes files ended.'));
    return own;
  };
  const writer = remoteWriter((task, buffers) => {
    const own = (worker ??= start());
    const job = jobs++;
    own.ref();
    return new Promise((done, failed) => {
      asked.set(job, { done, failed });
      own.postMessage({ job, task } satisfies ToWriter, buffers);
    });
  });
  return { writer, close: () => void worker?.terminate() };
}
