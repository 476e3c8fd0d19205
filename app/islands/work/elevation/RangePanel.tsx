import { useState } from 'react';
import { clipWords, rangeWords, stepUse, type StepUse } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Switch } from '../../../components/controls';
import { figure } from '../../../components/format';
import { engine } from '../../../engine/client';
import { select } from '../../../store/course';
import { change } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import { useEngineQuery } from '../../../components/use-engine-query';
import css from './Staff.module.css';

type Way = 'shift' | 'stretch' | 'fit' | 'clip' | 'sea';
const WAYS: Record<Way, string> = { shift: 'Shift', stretch: 'Stretch', fit: 'Fit', clip: 'Clip', sea: 'Sea' };
const round = (v: number) => Math.round(v * 10) / 10;

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
  const counts = useTerrain((s) => s.picture!.histogram);
  const sea = useTerrain((s) => s.course!.ground.sea);
  const locked = useTerrain((s) => s.seaLocked);
  const [way, setWay] = useState<Way>('shift');
  const [by, setBy] = useState(0);
  const [low, setLow] = useState(round(lowest));
  const [high, setHigh] = useState(round(highest));
  const [shoulder, setShoulder] = useState(10);
  const [level, setLevel] = useState(sea);

  const beyond = () => {
    const bin = (counts.to - counts.from) / counts.counts.length;
    let [out, all] = [0, 0];
    counts.counts.forEach((n, i) => {
      const middle = counts.from + (i + 0.5) * bin;
      all += n;
      if (middle < low || middle > high) out += n;
    });
    return all ? out / all : 0;
  };
  const from = { low: round(lowest), high: round(highest) };
  const words: Record<Way, string> = {
    shift: rangeWords(from, { low: from.low + by, high: from.high + by }),
    stretch: rangeWords(from, { low, high }),
    fit: `${rangeWords(from, { low, high })} Whatever comes before it, the range will be this one.`,
    clip: low < high ? clipWords({ low, high }, shoulder, beyond()) : 'The lower bound lies above the upper one.',
    sea: locked
      ? `The sea stays at ${figure(sea, 1)} m: the land moves by ${sea - level < 0 ? '−' : '+'}${figure(Math.abs(sea - level), 1)} m, and its form stays.`
      : `The sea goes to ${figure(level, 1)} m; the land stays where it is.`,
  };
  const fault = way === 'shift' || way === 'sea' ? null : low < high ? null : 'The upper end has to lie above the lower one.';
  const add = (use: StepUse) => {
    change(WAYS[way], (course) => void course.stem.push(use));
    select(use.id);
  };
  const apply = () => {
    if (way === 'shift') add(stepUse('shift', { by }));
    else if (way === 'stretch') add(stepUse('stretch', { fromLow: from.low, toLow: low, fromHigh: from.high, toHigh: high }));
    else if (way === 'fit') add(stepUse('fit', { low, high }));
    else if (way === 'clip') add(stepUse('clamp', { low, high, shoulder }));
    else if (locked) add(stepUse('shift', { by: round(sea - level) }));
    else change('Set the sea', (course) => void (course.ground.sea = level));
    onDone();
  };
  // The level of the water line on the ground as it is now.
  const line =
    way === 'sea'
      ? level
      : way === 'shift'
        ? sea - by
        : way === 'clip'
          ? sea
          : low < high
            ? from.low + ((sea - low) * (from.high - from.low)) / (high - low)
            : sea;
  return (
    <div className={css.range} role="dialog" aria-label="Range" onKeyDown={(event) => event.key === 'Escape' && onDone()}>
      <Segments label="Way" value={way} choices={WAYS} onChange={setWay} />
      {way === 'shift' && (
        <Row label="By">
          <NumberField label="Shift by" unit="m" value={by} min={-9_000} max={9_000} step={0.1} onChange={setBy} />
        </Row>
      )}
      {(way === 'stretch' || way === 'fit' || way === 'clip') && (
        <>
          <Row label={way === 'clip' ? 'Not under' : 'Lowest to'}>
            <NumberField label={way === 'clip' ? 'Not under' : 'Lowest to'} unit="m" value={low} min={-11_000} max={9_000} step={0.1} onChange={setLow} />
          </Row>
          <Row label={way === 'clip' ? 'Not over' : 'Highest to'}>
            <NumberField label={way === 'clip' ? 'Not over' : 'Highest to'} unit="m" value={high} min={-11_000} max={9_000} step={0.1} onChange={setHigh} />
          </Row>
        </>
      )}
      {way === 'clip' && (
        <Row label="Shoulder">
          <NumberField label="Shoulder" unit="m" value={shoulder} min={0} max={2_000} step={0.1} onChange={setShoulder} />
        </Row>
      )}
      {way === 'sea' && (
        <>
          <Row label={locked ? 'Shore at' : 'Sea to'} help={locked ? 'The height of the land that is to become the shore.' : undefined}>
            <NumberField label={locked ? 'Shore at' : 'Sea to'} unit="m" value={level} min={-11_000} max={9_000} step={0.1} onChange={setLevel} />
          </Row>
          <Row label="Sea is locked" help="It stays where the receiver has it; the land moves. The flag on the staff does so too.">
            <Switch label="Sea is locked" on={locked} onChange={(on) => useTerrain.setState({ seaLocked: on })} />
          </Row>
        </>
      )}
      <p className={css.words} role="status">
        {fault ?? words[way]}
      </p>
      <WaterLine level={line} />
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
