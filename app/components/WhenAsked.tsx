import { useState } from 'react';
import type { Outcome } from '../engine/api';
import { Button } from './controls';
import { useEngineQuery } from './use-engine-query';
import css from './WhenAsked.module.css';

/**
 * What takes long to measure is measured when asked: words and a button until then, a sentence after. `about` names what is
 * measured: once that changes it has to be asked for anew. `known` stands in its place where it need not be asked for.
 */
export function WhenAsked<T>({
  about,
  depends,
  invitation,
  button,
  known,
  measure,
  words,
}: {
  about: string;
  /** What the answer rests on beside what it is about. */
  depends: readonly unknown[];
  invitation: string;
  button: string;
  known?: T | null;
  measure: () => Promise<Outcome<T | null>>;
  words: (found: T) => string;
}) {
  const [asked, setAsked] = useState<string | null>(null);
  const wanted = !known && asked === about;
  const { value, fault, waiting } = useEngineQuery(() => (wanted ? measure() : null), [about, wanted, ...depends]);
  const found = known ?? (wanted && !waiting ? value : null);
  if (fault) return <p className={css.fault}>{fault}</p>;
  if (found) return <p className={css.words}>{words(found)}</p>;
  return (
    <p className={css.words}>
      {wanted ? 'Working it out to measure …' : `${invitation} `}
      {!wanted && <Button onClick={() => setAsked(about)}>{button}</Button>}
    </p>
  );
}
