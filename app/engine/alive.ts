/**
 * Whether other threads live, by locks: a lock goes when the thread that holds it does,
 * however it ends, without a word from it. No clock is watched, so that a thread that is busy is
 * not taken for one that has ended.
 */

const HELLO = 'upland:alive';

/** In a worker: tells the thread that began it by which lock it can be watched, and holds that for as long as it lives. */
export function holdLife(): void {
  if (!navigator.locks) return;
  const name = `upland-life:${crypto.randomUUID()}`;
  void navigator.locks.request(name, () => {
    self.postMessage({ kind: HELLO, lock: name });
    return new Promise(() => undefined);
  });
}

/** Hears once of a worker's end, unless it is told that the end was meant. */
export function watchLife(worker: Worker, onEnd: () => void): { forget(): void } {
  let over = false;
  const end = () => {
    if (over) return;
    over = true;
    onEnd();
  };
  const waiting = new AbortController();
  worker.addEventListener('message', (event: MessageEvent<{ kind?: unknown; lock?: string } | null>) => {
    const { data } = event;
    if (!data || typeof data !== 'object' || data.kind !== HELLO || !data.lock) return;
    navigator.locks.request(data.lock, { signal: waiting.signal }, end).catch(() => undefined);
  });
  return {
    forget: () => {
      over = true;
      waiting.abort();
    },
  };
}
