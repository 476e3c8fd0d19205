import type { AssetReading } from '@upland-cast/core';
import { Button, NumberField, Row, Segments } from '../../components/controls';
import { figure, smallMetres } from '../../components/format';
import type { MosaicLook } from '../../engine/api';
import { PixelPicture } from './PixelPicture';
import { RangeEnds } from './RangeEnds';
import type { Layout, Places } from './mosaic';
import css from './ImportDialog.module.css';

const WAYS: Record<Layout, string> = { place: 'By their places', names: 'By their names', hand: 'By hand' };

/** The files laid out, and what they come to. */
export function MosaicPicture({ look, busy }: { look: MosaicLook; busy: boolean }) {
  return (
    <>
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
    </>
  );
}

/** How well neighbours meet, and what would make them meet better. */
export function Seams({ look, onLay }: { look: MosaicLook; onLay: (piece: number, how: Pick<AssetReading, 'flip' | 'turn'>) => void }) {
  return (
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
                      onLay(piece.id, { ...(flip ? { flip } : {}), ...(turn ? { turn } : {}) });
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
  );
}

/** How the files are laid out, and where each of them lies. */
export function LaidOut({
  look,
  layout,
  onLayout,
  onPlaces,
}: {
  look: MosaicLook;
  layout: Layout;
  onLayout: (layout: Layout) => void;
  onPlaces: (places: Places) => void;
}) {
  return (
    <fieldset className={css.group}>
      <legend>Laid out</legend>
      <Segments label="Laid out" value={layout} choices={WAYS} onChange={onLayout} />
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
                  onChange={(row) => onPlaces({ ...placesOf(look), [p.id]: { row, column: p.column } })}
                />
                <NumberField
                  label={`Column of ${p.name}`}
                  unit="col."
                  value={p.column}
                  min={0}
                  max={99}
                  onChange={(column) => onPlaces({ ...placesOf(look), [p.id]: { row: p.row, column } })}
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
  );
}

interface AlikeProps {
  look: MosaicLook;
  range: AssetReading['map'];
  all: (part: Partial<AssetReading>) => void;
  blend: number;
  onBlend: (metres: number) => void;
}

/** What is alike for all of the files. */
export function AlikeForAll({ look, range, all, blend, onBlend }: AlikeProps) {
  return (
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
      {range && <RangeEnds range={range} whole onChange={(map) => all({ map })} />}
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
        <NumberField label="Blend over" unit="m" value={blend} min={0} max={100_000} onChange={onBlend} />
      </Row>
    </fieldset>
  );
}

const placesOf = (look: MosaicLook): Places => Object.fromEntries(look.pieces.map((p) => [p.id, { row: p.row, column: p.column }]));

const wayOf = ({ flip, turn }: { flip?: 'rows' | 'columns'; turn?: number }) =>
  flip === 'rows' ? 'with its rows the other way round' : flip === 'columns' ? 'with its columns the other way round' : `turned by ${turn}°`;
