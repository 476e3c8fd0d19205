import { Copy, Download, Pencil, Trash2, Upload } from 'lucide-react';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { receivers as shipped, safeName, sentenceOf, type Receiver } from '@upland-cast/core';
import { Button } from '../../components/controls';
import { download } from '../../components/download';
import { bringReceiver, copyReceiver, loadReceivers, removeReceiver, useReceivers } from '../../store/receivers';
import { ReceiverSheet } from './ReceiverSheet';
import css from './ExportRoom.module.css';

/** Receivers to choose from: those that ship, and those of one's own, which can be changed, copied, given out and brought in. */
export function ReceiverList({ head, chosen, onChoose }: { head: ReactNode; chosen: Receiver; onChoose: (receiver: Receiver) => void }) {
  const own = useReceivers((s) => s.own);
  const [edited, setEdited] = useState<Receiver | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  useEffect(() => void loadReceivers(), []);
  const isOwn = own.some((r) => r.id === chosen.id);
  const tried = async (work: () => Promise<Receiver | void>): Promise<void> => {
    setFault(null);
    try {
      const receiver = await work();
      if (receiver) onChoose(receiver);
    } catch (error) {
      setFault(sentenceOf(error));
    }
  };
  return (
    <aside className={css.receivers} aria-label="Receivers">
      {head}
      <h2>Receiver</h2>
      <ul>
        {[...shipped, ...own].map((r) => (
          <li key={r.id}>
            <button type="button" aria-pressed={r.id === chosen.id} onClick={() => onChoose(r)}>
              <b>{r.title}</b>
              <span>{r.summary}</span>
            </button>
            {r.id === chosen.id && (
              <Tools
                receiver={r}
                own={isOwn}
                onEdit={() => setEdited(r)}
                onCopy={() => void tried(() => copyReceiver(r))}
                onGone={() => onChoose(shipped[0])}
              />
            )}
          </li>
        ))}
      </ul>
      <ImportReceiver onText={(text) => tried(() => bringReceiver(text))} />
      {fault && (
        <p className={css.fault} role="alert">
          {fault}
        </p>
      )}
      {edited && <ReceiverSheet receiver={edited} own={isOwn} onClose={() => setEdited(null)} onKept={onChoose} />}
    </aside>
  );
}

/** Brings in a receiver that somebody gave out. */
function ImportReceiver({ onText }: { onText: (text: string) => Promise<void> }) {
  const file = useRef<HTMLInputElement>(null);
  return (
    <>
      <Button onClick={() => file.current?.click()}>
        <Upload size={13} /> Import a receiver
      </Button>
      <input
        ref={file}
        type="file"
        hidden
        accept=".json,application/json"
        aria-label="Receiver file"
        onChange={(event) => {
          const given = event.target.files?.[0];
          event.target.value = '';
          if (given) void given.text().then(onText);
        }}
      />
    </>
  );
}

interface ToolsProps {
  receiver: Receiver;
  own: boolean;
  onEdit: () => void;
  onCopy: () => void;
  onGone: () => void;
}

/** What can be done with the receiver that is chosen. */
function Tools({ receiver, own, onEdit, onCopy, onGone }: ToolsProps) {
  return (
    <div className={css.tools}>
      <Button look="quiet" onClick={onEdit}>
        <Pencil size={12} /> Edit
      </Button>
      <Button look="quiet" onClick={onCopy}>
        <Copy size={12} /> Copy
      </Button>
      <Button
        look="quiet"
        square
        aria-label="Give this receiver out as JSON"
        title="Give it out as JSON"
        onClick={() => download(`${safeName(receiver.title)}.receiver.json`, JSON.stringify(receiver, null, 2), 'application/json')}
      >
        <Download size={12} />
      </Button>
      {own && (
        <Button
          look="quiet"
          square
          aria-label="Take this receiver away"
          title="Take it away"
          onClick={() => {
            void removeReceiver(receiver.id);
            onGone();
          }}
        >
          <Trash2 size={12} />
        </Button>
      )}
    </div>
  );
}
