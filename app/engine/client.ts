import { proxy, wrap, type Remote } from 'comlink';
import type { EngineApi } from './engine.worker';
import { lookElsewhere } from '../storage/assets';
import type { Listener } from './protocol';

let remote: Remote<EngineApi> | undefined;

/** The engine, in a worker of its own; started on first use. */
export function engine(): Remote<EngineApi> {
  if (!remote) {
    const worker = new Worker(new URL('./engine.worker.ts', import.meta.url), { type: 'module', name: 'engine' });
    const made = (remote = wrap<EngineApi>(worker));
    lookElsewhere({ unstored: (sha) => made.unstored(sha), unstoredCount: () => made.unstoredCount() });
  }
  return remote;
}

/** Hears how long work stands. */
export const telling = (tell: (words: string, share: number) => void) => proxy(tell);

export const listening = (listener: Listener) => proxy(listener);
