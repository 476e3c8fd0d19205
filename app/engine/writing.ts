import { transfer, wrap, type Remote } from 'comlink';
import { sentenceOf, UplandError, writerThere, type Writer } from '@upland-cast/core';
import type { Writing } from './write.worker';

/** Files are written beside the engine while it draws the next map. */
export function browserWriter(): { writer: Writer; end(): void } {
  const worker = new Worker(new URL('./write.worker.ts', import.meta.url), { type: 'module', name: 'write' });
  const remote: Remote<Writing> = wrap<Writing>(worker);
  const writer = writerThere(async (task, buffers) => {
    try {
      return await remote.write(transfer(task, buffers));
    } catch (error) {
      // Errors come over as their words only.
      throw new UplandError('writing', sentenceOf(error));
    }
  });
  return { writer, end: () => worker.terminate() };
}
