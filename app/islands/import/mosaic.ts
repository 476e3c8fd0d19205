import { useEffect, useState } from 'react';
import { makeGround, stepUse, type AssetReading, type Ground } from '@upland-cast/core';
import type { MosaicLook, OpenedFile } from '../../engine/api';
import { engine } from '../../engine/client';
import type { Taken } from './taken';

export type Layout = 'place' | 'names' | 'hand';
/** Where files stand that are laid out by hand, by their ids. */
export type Places = Record<number, { row: number; column: number }>;
/** How files are read, by their ids. */
export type Settled = Record<number, AssetReading>;

/** Several files laid out: looked at anew whenever how changes. */
export function useMosaic(opened: readonly OpenedFile[], settled: Settled) {
  const [layout, setLayout] = useState<Layout>('place');
  const [places, setPlaces] = useState<Places>({});
  const [look, setLook] = useState<MosaicLook | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [busy, setBusy] = useState(true);
  const ids = opened.map((o) => o.id).join();
  useEffect(() => {
    let gone = false;
    setBusy(true);
    void (async () => {
      const answer = await engine().lookAtMosaic(ids.split(',').map(Number), settled, layout, places);
      if (gone || (!answer.ok && answer.stopped)) return;
      setBusy(false);
      if (!answer.ok) setFault(answer.sentence);
      else {
        setLook(answer.value);
        // Where they say nothing about their place, their names or the hand have to do.
        if (answer.value.layout !== layout) setLayout(layout === 'place' && answer.value.possible.names ? 'names' : answer.value.layout);
      }
    })();
    return () => {
      gone = true;
    };
  }, [ids, settled, layout, places]);
  return { layout, setLayout, setPlaces, look, fault, setFault, busy, setBusy };
}

/** The ground that a mosaic lies on; in the world where its files say where. */
export function groundOfMosaic(look: MosaicLook, layout: Layout): Ground {
  const extra = look.registration === 'point' ? 1 : 0;
  return makeGround({
    width: look.width,
    depth: look.depth,
    across: Math.round(look.width / look.spacing.x) + extra,
    down: Math.round(look.depth / look.spacing.y) + extra,
    registration: look.registration,
    ...(look.georeference && layout === 'place' ? { georeference: { ...look.georeference } } : {}),
  });
}

/** A terrain of files that are laid out: each is kept, and one step lays them down. Throws the sentence of a file that could not be kept. */
export async function takenOf(
  look: MosaicLook,
  layout: Layout,
  settled: Settled,
  blend: number,
  handleOf: (name: string) => FileSystemFileHandle | undefined,
): Promise<Taken> {
  const assets: Taken['assets'] = {};
  const handles: Taken['handles'] = {};
  const pieces = [];
  for (const piece of look.pieces) {
    const kept = await engine().keepFile(piece.id);
    if (!kept.ok) throw new Error(kept.sentence);
    const { sha, name, bytes } = kept.value;
    const reading = settled[piece.id];
    assets[sha] = { name: name.slice(0, 200), bytes, ...(reading ? { reading } : {}) };
    const handle = handleOf(name);
    if (handle) handles[sha] = handle;
    pieces.push({ asset: sha, east: piece.east, south: piece.south, width: piece.width, depth: piece.depth });
  }
  const name = look.pieces[0].name.replace(/[-_ ]*\d+[-_ ]*\d*\.[^.]*$|\.[^.]*$/, '') || 'Mosaic';
  return { name, ground: groundOfMosaic(look, layout), assets, handles, steps: [stepUse('mosaic', { pieces, blend })] };
}
