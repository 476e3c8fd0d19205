import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { inlineKernels, pooledKernels, type Kernels } from '@upland-cast/core';

let kernels: Kernels | undefined;

/** Kernels over worker threads where the script of the pool is there (`UPLAND_POOL`), else in place. */
export function serverKernels(): Kernels {
  const script = process.env.UPLAND_POOL;
  const threads = availableParallelism();
  if (!script || threads < 2) return (kernels ??= inlineKernels());
  return (kernels ??= pooledKernels(threads, () => {
    const worker = new Worker(new URL(script));
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
  }));
}
