import { useEffect, useState } from 'react';
import {
  groundForReceiver,
  makeGround,
  receivers as shipped,
  sameSamples,
  samplingWords,
  sentenceOf,
  sizesOfReceiver,
  spacingOf,
  type Course,
  type Ground,
} from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { Facts } from '../../../components/Facts';
import { bytes, figure } from '../../../components/format';
import { WhenAsked } from '../../../components/WhenAsked';
import { engine } from '../../../engine/client';
import { keepMark } from '../../../store/keeping';
import { change } from '../../../store/history';
import { loadReceivers, useReceivers } from '../../../store/receivers';
import { useTerrain } from '../../../store/state';
import { sampled, sized, spaced, type Held } from './sizing';
import css from './GroundDialog.module.css';

/** Samples along a side that a terrain has at the most here. */
const MOST = 8193;
const HELD: Record<Held, string> = { spacing: 'Spacing', samples: 'Samples', size: 'Size' };

/** The ground's size, samples, registration, datum and sea, changed together. */
export function GroundDialog({ onClose }: { onClose: () => void }) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [draft, setDraft] = useState<Ground>(course.ground);
  const [fault, setFault] = useState<string | null>(null);
  const [held, setHeld] = useState<Held>('size');
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
  return (
    <Dialog title="The ground" onClose={onClose}>
      <div className={css.form}>
        <Sides {...{ draft, held, readOnly, setDraft }} />
        <Row label="Held" help="What stays while another of the three is changed.">
          <Segments label="Held" value={held} choices={HELD} onChange={setHeld} />
        </Row>
        <SizesOf ground={draft} readOnly={readOnly} onTake={setDraft} />
        <Levels {...{ draft, readOnly, set }} />
        <Facts
          items={[
            ['From sample to sample', x === y ? `${Number(x.toPrecision(6))} m` : `${Number(x.toPrecision(6))} × ${Number(y.toPrecision(6))} m`],
            ['Samples in all', figure(draft.across * draft.down, 0)],
            ['Memory a stage', bytes(draft.across * draft.down * 4)],
          ]}
        />
        {Math.abs(x - y) > 1e-6 * x && <p className={css.note}>The cells are not square: {Number((x / y).toPrecision(4))} times as wide as deep.</p>}
        <FromWhatIsSeen course={course} ground={draft} />
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

interface DraftProps {
  draft: Ground;
  readOnly: boolean;
}

/** Width, depth, samples and spacing, of which one is held while another changes. */
function Sides({ draft, held, readOnly, setDraft }: DraftProps & { held: Held; setDraft: (ground: Ground) => void }) {
  const { x } = spacingOf(draft);
  const sizes = { Width: 'width', Depth: 'depth' } as const;
  const counts: Record<string, [number, (n: number) => Ground]> = {
    'Samples across': [draft.across, (across) => sampled(draft, across, draft.down, held)],
    'Samples down': [draft.down, (down) => sampled(draft, draft.across, down, held)],
  };
  return (
    <>
      {Object.entries(sizes).map(([label, side]) => (
        <Row key={label} label={label}>
          <NumberField
            label={label}
            value={draft[side]}
            unit="m"
            min={1}
            max={1e7}
            step={1}
            disabled={readOnly}
            onChange={(metres) => setDraft(sized(draft, side, metres, held))}
          />
        </Row>
      ))}
      {Object.entries(counts).map(([label, [value, taken]]) => (
        <Row key={label} label={label}>
          <NumberField label={label} value={value} min={2} max={MOST} disabled={readOnly} onChange={(n) => setDraft(taken(Math.round(n)))} />
        </Row>
      ))}
      <Row label="Spacing" help="From sample to sample, the same both ways.">
        <NumberField
          label="Spacing"
          value={Number(x.toPrecision(9))}
          unit="m"
          min={0.001}
          max={100_000}
          step={0.1}
          disabled={readOnly}
          onChange={(spacing) => setDraft(spaced(draft, spacing, held))}
        />
      </Row>
    </>
  );
}

/** Where the samples lie, and what heights are counted from. */
function Levels({ draft, readOnly, set }: DraftProps & { set: (part: Partial<Ground>) => void }) {
  return (
    <>
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
    </>
  );
}

/** Of the same land at other samples: how far it will lie from the ground that is seen, measured when asked. */
function FromWhatIsSeen({ course, ground }: { course: Course; ground: Ground }) {
  const own = course.ground;
  const sameLand = (['width', 'depth', 'sea', 'datum'] as const).every((side) => ground[side] === own[side]);
  if (!sameLand || sameSamples(own, ground)) return null;
  return (
    <WhenAsked
      about={[ground.across, ground.down, ground.registration].join(' ')}
      depends={[course]}
      invitation="Its steps are worked out again at these samples."
      button="How far from what you see"
      measure={() => engine().distanceAtSamples(course, makeGround(ground))}
      words={(report) => samplingWords(report, ground)}
    />
  );
}

/** The counts that a receiver takes around what there is; one press, and the ground has it. */
function SizesOf({ ground, readOnly, onTake }: { ground: Ground; readOnly: boolean; onTake: (ground: Ground) => void }) {
  const own = useReceivers((s) => s.own);
  const all = [...shipped, ...own];
  const [chosen, setChosen] = useState(all[0].id);
  useEffect(() => void loadReceivers(), []);
  const receiver = all.find(({ id }) => id === chosen) ?? all[0];
  const choices = Object.fromEntries(all.map(({ id, title }) => [id, title]));
  return (
    <>
      <Row label="Fit to" help="The counts of samples that a receiver takes.">
        <Select label="Fit to receiver" value={receiver.id} choices={choices} onChange={setChosen} />
      </Row>
      <div className={css.quick} role="group" aria-label="Sample counts that it takes">
        {sizesOfReceiver(receiver, ground)
          .filter(({ samples }) => samples <= MOST)
          .map(({ samples, own: has }) => (
            <Button key={samples} aria-pressed={has} disabled={readOnly} onClick={() => onTake(groundForReceiver(receiver, ground, samples))}>
              {figure(samples, 0)}
            </Button>
          ))}
      </div>
    </>
  );
}
