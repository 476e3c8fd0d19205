import { proxy, wrap, type Remote } from 'comlink';
import { UplandError } from '@upland-cast/core';
import type { EngineApi } from './engine.worker';
import { engineThread } from './early';
import { lookElsewhere } from '../storage/assets';
import type { Listener } from './api';

interface Running {
  remote: Remote<EngineApi>;
  /** Rejects when the engine ends. */
  ended: Promise<never>;
}

let running: Running | undefined;
const listeners = new Set<() => void>();

/** Hears of every end of the engine that was not meant: what it held is gone, and the next question gets a new one. */
export function onEngineEnd(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

function start(): Running {
  const thread = engineThread();
  const remote = wrap<EngineApi>(thread.worker);
  let fail: (error: Error) => void = () => undefined;
  const ended = new Promise<never>((_, reject) => (fail = reject));
  ended.catch(() => undefined);
  const own: Running = { remote, ended };
  thread.onEnd((why) => {
    if (running !== own) return;
    running = undefined;
    thread.forget();
    thread.worker.terminate();
    fail(new UplandError('engine-ended', `The engine that works the ground out ended${why}. It was started again.`));
    listeners.forEach((listener) => listener());
  });
  lookElsewhere({ unstored: (sha) => engine().unstored(sha), unstoredCount: () => engine().unstoredCount() });
  return own;
}

/**
 * The engine, in a worker of its own; started on first use, and again after it ended. Every
 * question that it had not answered then is answered by an error.
 */
export function engine(): Remote<EngineApi> {
  running ??= start();
  return asking;
}

const asking = new Proxy({} as Remote<EngineApi>, {
  get(_, name) {
    // Asked whether it is a promise, it is none.
    if (name === 'then') return undefined;
    return (...args: unknown[]) => {
      const { remote, ended } = (running ??= start());
      const ask = remote[name as keyof EngineApi] as unknown as (...args: unknown[]) => Promise<unknown>;
      return Promise.race([ask(...args), ended]);
    };
  },
});

/**
 * Asks, and hears meanwhile how the work stands. What is told comes by a line of its own, so that the last of it may come after
 * the answer: it is not heard any more then.
 */
export async function hearing<Told extends unknown[], Answer>(
  hear: (...told: Told) => void,
  ask: (tell: (...told: Told) => void) => Answer,
): Promise<Awaited<Answer>> {
  let answered = false;
  try {
    return await ask(proxy((...told: Told) => !answered && hear(...told)));
  } finally {
    answered = true;
  }
}

export const listening = (listener: Listener) => proxy(listener);
