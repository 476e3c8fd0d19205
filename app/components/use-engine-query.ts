import { useEffect, useRef, useState } from 'react';
import type { Outcome } from '../engine/api';

export interface EngineQuery<T> {
  /** The last good answer; it stays while the next one is worked out. */
  value: T | null;
  /** Why the last question could not be answered, as a sentence. */
  fault: string | null;
  waiting: boolean;
}

/**
 * Asks the engine whenever one of `deps` changes, after `quiet` milliseconds without another
 * change. Only the answer to the last question counts; one that was stopped changes nothing.
 * `ask` may give null: then nothing is asked.
 */
export function useEngineQuery<T>(ask: () => Promise<Outcome<T>> | null, deps: readonly unknown[], quiet = 0): EngineQuery<T> {
  const [query, setQuery] = useState<EngineQuery<T>>({ value: null, fault: null, waiting: true });
  const latest = useRef(ask);
  latest.current = ask;
  useEffect(() => {
    let stale = false;
    setQuery(({ value }) => ({ value, fault: null, waiting: true }));
    const put = async () => {
      const answer = await latest.current();
      if (stale) return;
      if (!answer || (!answer.ok && answer.stopped)) setQuery((q) => ({ ...q, waiting: false }));
      else if (answer.ok) setQuery({ value: answer.value, fault: null, waiting: false });
      else setQuery(({ value }) => ({ value, fault: answer.sentence, waiting: false }));
    };
    // Without a wait it is asked at once, and not after the next picture.
    const timer = quiet > 0 ? setTimeout(() => void put(), quiet) : void put();
    return () => {
      stale = true;
      clearTimeout(timer ?? undefined);
    };
    // The caller names what the question depends on.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [...deps, quiet]);
  return query;
}
