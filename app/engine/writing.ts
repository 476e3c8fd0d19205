import { transfer, wrap, type Remote } from 'comlink';
import { sentenceOf, UplandError, remoteWriter, type Writer } from '@upland-cast/core';
import { watchLife } from './alive';
import type { Writing } from './write.worker';

/** Files are written beside the engine while it draws the next map. A thread that ends says so at once; the next file gets a new one. */
export function browserWriter(): { writer: Writer; end(): void } {
  let running: { remote: Remote<Writing>; ended: Promise<never>; stop(): void } | undefined;
  const start = () => {
    const worker = new Worker(new URL('./write.worker.ts', import.meta.url), { type: 'module', name: 'write' });
    let fail: (error: Error) => void = () => undefined;
    const ended = new Promise<never>((_, reject) => (fail = reject));
    ended.catch(() => undefined);
    const end = () => {
      running = undefined;
      fail(new UplandError('writer-ended', 'The thread that writes files ended. It is started again: hand it on once more.'));
    };
    const life = watchLife(worker, end);
    worker.addEventListener('error', (event) => event.message || end());
    return {
      remote: wrap<Writing>(worker),
      ended,
      stop: () => {
        life.forget();
        worker.terminate();
      },
    };
  };
  const writer = remoteWriter(async (task, buffers) => {
    const { remote, ended } = (running ??= start());
    try {
      return await Promise.race([remote.write(transfer(task, buffers)), ended]);
    } catch (error) {
      if (error instanceof UplandError) throw error;
      // Errors come over as their words only.
      throw new UplandError('writing', sentenceOf(error));
    }
  });
  return { writer, end: () => running?.stop() };
}
