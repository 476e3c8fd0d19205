import { throwIfStopped } from './errors';

/** Milliseconds that a plain loop may hold its thread before it gives way. */
const HOLD = 40;

/**
 * For plain loops that may take long: `await` what it returns, where it returns something, once a
 * row. Every 40 ms the thread then answers others, and a stop is heard.
 */
export function cooperativeYield(signal: AbortSignal | undefined): () => Promise<void> | undefined {
  let since = Date.now();
  return () => {
    if (Date.now() - since < HOLD) return undefined;
    return new Promise<void>((resolve) => setTimeout(resolve)).then(() => {
      throwIfStopped(signal);
      since = Date.now();
    });
  };
}
