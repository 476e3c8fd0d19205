import { once } from 'node:events';
import { Worker } from 'node:worker_threads';
import type { Tally } from '@upland-cast/core';

/** What the thread that counts and hashes is told; each piece is answered once it is done with, the end by what it came to. */
export type ToTally = { kind: 'count'; samples: Float32Array | Uint32Array | Int32Array } | { kind: 'hash'; bytes: Uint8Array } | { kind: 'end' };
export type FromTally = 'done' | { distinct: number; sha256: string };

/** Pieces that may wait on the other thread, so that memory stays within bounds where that is slower. */
const MOST_WAITING = 4;

/** Counting and hashing on a thread of their own. `script`: the built worker. */
export function tallyOn(script: URL): Tally & { close(): void } {
  const worker = new Worker(script);
  worker.unref();
  // Heard where an answer is waited for.
  worker.on('error', () => undefined);
  let waiting = 0;
  worker.on('message', (message: FromTally) => {
    if (message === 'done') waiting--;
  });
  const answer = async () => {
    worker.ref();
    const [message] = (await once(worker, 'message')) as [FromTally];
    worker.unref();
    return message;
  };
  const tell = async (message: ToTally, given: ArrayBuffer[]) => {
    waiting++;
    worker.postMessage(message, given);
    while (waiting > MOST_WAITING) await answer();
  };
  return {
    count: (samples) => tell({ kind: 'count', samples }, [samples.buffer]),
    hash: (bytes) => tell({ kind: 'hash', bytes }, [bytes.buffer]),
    async end() {
      worker.postMessage({ kind: 'end' } satisfies ToTally);
      for (;;) {
        const message = await answer();
        if (message !== 'done') return message;
      }
    },
    close: () => void worker.terminate(),
  };
}
