import { useEffect, useRef, useState } from 'react';
import { Button, NumberField, Row, Segments, Switch } from '../../../components/controls';
import { figure } from '../../../components/format';
import { engine } from '../../../engine/client';
import { select } from '../../../store/course';
import { change } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import { useEngineQuery } from '../../../components/use-engine-query';
import { rangeFault, stepOfRange, tenth, waterLineOf, WAYS, wordsOfRange, type RangeDraft } from './range';
import css from './Staff.module.css';

/** What is under water at a level, and how long the shore is; asked anew as the level moves. */
function useWater(level: number): { share: number; shoreline: number } | null {
  const picture = useTerrain((s) => s.picture);
  const ask = async () => ({ ok: true as const, value: await engine().waterAt(level) });
  return useEngineQuery(ask, [level, picture]).value;
}

/** The water line in a sentence, live. */
export function WaterLine({ level }: { level: number }) {
  const water = useWater(level);
  if (!water) return null;
  return (
    <p className={`${css.waterLine} number`}>
      {figure(water.share * 100, 1)} % under water, shore{' '}
      {water.shoreline >= 10_000 ? `${figure(water.shoreline / 1000, 1)} km` : `${figure(water.shoreline, 0)} m`}
    </p>
  );
}

/** Puts the whole ground into range: each way says in words and numbers what it does to the form before it is done. */
export function RangePanel({ onDone }: { onDone: () => void }) {
  const { lowest, highest } = useTerrain((s) => s.picture!.statistics);
  const histogram = useTerrain((s) => s.picture!.histogram);
  const sea = useTerrain((s) => s.course!.ground.sea);
  const locked = useTerrain((s) => s.seaLocked);
  const [draft, setDraft] = useState<RangeDraft>({ way: 'shift', by: 0, low: tenth(lowest), high: tenth(highest), shoulder: 10, level: sea });
  const { way, by, level } = draft;

  // Escape leaves it as soon as it is there.
  const panel = useRef<HTMLDivElement>(null);
  useEffect(() => panel.current?.focus(), []);

  const now = { lowest, highest, histogram, sea, locked };
  const fault = rangeFault(draft);
  const apply = () => {
    const use = stepOfRange(draft, now);
    if (use) {
      change(WAYS[way], (course) => void course.stem.push(use));
      select(use.id);
    } else change('Set the sea', (course) => void (course.ground.sea = level));
    onDone();
  };
  return (
    <div ref={panel} tabIndex={-1} className={css.range} role="dialog" aria-label="Range" onKeyDown={(event) => event.key === 'Escape' && onDone()}>
      <Segments label="Way" value={way} choices={WAYS} onChange={(next) => setDraft({ ...draft, way: next })} />
      <Numbers draft={draft} locked={locked} set={(part) => setDraft({ ...draft, ...part })} />
      <p className={css.words} role="status">
        {fault ?? wordsOfRange(draft, now)}
      </p>
      <WaterLine level={waterLineOf(draft, now)} />
      <div className={css.rangeEnd}>
        <Button look="main" disabled={fault !== null || (way === 'shift' && by === 0)} onClick={apply}>
          {WAYS[way]}
        </Button>
        <Button look="quiet" onClick={onDone}>
          Leave it
        </Button>
      </div>
    </div>
  );
}

/** The numbers of a way. */
function Numbers({
  draft: { way, by, low, high, shoulder, level },
  locked,
  set,
}: {
  draft: RangeDraft;
  locked: boolean;
  set: (part: Partial<RangeDraft>) => void;
}) {
  switch (way) {
    case 'shift':
      return <Metres label="By" name="Shift by" value={by} min={-9_000} onChange={(to) => set({ by: to })} />;
    case 'stretch':
    case 'fit':
    case 'clip': {
      const [under, over] = way === 'clip' ? ['Not under', 'Not over'] : ['Lowest to', 'Highest to'];
      return (
        <>
          <Metres label={under} value={low} onChange={(to) => set({ low: to })} />
          <Metres label={over} value={high} onChange={(to) => set({ high: to })} />
          {way === 'clip' && <Metres label="Shoulder" value={shoulder} min={0} max={2_000} onChange={(to) => set({ shoulder: to })} />}
        </>
      );
    }
    case 'sea':
      return (
        <>
          <Metres
            label={locked ? 'Shore at' : 'Sea to'}
            help={locked ? 'The height of the land that is to become the shore.' : undefined}
            value={level}
            onChange={(to) => set({ level: to })}
          />
          <Row label="Sea is locked" help="It stays where the receiver has it; the land moves. The flag on the staff does so too.">
            <Switch label="Sea is locked" on={locked} onChange={(on) => useTerrain.setState({ seaLocked: on })} />
          </Row>
        </>
      );
  }
}

interface MetresProps {
  label: string;
  /** What the field is called where its label says too little. */
  name?: string;
  help?: string;
  value: number;
  min?: number;
  max?: number;
  onChange: (metres: number) => void;
}

function Metres({ label, name = label, help, value, min = -11_000, max = 9_000, onChange }: MetresProps) {
  return (
    <Row label={label} help={help}>
      <NumberField label={name} unit="m" value={value} min={min} max={max} step={0.1} onChange={onChange} />
    </Row>
  );
}
