import { Plus, Trash2 } from 'lucide-react';
import { useEffect, useMemo, useRef, useState } from 'react';
import { paramsOf, rockSchema, rockSettings, ROCK_PRESETS, type Rock, type RockFault } from '@upland-cast/core';
import { Button, NumberField, Row, Select } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { SettingRow } from '../../../components/SettingRow';
import { blockExaggeration, drawRockBlock } from '../../../drawing/rock-block';
import { ROCK_RAMP } from '../../../drawing/drapes';
import { change } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import css from './RockDialog.module.css';

const BLOCK = { width: 520, height: 340 };
const MOST_FAULTS = 24;

/** The rock that the terrain is made of: beds, folds, faults, joints, with a block of it cut open. */
export function RockDialog({ onClose }: { onClose: () => void }) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [draft, setDraft] = useState<Rock>(() => course.rock ?? rockSchema.parse({}));
  const feels = course.stem.some((use) => ['fluvial', 'runoff', 'talus', 'glacier', 'shore'].includes(use.step));
  const set = (part: Partial<Rock>) => setDraft({ ...draft, ...part });
  const apply = (rock: Rock | undefined) => {
    change(rock ? 'Set the rock' : 'Take the rock away', (c) => {
      if (rock) c.rock = rock;
      else delete c.rock;
    });
    onClose();
  };
  return (
    <Dialog title="The rock" onClose={onClose} wide>
      <div className={css.sides}>
        <div className={css.picture}>
          <Block rock={draft} />
          <p className={css.words}>
            {feels
              ? 'Rivers, rain, talus, ice and the shore feel it: hard beds stand, soft ones give way. Each has a strength for it under “More”.'
              : 'It shows in the ground when weather works on it: add Rivers, Talus or Ice to the course.'}
          </p>
        </div>
        <div className={css.settings}>
          <RockSettings draft={draft} readOnly={readOnly} set={set} />
          <Faults faults={draft.faults} disabled={readOnly} onChange={(faults) => set({ faults })} />
        </div>
      </div>
      <div className={css.buttons}>
        {course.rock && (
          <Button disabled={readOnly} onClick={() => apply(undefined)}>
            Take the rock away
          </Button>
        )}
        <Button onClick={onClose}>Leave it</Button>
        <Button look="main" disabled={readOnly} onClick={() => apply(rockSchema.parse(draft))}>
          Set the rock
        </Button>
      </div>
    </Dialog>
  );
}

/** Beds, folds and joints, or a set of them to begin from. */
function RockSettings({ draft, readOnly, set }: { draft: Rock; readOnly: boolean; set: (part: Partial<Rock>) => void }) {
  return (
    <>
      <Row label="Begin from">
        <Select
          label="Begin from"
          value=""
          disabled={readOnly}
          choices={{ '': 'As it is', ...Object.fromEntries(ROCK_PRESETS.map(({ name }) => [name, name])) }}
          onChange={(name) => set(ROCK_PRESETS.find((preset) => preset.name === name)?.rock ?? {})}
        />
      </Row>
      {paramsOf(rockSettings).map(({ key, meta }) =>
        meta.kind === 'seed' ? (
          <Row key={key} label={meta.label} help={meta.help}>
            <NumberField
              label={meta.label}
              value={draft.seed}
              min={0}
              max={0xffffffff}
              disabled={readOnly}
              onChange={(seed) => set({ seed: Math.round(seed) })}
            />
          </Row>
        ) : (
          <SettingRow key={key} meta={meta} value={draft[key as keyof Rock]} disabled={readOnly} onChange={(value) => set({ [key]: value })} />
        ),
      )}
    </>
  );
}

/** A block of the ground cut open, as the settings have it. */
function Block({ rock }: { rock: Rock }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const picture = useTerrain((s) => s.picture);
  const relief = useMemo(() => (picture ? picture.statistics.highest - picture.statistics.lowest : 0), [picture]);
  useEffect(() => {
    if (!picture) return;
    const turn = requestAnimationFrame(() => {
      const pixels = drawRockBlock(rock, picture, BLOCK.width, BLOCK.height);
      canvas.current?.getContext('2d')!.putImageData(new ImageData(pixels, BLOCK.width, BLOCK.height), 0, 0);
    });
    return () => cancelAnimationFrame(turn);
  }, [rock, picture]);
  const times = picture ? blockExaggeration(picture.ground, relief) : 1;
  return (
    <figure className={css.block}>
      <canvas
        ref={canvas}
        width={BLOCK.width}
        height={BLOCK.height}
        role="img"
        aria-label="A block of the ground cut open from south and east, beds by their hardness"
      />
      <figcaption>
        <span className={css.ramp} style={{ background: `linear-gradient(to right, ${ROCK_RAMP.map(([at, c]) => `${c} ${at * 100}%`).join(', ')})` }} />
        <span>soft to hard</span>
        <span>from the south{times > 1 ? `, heights ${times} times as large` : ''}</span>
      </figcaption>
    </figure>
  );
}

function Faults({ faults, disabled, onChange }: { faults: RockFault[]; disabled: boolean; onChange: (faults: RockFault[]) => void }) {
  const { width, depth } = useTerrain((s) => s.course!.ground);
  const put = (i: number, part: Partial<RockFault>) => onChange(faults.map((fault, k) => (k === i ? { ...fault, ...part } : fault)));
  const add = () => onChange([...faults, { east: Math.round(width / 2), south: Math.round(depth / 2), strike: (40 + 70 * faults.length) % 360, throw: 60 }]);
  return (
    <section className={css.faults} aria-label="Faults">
      <div className={css.head}>
        <h3>Faults</h3>
        <Button disabled={disabled || faults.length >= MOST_FAULTS} onClick={add}>
          <Plus size={13} /> Add a fault
        </Button>
      </div>
      {faults.map((fault, i) => {
        const field = (label: string, key: keyof RockFault, unit: string, min: number, max: number) => (
          <NumberField
            label={`Fault ${i + 1}, ${label}`}
            value={fault[key]}
            unit={unit}
            min={min}
            max={max}
            disabled={disabled}
            onChange={(v) => put(i, { [key]: v })}
          />
        );
        return (
          <div key={i} className={css.fault}>
            <b>{i + 1}</b>
            {field('throw', 'throw', 'm down', -9_000, 9_000)}
            {field('strike', 'strike', '° strike', 0, 360)}
            {field('east', 'east', 'm E', -1e6, 1e6)}
            <NumberField
              label={`Fault ${i + 1}, north`}
              value={depth - fault.south}
              unit="m N"
              min={-1e6}
              max={1e6}
              disabled={disabled}
              onChange={(north) => put(i, { south: depth - north })}
            />
            <Button look="quiet" square aria-label={`Take fault ${i + 1} away`} disabled={disabled} onClick={() => onChange(faults.filter((_, k) => k !== i))}>
              <Trash2 size={12} />
            </Button>
          </div>
        );
      })}
      <p className={css.words}>Right of its line, as it is turned, the beds lie lower by the throw. Where two cross, both count.</p>
    </section>
  );
}
