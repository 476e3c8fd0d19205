import { stat } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { inlineKernels, pooledKernels, type Kernels } from '@upland-cast/core';

/** Bytes of a file from which it is worth beginning threads. */
const WORTH_THREADS = 2 ** 21;

/** Work on a file with the kernels of the command: on all threads where there is enough to do, else on this one. They begin while the file is read. */
export async function withKernels<T>(file: string, work: (kernels: Kernels) => Promise<T>): Promise<T> {
  const size = await stat(file).then(
    (found) => found.size,
    () => 0,
  );
  const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url), size < WORTH_THREADS ? 1 : undefined);
  kernels.warm?.();
  try {
    return await work(kernels);
  } finally {
    kernels.close();
  }
}

/** The kernels over worker threads of Node; one thread runs them in place. `script`: the built pool worker. */
export function nodeKernels(script: URL, threads = availableParallelism()): Kernels {
  if (threads <= 1) return inlineKernels();
  return pooledKernels(threads, () => {
    const worker = new Worker(script);
    worker.unref();
    let meant = false;
    return {
      send: (message) => worker.postMessage(message),
      onMessage: (listener) => worker.on('message', listener),
      onError: (listener) => {
        worker.on('error', (error) => listener(error.message));
        worker.on('exit', () => meant || listener('it was ended'));
      },
      end: () => {
        meant = true;
        void worker.terminate();
      },
    };
  });
}
