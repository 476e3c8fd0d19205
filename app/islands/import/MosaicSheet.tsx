import { useEffect, useState } from 'react';
import { makeGround, stepUse, type AssetReading } from '@upland-cast/core';
import { Button, NumberField, Row, Segments } from '../../components/controls';
import { figure, smallMetres } from '../../components/format';
import { engine } from '../../engine/client';
import type { MosaicLook, OpenedFile } from '../../engine/api';
import { PixelPicture } from './PixelPicture';
import { Refused } from './Refused';
import type { Taken } from './taken';
import css from './ImportDialog.module.css';

interface Props {
  opened: OpenedFile[];
  handleOf: (name: string) => FileSystemFileHandle | undefined;
  onClose: () => void;
  onTaken: (taken: Taken) => void;
}

const WAYS = { place: 'By their places', names: 'By their names', hand: 'By hand' } as const;

/** Several files as one ground: how they are laid out, what they share, and how well they meet. */
export function MosaicSheet({ opened, handleOf, onClose, onTaken }: Props) {
  const [layout, setLayout] = useState<'place' | 'names' | 'hand'>('place');
  const [places, setPlaces] = useState<Record<number, { row: number; column: number }>>({});
  const [settled, setSettled] = useState<Record<number, AssetReading>>({});
  const [blend, setBlend] = useState(0);
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

  if (fault) return <Refused sentence={fault} onClose={onClose} />;
  if (!look) return <p className={css.waiting}>Reading {opened.length} files …</p>;

  const all = (part: Partial<AssetReading>) => setSettled(Object.fromEntries(opened.map((o) => [o.id, { ...settled[o.id], ...part }])));
  const range = settled[opened[0].id]?.map;
  const take = async () => {
    setBusy(true);
    const assets: Taken['assets'] = {};
    const handles: Taken['handles'] = {};
    const pieces = [];
    for (const piece of look.pieces) {
      const kept = await engine().keepFile(piece.id);
      if (!kept.ok) return setFault(kept.sentence);
      const { sha, name, bytes } = kept.value;
      const reading = settled[piece.id];
      assets[sha] = { name: name.slice(0, 200), bytes, ...(reading ? { reading } : {}) };
      const handle = handleOf(name);
      if (handle) handles[sha] = handle;
      pieces.push({ asset: sha, east: piece.east, south: piece.south, width: piece.width, depth: piece.depth });
    }
    const extra = look.registration === 'point' ? 1 : 0;
    const west = look.georeference && { ...look.georeference };
    const ground = makeGround({
      width: look.width,
      depth: look.depth,
      across: Math.round(look.width / look.spacing.x) + extra,
      down: Math.round(look.depth / look.spacing.y) + extra,
      registration: look.registration,
      ...(west && layout === 'place' ? { georeference: west } : {}),
    });
    const name = look.pieces[0].name.replace(/[-_ ]*\d+[-_ ]*\d*\.[^.]*$|\.[^.]*$/, '') || 'Mosaic';
    onTaken({ name, ground, assets, handles, steps: [stepUse('mosaic', { pieces, blend })] });
  };

  return (
    <>
      <div className={css.body}>
        <section className={css.left} aria-label="Picture">
          <div className={css.picture} aria-busy={busy}>
            <PixelPicture picture={look.relief} className={css.relief} label="The files laid out" />
            {look.pieces.map((p) => (
              <i
                key={p.id}
                className={css.piece}
                style={{
                  left: `${(100 * p.east) / look.width}%`,
                  top: `${(100 * p.south) / look.depth}%`,
                  width: `${(100 * p.width) / look.width}%`,
                  height: `${(100 * p.depth) / look.depth}%`,
                }}
              >
                {p.name}
              </i>
            ))}
          </div>
          <p className={`${css.effect} number`}>
            {figure(look.lowest, 1)} to {figure(look.highest, 1)} m · {figure(look.width / 1000, 3)} × {figure(look.depth / 1000, 3)} km ·{' '}
            {figure(look.spacing.x, 3)} m apart
          </p>
          <fieldset className={css.group}>
            <legend>Seams</legend>
            {look.seams.length === 0 && <p className={css.hint}>None of them touches another. Lay them out in another way.</p>}
            <ul className={css.findings}>
              {look.seams.map((seam) => {
                const bad = seam.rmse > (look.highest - look.lowest) / 50;
                return (
                  <li key={`${seam.a} ${seam.b}`} data-severity={bad || seam.better ? 'caution' : 'note'}>
                    <p>
                      {seam.a} and {seam.b}: {smallMetres(seam.rmse)} apart on average along {figure(seam.length, 0)} m (the second lies{' '}
                      {smallMetres(Math.abs(seam.mean))} {seam.mean < 0 ? 'lower' : 'higher'}; {smallMetres(seam.largest)} at most).
                      {seam.better ? ` ${seam.b} fits ${figure(seam.rmse / Math.max(1e-9, seam.better.rmse), 0)} times as well ${wayOf(seam.better)}.` : ''}
                    </p>
                    {seam.better && (
                      <span>
                        <Button
                          onClick={() => {
                            const piece = look.pieces.find((p) => p.name === seam.b)!;
                            const { flip, turn } = seam.better!;
                            setSettled({ ...settled, [piece.id]: { ...settled[piece.id], ...(flip ? { flip } : {}), ...(turn ? { turn } : {}) } });
                          }}
                        >
                          Lay it so
                        </Button>
                      </span>
                    )}
                  </li>
                );
              })}
            </ul>
          </fieldset>
        </section>
        <section className={css.right} aria-label="How they are laid out">
          <fieldset className={css.group}>
            <legend>Laid out</legend>
            <Segments label="Laid out" value={layout} choices={WAYS} onChange={setLayout} />
            {layout === 'place' && !look.possible.place && <p className={css.caution}>Not all of them say where they lie.</p>}
            {layout === 'names' && !look.possible.names && <p className={css.caution}>Their names do not count rows and columns, as in name_0_1.</p>}
            <ol className={css.places}>
              {look.pieces.map((p) => (
                <li key={p.id}>
                  <span>{p.name}</span>
                  {layout === 'hand' ? (
                    <span className={css.pair}>
                      <NumberField
                        label={`Row of ${p.name}`}
                        unit="row"
                        value={p.row}
                        min={0}
                        max={99}
                        onChange={(row) => setPlaces({ ...placesOf(look), [p.id]: { row, column: p.column } })}
                      />
                      <NumberField
                        label={`Column of ${p.name}`}
                        unit="col."
                        value={p.column}
                        min={0}
                        max={99}
                        onChange={(column) => setPlaces({ ...placesOf(look), [p.id]: { row: p.row, column } })}
                      />
                    </span>
                  ) : (
                    <span className="number">
                      {figure(p.east, 0)} m E, {figure(p.south, 0)} m S
                    </span>
                  )}
                </li>
              ))}
            </ol>
          </fieldset>
          <fieldset className={css.group}>
            <legend>Alike for all</legend>
            <Row label="Numbers" help="As each file means them, or a range for all of them.">
              <Segments
                label="Numbers"
                value={range ? 'range' : 'own'}
                choices={{ own: 'Their own', range: 'A range' }}
                onChange={(v) => all({ map: v === 'own' ? undefined : { code0: 0, height0: 0, code1: 65_535, height1: 1000 } })}
              />
            </Row>
            {range && (
              <div className={css.ends}>
                <NumberField label="First number" value={range.code0} min={-4.3e9} max={4.3e9} onChange={(code0) => all({ map: { ...range, code0 } })} />
                <span>is</span>
                <NumberField
                  label="Its height"
                  unit="m"
                  value={range.height0}
                  min={-20_000}
                  max={20_000}
                  step={0.1}
                  onChange={(height0) => all({ map: { ...range, height0 } })}
                />
                <NumberField label="Second number" value={range.code1} min={-4.3e9} max={4.3e9} onChange={(code1) => all({ map: { ...range, code1 } })} />
                <span>is</span>
                <NumberField
                  label="Its height, second"
                  unit="m"
                  value={range.height1}
                  min={-20_000}
                  max={20_000}
                  step={0.1}
                  onChange={(height1) => all({ map: { ...range, height1 } })}
                />
              </div>
            )}
            <Row label="Spacing" help="Metres from sample to sample, of all of them.">
              <NumberField label="Spacing" unit="m" value={look.spacing.x} min={1e-4} max={1e6} step={0.001} onChange={(x) => all({ spacing: { x, y: x } })} />
            </Row>
            <Row label="Samples are" help="Points: files beside each other share their outer samples. Areas: they lie against each other.">
              <Segments
                label="Samples are"
                value={look.registration}
                choices={{ point: 'Points', area: 'Areas' }}
                onChange={(registration) => all({ registration })}
              />
            </Row>
            <Row label="Blend over" help="Metres from the edge of a file; 0 is all of an overlap.">
              <NumberField label="Blend over" unit="m" value={blend} min={0} max={100_000} onChange={setBlend} />
            </Row>
          </fieldset>
        </section>
      </div>
      <footer className={css.foot}>
        <Button onClick={onClose}>Leave them</Button>
        <Button look="main" disabled={busy} onClick={() => void take()}>
          Make a terrain of them
        </Button>
      </footer>
    </>
  );
}

const placesOf = (look: MosaicLook) => Object.fromEntries(look.pieces.map((p) => [p.id, { row: p.row, column: p.column }]));
const wayOf = ({ flip, turn }: { flip?: 'rows' | 'columns'; turn?: number }) =>
  flip === 'rows' ? 'with its rows the other way round' : flip === 'columns' ? 'with its columns the other way round' : `turned by ${turn}°`;
