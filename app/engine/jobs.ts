import { sentenceOf, StoppedError, UplandError } from '@upland-cast/core';
import type { Outcome } from './api';

/** What the engine works at, by kind. One of a kind runs at a time: a newer one ends the one before. */
class Jobs {
  private readonly running = new Map<string, AbortController>();

  /** Begins a job; its signal is aborted when it is stopped, or when another of its kind begins. */
  begin(kind: string): AbortSignal {
    this.stop(kind);
    const mine = new AbortController();
    this.running.set(kind, mine);
    return mine.signal;
  }

  /** The job of a kind that began last, or a new one. */
  current(kind: string): AbortSignal {
    return this.running.get(kind)?.signal ?? this.begin(kind);
  }

  stop(...kinds: string[]): void {
    for (const kind of kinds) this.running.get(kind)?.abort(new StoppedError());
  }
}

export const jobs = new Jobs();

/** Told how long work stands: words, and the share that is behind it. */
export type Telling = (words: string, share: number) => void;

/** What work came to, as the page is told: its value, or a sentence. */
export async function outcome<T>(work: () => Promise<T> | T): Promise<Outcome<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    const stopped = error instanceof StoppedError;
    const code = error instanceof UplandError ? error.code : 'unexpected';
    if (!stopped && !(error instanceof UplandError)) console.error(error);
    return { ok: false, stopped, code, sentence: sentenceOf(error) };
  }
}
