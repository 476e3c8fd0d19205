import { useState } from 'react';
import { Button, Row } from '../../components/controls';
import { Dialog } from '../../components/Dialog';
import { chordOf, FIXED_KEYS, KEYS, setKey, useKeys, type KeyId } from '../../store/keys';
import css from './KeysDialog.module.css';

/** The keys, and what they do: those that can be changed are changed by pressing another one. */
export function KeysDialog({ onClose }: { onClose: () => void }) {
  const [waiting, setWaiting] = useState<KeyId | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const give = (id: KeyId, key: string | null) => {
    setFault(setKey(id, key));
    setWaiting(null);
  };
  return (
    <Dialog title="Keys" onClose={onClose}>
      <div className={css.list}>
        {(Object.keys(KEYS) as KeyId[]).map((id) => (
          <KeyRow
            key={id}
            id={id}
            waits={waiting === id}
            onWait={(waits) => {
              if (waits) setFault(null);
              setWaiting(waits ? id : null);
            }}
            onGive={(key) => give(id, key)}
          />
        ))}
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

interface KeyRowProps {
  id: KeyId;
  /** The next key that is pressed becomes its own. */
  waits: boolean;
  onWait: (waits: boolean) => void;
  /** null: the usual one. */
  onGive: (key: string | null) => void;
}

function KeyRow({ id, waits, onWait, onGive }: KeyRowProps) {
  const own = useKeys((s) => s.own[id]);
  const { title, where, usual } = KEYS[id];
  return (
    <Row label={title} help={where}>
      <span className={css.key}>
        <Button
          aria-label={`Key of: ${title}`}
          aria-pressed={waits}
          onClick={() => onWait(!waits)}
          onBlur={() => waits && onWait(false)}
          onKeyDown={(event) => {
            const chord = waits ? chordOf(event.nativeEvent) : null;
            if (!chord || chord === 'Tab' || chord === 'Shift+Tab') return;
            event.preventDefault();
            event.stopPropagation();
            if (chord === 'Escape') onWait(false);
            else onGive(chord);
          }}
        >
          {waits ? 'Press a key …' : <kbd>{own ?? usual}</kbd>}
        </Button>
        {own && (
          <Button look="quiet" onClick={() => onGive(null)} aria-label={`Usual key of: ${title}`}>
            Back to {usual}
          </Button>
        )}
      </span>
    </Row>
  );
}
