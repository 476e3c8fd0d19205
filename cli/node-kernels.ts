import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { inlineKernels, pooledKernels, type Kernels } from '@upland-cast/core';

/** Samples from which it is worth beginning threads. */
const WORTH_THREADS = 2 ** 20;

/** Work with the kernels of the command: on all threads where there is enough to do, else on this one. */
export async function withKernels<T>(samples: number, work: (kernels: Kernels) => Promise<T>): Promise<T> {
  const kernels = nodeKernels(new URL('./pool-worker.mjs', import.meta.url), samples < WORTH_THREADS ? 1 : undefined);
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
