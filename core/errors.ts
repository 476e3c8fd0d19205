import type { ErrorCode } from './error-codes';

/**
 * An error for the person at the screen: a code for programs, a sentence that says what
 * happened, where, and what to do, and the facts behind it.
 */
export class UplandError extends Error {
  override readonly name = 'UplandError';

  constructor(
    readonly code: ErrorCode,
    sentence: string,
    readonly facts: Record<string, unknown> = {},
  ) {
    super(sentence);
  }
}

/** Thrown when work was told to stop; never shown as a fault. */
export class StoppedError extends Error {
  override readonly name = 'StoppedError';

  constructor() {
    super('Stopped.');
  }
}

/** Throws {@link StoppedError} when `signal` has been aborted. */
export function throwIfStopped(signal: AbortSignal | undefined): void {
  if (signal?.aborted) throw new StoppedError();
}

/** The sentence to show for anything that was thrown. */
export function sentenceOf(error: unknown): string {
  return error instanceof Error ? error.message : String(error);
}

/** Bytes of a file put into a sentence: the first few, without what cannot be printed. */
export function quoted(text: string, most = 40): string {
  const plain = text.replace(/[^\x20-\x7e\xa0-\u024f]/g, '·');
  return `"${plain.length > most ? `${plain.slice(0, most)}…` : plain}"`;
}
