import { inlineKernels, pooledKernels, type Kernels } from '@upland-cast/core';
import { watchLife } from './alive';

/** The kernels over web workers where the page is isolated, on this thread elsewhere. */
export function browserKernels(onLoss: () => void = () => undefined): Kernels {
  const threads = Math.min(8, self.navigator.hardwareConcurrency || 1);
  if (!self.crossOriginIsolated || threads < 2) return inlineKernels();
  return pooledKernels(threads, () => {
    const worker = new Worker(new URL('./band.worker.ts', import.meta.url), { type: 'module', name: 'band' });
    let died: (reason: string) => void = () => undefined;
    const life = watchLife(worker, () => {
      onLoss();
      died('it was ended');
    });
    return {
      send: (message) => worker.postMessage(message),
      onMessage: (listener) =>
        worker.addEventListener(
          'message',
          (event: MessageEvent<{ job?: number }>) => event.data.job !== undefined && listener(event.data as Parameters<typeof listener>[0]),
        ),
      onError: (listener) => {
        died = listener;
        worker.addEventListener('error', (event) => listener(event.message || 'it could not be started'));
      },
      end: () => {
        life.forget();
        worker.terminate();
      },
    };
  });
}
