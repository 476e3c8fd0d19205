import { useState } from 'react';
import type { AssetReading } from '@upland-cast/core';
import { Button } from '../../components/controls';
import type { OpenedFile } from '../../engine/api';
import { AlikeForAll, LaidOut, MosaicPicture, Seams } from './MosaicParts';
import { Refused } from './Refused';
import { takenOf, useMosaic, type Settled } from './mosaic';
import type { Taken } from './taken';
import css from './ImportDialog.module.css';

interface Props {
  opened: OpenedFile[];
  handleOf: (name: string) => FileSystemFileHandle | undefined;
  onClose: () => void;
  onTaken: (taken: Taken) => void;
}

/** Several files as one ground: how they are laid out, what they share, and how well they meet. */
export function MosaicSheet({ opened, handleOf, onClose, onTaken }: Props) {
  const [settled, setSettled] = useState<Settled>({});
  const [blend, setBlend] = useState(0);
  const { layout, setLayout, setPlaces, look, fault, setFault, busy, setBusy } = useMosaic(opened, settled);

  if (fault) return <Refused sentence={fault} onClose={onClose} />;
  if (!look) return <p className={css.waiting}>Reading {opened.length} files …</p>;

  const all = (part: Partial<AssetReading>) => setSettled(Object.fromEntries(opened.map((o) => [o.id, { ...settled[o.id], ...part }])));
  const lay = (piece: number, how: Partial<AssetReading>) => setSettled({ ...settled, [piece]: { ...settled[piece], ...how } });
  const take = () => {
    setBusy(true);
    takenOf(look, layout, settled, blend, handleOf).then(onTaken, (error: Error) => setFault(error.message));
  };

  return (
    <>
      <div className={css.body}>
        <section className={css.left} aria-label="Picture">
          <MosaicPicture look={look} busy={busy} />
          <Seams look={look} onLay={lay} />
        </section>
        <section className={css.right} aria-label="How they are laid out">
          <LaidOut look={look} layout={layout} onLayout={setLayout} onPlaces={setPlaces} />
          <AlikeForAll look={look} range={settled[opened[0].id]?.map} all={all} blend={blend} onBlend={setBlend} />
        </section>
      </div>
      <footer className={css.foot}>
        <Button onClick={onClose}>Leave them</Button>
        <Button look="main" disabled={busy} onClick={take}>
          Make a terrain of them
        </Button>
      </footer>
    </>
  );
}
