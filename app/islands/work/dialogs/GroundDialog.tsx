import { useState } from 'react';
import { makeGround, sentenceOf, spacingOf, type Ground } from '@upland-cast/core';
import { Button, NumberField, Row, Segments } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { Facts } from '../../../components/Facts';
import { bytes, figure } from '../../../components/format';
import { keepMark } from '../../../store/keeping';
import { change } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import css from './GroundDialog.module.css';

/** The ground's size, samples, registration, datum and sea, changed together. */
export function GroundDialog({ onClose }: { onClose: () => void }) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [draft, setDraft] = useState<Ground>(course.ground);
  const [fault, setFault] = useState<string | null>(null);
  const { x, y } = spacingOf(draft);
  const set = (part: Partial<Ground>) => setDraft({ ...draft, ...part });
  const apply = async () => {
    try {
      const ground = makeGround(draft);
      await keepMark('Before the ground was changed', true);
      change('Set the ground', (c) => void (c.ground = ground));
      onClose();
    } catch (error) {
      setFault(sentenceOf(error));
    }
  };
  const extra = draft.registration === 'point' ? 1 : 0;
  return (
    <Dialog title="The ground" onClose={onClose}>
      <div className={css.form}>
        <Row label="Width">
          <NumberField label="Width" value={draft.width} unit="m" min={1} max={1e7} step={1} disabled={readOnly} onChange={(width) => set({ width })} />
        </Row>
        <Row label="Depth">
          <NumberField label="Depth" value={draft.depth} unit="m" min={1} max={1e7} step={1} disabled={readOnly} onChange={(depth) => set({ depth })} />
        </Row>
        <Row label="Samples across">
          <NumberField
            label="Samples across"
            value={draft.across}
            min={2}
            max={8193}
            disabled={readOnly}
            onChange={(across) => set({ across: Math.round(across) })}
          />
        </Row>
        <Row label="Samples down">
          <NumberField label="Samples down" value={draft.down} min={2} max={8193} disabled={readOnly} onChange={(down) => set({ down: Math.round(down) })} />
        </Row>
        <div className={css.quick} role="group" aria-label="Usual sample counts">
          {[256, 512, 1024, 2048, 4096].map((n) => (
            <Button
              key={n}
              disabled={readOnly}
              onClick={() => set({ across: n + extra, down: Math.max(2, Math.round((n * draft.depth) / draft.width)) + extra })}
            >
              {n + extra}
            </Button>
          ))}
        </div>
        <Row label="Samples are">
          <Segments
            label="Samples are"
            value={draft.registration}
            choices={{ point: 'Points on the edge', area: 'Cell centres' }}
            onChange={(registration) => {
              const by = registration === draft.registration ? 0 : registration === 'point' ? 1 : -1;
              set({ registration, across: draft.across + by, down: draft.down + by });
            }}
          />
        </Row>
        <Row label="Sea level">
          <NumberField label="Sea level" value={draft.sea} unit="m" min={-11000} max={9000} step={0.1} disabled={readOnly} onChange={(sea) => set({ sea })} />
        </Row>
        <Row label="Datum" help="Heights are stored from here, so that high country keeps its millimetres.">
          <NumberField
            label="Datum"
            value={draft.datum}
            unit="m"
            min={-11000}
            max={9000}
            disabled={readOnly}
            onChange={(datum) => set({ datum: Math.round(datum) })}
          />
        </Row>
        <Facts
          items={[
            ['From sample to sample', x === y ? `${Number(x.toPrecision(6))} m` : `${Number(x.toPrecision(6))} × ${Number(y.toPrecision(6))} m`],
            ['Samples in all', figure(draft.across * draft.down, 0)],
            ['Memory a stage', bytes(draft.across * draft.down * 4)],
          ]}
        />
        {Math.abs(x - y) > 1e-6 * x && <p className={css.note}>The cells are not square: {Number((x / y).toPrecision(4))} times as wide as deep.</p>}
        {fault && <p className={css.fault}>{fault}</p>}
        <div className={css.buttons}>
          <Button onClick={onClose}>Leave it</Button>
          <Button look="main" disabled={readOnly} onClick={() => void apply()}>
            Set the ground
          </Button>
        </div>
      </div>
    </Dialog>
  );
}
