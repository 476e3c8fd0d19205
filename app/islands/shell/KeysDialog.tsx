import { useState } from 'react';
import { Button, Row } from '../../components/controls';
import { Dialog } from '../../components/Dialog';
import { chordOf, FIXED_KEYS, KEYS, setKey, useKeys, type KeyId } from '../../store/keys';
import css from './KeysDialog.module.css';

/** The keys, and what they do: those that can be changed are changed by pressing another one. */
export function KeysDialog({ onClose }: { onClose: () => void }) {
  const own = useKeys((s) => s.own);
  const [waiting, setWaiting] = useState<KeyId | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const give = (id: KeyId, key: string | null) => {
    setFault(setKey(id, key));
    setWaiting(null);
  };
  return (
    <Dialog title="Keys" onClose={onClose}>
      <div className={css.list}>
        {(Object.keys(KEYS) as KeyId[]).map((id) => {
          const { title, where, usual } = KEYS[id];
          return (
            <Row key={id} label={title} help={where}>
              <span className={css.key}>
                <Button
                  aria-label={`Key of: ${title}`}
                  aria-pressed={waiting === id}
                  onClick={() => {
                    setFault(null);
                    setWaiting(waiting === id ? null : id);
                  }}
                  onBlur={() => setWaiting(null)}
                  onKeyDown={(event) => {
                    const chord = waiting === id ? chordOf(event.nativeEvent) : null;
                    if (!chord || chord === 'Tab' || chord === 'Shift+Tab') return;
                    event.preventDefault();
                    event.stopPropagation();
                    if (chord === 'Escape') setWaiting(null);
                    else give(id, chord);
                  }}
                >
                  {waiting === id ? 'Press a key …' : <kbd>{own[id] ?? usual}</kbd>}
                </Button>
                {own[id] && (
                  <Button look="quiet" onClick={() => give(id, null)} aria-label={`Usual key of: ${title}`}>
                    Back to {usual}
                  </Button>
                )}
              </span>
            </Row>
          );
        })}
      </div>
      {fault && (
        <p className={css.fault} role="alert">
          {fault}
        </p>
      )}
      <h3 className={css.head}>These stay</h3>
      <dl className={css.fixed}>
        {FIXED_KEYS.map(([where, what]) => (
          <div key={where}>
            <dt>{where}</dt>
            <dd>{what}</dd>
          </div>
        ))}
      </dl>
      <div className={css.end}>
        <Button onClick={onClose}>Close</Button>
      </div>
    </Dialog>
  );
}
