import { inlineKernels, pooledKernels, type Kernels } from '@upland-cast/core';

/** The kernels over web workers where the page is isolated, on this thread elsewhere. */
export function browserKernels(): Kernels {
  const threads = Math.min(8, self.navigator.hardwareConcurrency || 1);
  if (!self.crossOriginIsolated || threads < 2) return inlineKernels();
  return pooledKernels(threads, () => {
    const worker = new Worker(new URL('./band.worker.ts', import.meta.url), { type: 'module', name: 'band' });
    return {
      send: (message) => worker.postMessage(message),
      onMessage: (listener) => worker.addEventListener('message', (event) => listener(event.data)),
      onError: (listener) => worker.addEventListener('error', (event) => listener(event.message || 'it could not be started')),
      end: () => worker.terminate(),
    };
  });
}
