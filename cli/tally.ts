import { once } from 'node:events';
import { Worker } from 'node:worker_threads';
import type { Tally } from '@upland-cast/core';

/** What the thread that counts and hashes is told. */
export type ToTally = { kind: 'count'; samples: Float32Array | Uint32Array | Int32Array } | { kind: 'hash'; bytes: Uint8Array } | { kind: 'end' };

/** Counting and hashing on a thread of their own. `script`: the built worker. */
export function tallyOn(script: URL): Tally & { close(): void } {
  const worker = new Worker(script);
  worker.unref();
  // Heard where its end is waited for.
  worker.on('error', () => undefined);
  const tell = (message: ToTally, given: ArrayBuffer[]) => worker.postMessage(message, given);
  return {
    count: (samples) => tell({ kind: 'count', samples }, [samples.buffer]),
    hash: (bytes) => tell({ kind: 'hash', bytes }, [bytes.buffer]),
    async end() {
      const answer = once(worker, 'message');
      worker.ref();
      tell({ kind: 'end' }, []);
      const [found] = (await answer) as [{ distinct: number; sha256: string }];
      return found;
    },
    close: () => void worker.terminate(),
  };
}
