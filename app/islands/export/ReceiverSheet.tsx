import { useState } from 'react';
import { sentenceOf, type Receiver } from '@upland-cast/core';
import { Button } from '../../components/controls';
import { Dialog } from '../../components/Dialog';
import { keepReceiver } from '../../store/receivers';
import { FormatsPart, HeightsRulePart, SizesPart, WhatItIs } from './ReceiverParts';
import css from './ExportRoom.module.css';

/** Everything that a receiver says about itself, to be changed. One that ships is kept as a copy. */
export function ReceiverSheet({
  receiver,
  own,
  onClose,
  onKept,
}: {
  receiver: Receiver;
  own: boolean;
  onClose: () => void;
  onKept: (receiver: Receiver) => void;
}) {
  const [now, setNow] = useState(receiver);
  const [fault, setFault] = useState<string | null>(null);
  const set = (part: Partial<Receiver>) => setNow({ ...now, ...part });
  const keep = async () => {
    try {
      onKept(await keepReceiver(now));
      onClose();
    } catch (error) {
      setFault(sentenceOf(error));
    }
  };
  return (
    <Dialog title={receiver.title} onClose={onClose} wide>
      <div className={css.sheet}>
        <div>
          <WhatItIs now={now} set={set} />
          <SizesPart now={now} set={set} />
        </div>
        <div>
          <HeightsRulePart now={now} set={set} />
          {now.heights.by !== 'print' && <FormatsPart now={now} set={set} />}
        </div>
      </div>
      {fault && (
        <p className={css.fault} role="alert">
          {fault}
        </p>
      )}
      <div className={css.sheetEnd}>
        <Button look="main" onClick={() => void keep()}>
          {own ? 'Keep' : 'Keep as a copy'}
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </div>
    </Dialog>
  );
}
