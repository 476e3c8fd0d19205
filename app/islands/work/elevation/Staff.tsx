import { useRef, useState } from 'react';
import { rangeWords, stepUse } from '@upland-cast/core';
import { Button } from '../../../components/controls';
import { figure } from '../../../components/format';
import { roundInterval } from '../../../drawing/ramp';
import { select } from '../../../store/course';
import { change, endGesture } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import { RangePanel, WaterLine } from './RangePanel';
import { useElementSize } from '../../../components/use-element-size';
import css from './Staff.module.css';

const TOP = 34;
const BOTTOM = 98;
const WIDTH = 92;

type Flag = 'sea' | 'highest' | 'lowest';

/**
 * The elevation rule: graduated blocks in metres with the ground's histogram against them, and
 * flags for lowest, highest and sea. The sea is dragged; the ends of the range are dragged too,
 * and then it is asked whether everything shifts or the range stretches.
 */
export function Staff() {
  const picture = useTerrain((s) => s.picture);
  const sea = useTerrain((s) => s.course!.ground.sea);
  const cursor = useTerrain((s) => s.cursor?.elevation);
  const readOnly = useTerrain((s) => s.readOnly);
  const locked = useTerrain((s) => s.seaLocked);
  const [ranging, setRanging] = useState(false);
  const box = useRef<SVGSVGElement>(null);
  const [{ height: size }, measure] = useElementSize({ width: 0, height: 500 });
  const [drag, setDrag] = useState<{ flag: Flag; value: number } | null>(null);
  const [asked, setAsked] = useState<{ flag: Flag; value: number } | null>(null);
  if (!picture) return <aside className={css.staff} ref={measure} aria-label="Elevation" />;
  const { lowest, highest, mean } = picture.statistics;
  const span = Math.max(1, highest - lowest);
  const seaNear = sea > lowest - span * 0.6 && sea < highest + span * 0.6;
  const low = Math.min(lowest, seaNear ? sea : lowest) - span * 0.06;
  const high = Math.max(highest, seaNear ? sea : highest) + span * 0.06;
  const height = Math.max(60, size - TOP - BOTTOM);
  const y = (elevation: number) => TOP + ((high - elevation) / (high - low)) * height;
  const interval = roundInterval(high - low, Math.max(4, height / 56));
  const marks: number[] = [];
  for (let m = Math.ceil(low / interval) * interval; m <= high; m += interval) marks.push(m);
  const most = Math.max(...picture.histogram.counts, 1);
  const bin = (picture.histogram.to - picture.histogram.from) / picture.histogram.counts.length;
  const outline = Array.from(picture.histogram.counts, (count, i) => {
    const from = picture.histogram.from + i * bin;
    const x = 34 + 52 * Math.sqrt(count / most);
    return `L${x.toFixed(1)} ${y(from).toFixed(1)}L${x.toFixed(1)} ${y(from + bin).toFixed(1)}`;
  }).join('');

  const valueAt = (clientY: number) => {
    const rect = box.current!.getBoundingClientRect();
    const raw = high - ((clientY - rect.top - TOP) / height) * (high - low);
    return Math.round(raw * 10) / 10;
  };
  const start = (flag: Flag) => (event: React.PointerEvent) => {
    if (readOnly) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    setDrag({ flag, value: flag === 'sea' ? sea : flag === 'highest' ? highest : lowest });
  };
  const move = (event: React.PointerEvent) => {
    if (!drag) return;
    const value = valueAt(event.clientY);
    setDrag({ ...drag, value });
    if (drag.flag === 'sea' && !locked) setSea(value);
  };
  const stop = () => {
    if (!drag) return;
    if (drag.flag === 'sea') {
      if (!locked) endGesture();
      else if (Math.abs(drag.value - sea) > 0.05) moveLand(sea - drag.value);
    }
    if (drag.flag !== 'sea' && Math.abs(drag.value - (drag.flag === 'highest' ? highest : lowest)) > 0.05) setAsked(drag);
    setDrag(null);
  };
  const nudge = (flag: Flag, value: number) => (event: React.KeyboardEvent) => {
    const by = (event.key === 'ArrowUp' ? 1 : event.key === 'ArrowDown' ? -1 : 0) * (event.shiftKey ? 10 : 1);
    if (!by || readOnly) return;
    event.preventDefault();
    if (flag === 'sea') {
      if (locked) moveLand(-by);
      else setSea(Math.round((value + by) * 10) / 10);
    }
    if (flag !== 'sea') setAsked({ flag, value: Math.round(((asked?.flag === flag ? asked.value : value) + by) * 10) / 10 });
  };
  const flag = (kind: Flag, label: string, value: number) => {
    const shown = drag?.flag === kind ? drag.value : value;
    return (
      <g
        className={`${css.flag} ${css[kind]}`}
        transform={`translate(0 ${y(shown)})`}
        role="slider"
        tabIndex={0}
        aria-label={label}
        aria-orientation="vertical"
        aria-valuenow={shown}
        aria-valuemin={low}
        aria-valuemax={high}
        aria-valuetext={`${shown.toFixed(1)} m`}
        onPointerDown={start(kind)}
        onPointerMove={move}
        onPointerUp={stop}
        onPointerCancel={() => setDrag(null)}
        onKeyDown={nudge(kind, value)}
      >
        <title>{`${label}: ${shown.toFixed(1)} m. Drag it.`}</title>
        <line x1="8" x2={WIDTH} y1="0" y2="0" />
        <rect x="38" y={kind === 'lowest' ? 1 : -17} width="52" height="16" rx="2" />
        <text x="86" y={kind === 'lowest' ? 13 : -5} textAnchor="end">
          {figure(shown, 1)}
        </text>
      </g>
    );
  };

  return (
    <aside className={css.staff} ref={measure} aria-label="Elevation">
      <svg ref={box} width={WIDTH} height={size}>
        <text className={css.head} x="8" y="18">
          metres
        </text>
        {marks.map((m) => (
          <rect
            key={m}
            className={css.block}
            x="8"
            width="16"
            y={Math.max(TOP, y(m + interval / 2))}
            height={Math.max(0, y(m) - Math.max(TOP, y(m + interval / 2)))}
          />
        ))}
        <rect className={css.rule} x="8" y={TOP} width="16" height={height} />
        <path className={css.histogram} d={`M34 ${y(picture.histogram.from).toFixed(1)}${outline}L34 ${y(picture.histogram.to).toFixed(1)}Z`} />
        {sea > lowest && (
          <clipPath id="staff-water">
            <rect x="34" width="60" y={y(Math.min(sea, high))} height={Math.max(0, TOP + height - y(sea))} />
          </clipPath>
        )}
        {sea > lowest && (
          <path
            className={css.drowned}
            clipPath="url(#staff-water)"
            d={`M34 ${y(picture.histogram.from).toFixed(1)}${outline}L34 ${y(picture.histogram.to).toFixed(1)}Z`}
          />
        )}
        {marks.map((m) => (
          <text key={m} className={css.mark} x="32" y={y(m) + 4}>
            {figure(m, 0)}
          </text>
        ))}
        {cursor !== undefined && !Number.isNaN(cursor) && (
          <g transform={`translate(0 ${y(cursor)})`} className={css.cursor}>
            <line x1="0" x2={WIDTH} y1="0" y2="0" />
            <circle cx="4" cy="0" r="3.500" />
          </g>
        )}
        {flag('highest', 'Highest', highest)}
        {flag('lowest', 'Lowest', lowest)}
        {seaNear && flag('sea', 'Sea level', sea)}
        <text className={css.foot} x="8" y={size - 34}>
          mean {figure(mean, 0)}
        </text>
        <text className={css.foot} x="8" y={size - 18}>
          {figure(picture.shareUnderWater * 100, 1)} % water
        </text>
      </svg>
      <Button className={css.rangeButton} disabled={readOnly} aria-expanded={ranging} onClick={() => setRanging(!ranging)}>
        Range …
      </Button>
      {ranging && <RangePanel onDone={() => setRanging(false)} />}
      {drag && drag.flag !== 'sea' && (
        <div className={css.live} style={{ top: Math.min(size - 60, Math.max(8, y(drag.value) - 24)) }}>
          <b>
            {drag.flag === 'highest' ? 'Highest' : 'Lowest'} to {figure(drag.value, 1)} m; if the land is shifted:
          </b>
          <WaterLine level={sea - (drag.value - (drag.flag === 'highest' ? highest : lowest))} />
        </div>
      )}
      {drag?.flag === 'sea' && (
        <div className={css.live} style={{ top: Math.min(size - 60, Math.max(8, y(drag.value) - 24)) }}>
          <b>
            {locked ? `The land moves by ${sea - drag.value < 0 ? '−' : '+'}${figure(Math.abs(sea - drag.value), 1)} m` : `Sea at ${figure(drag.value, 1)} m`}
          </b>
          <WaterLine level={drag.value} />
        </div>
      )}
      {asked && (
        <Ask asked={asked} lowest={lowest} highest={highest} top={Math.min(size - 170, Math.max(8, y(asked.value) - 70))} onDone={() => setAsked(null)} />
      )}
    </aside>
  );
}

/** Moves the land and leaves the sea: goes on with the shift that stands at the end, or adds one. */
function moveLand(by: number): void {
  const distance = Math.round(by * 10) / 10;
  change('Move the land', (course) => {
    const last = course.stem[course.stem.length - 1];
    if (last?.step === 'shift' && last.on && last.strength === 1) last.params.by = Math.round((Number(last.params.by ?? 0) + distance) * 10) / 10;
    else course.stem.push(stepUse('shift', { by: distance }));
  });
}

function setSea(value: number): void {
  change('Set the sea', (course) => void (course.ground.sea = value), 'sea');
}

/** After an end of the range was dragged: shift or stretch, said in words and numbers before it is done. */
function Ask({
  asked,
  lowest,
  highest,
  top,
  onDone,
}: {
  asked: { flag: Flag; value: number };
  lowest: number;
  highest: number;
  top: number;
  onDone: () => void;
}) {
  const sea = useTerrain((s) => s.course!.ground.sea);
  const isHigh = asked.flag === 'highest';
  const by = Math.round((asked.value - (isHigh ? highest : lowest)) * 10) / 10;
  const factor = (isHigh ? asked.value - lowest : highest - asked.value) / (highest - lowest);
  const round = (v: number) => Math.round(v * 10) / 10;
  const addRange = (step: 'shift' | 'stretch', params: Record<string, unknown>) => {
    const use = stepUse(step, params);
    change(step === 'shift' ? 'Shift' : 'Stretch', (course) => {
      const last = course.stem[course.stem.length - 1];
      // A second drag goes on with the shift that the first one made.
      if (step === 'shift' && last?.step === 'shift' && last.on && last.strength === 1) last.params.by = round(Number(last.params.by ?? 0) + by);
      else course.stem.push(use);
    });
    const { course } = useTerrain.getState();
    select(course!.stem[course!.stem.length - 1].id);
    onDone();
  };
  return (
    <div className={css.ask} style={{ top }} role="dialog" aria-label="Shift or stretch" onKeyDown={(event) => event.key === 'Escape' && onDone()}>
      <p>
        {isHigh ? 'Highest' : 'Lowest'} to <b className="number">{figure(asked.value, 1)} m</b>
      </p>
      <Button autoFocus onClick={() => addRange('shift', { by })}>
        Shift
      </Button>
      <span>{rangeWords({ low: lowest, high: highest }, { low: lowest + by, high: highest + by })}</span>
      <Button
        disabled={!(factor > 0)}
        onClick={() =>
          addRange('stretch', {
            fromLow: round(lowest),
            toLow: isHigh ? round(lowest) : asked.value,
            fromHigh: round(highest),
            toHigh: isHigh ? asked.value : round(highest),
          })
        }
      >
        Stretch
      </Button>
      <span>{rangeWords({ low: lowest, high: highest }, isHigh ? { low: lowest, high: asked.value } : { low: asked.value, high: highest })}</span>
      <div className={css.askWater}>
        <span>Shifted:</span>
        <WaterLine level={sea - by} />
        {factor > 0 && (
          <>
            <span>Stretched:</span>
            <WaterLine level={isHigh ? lowest + (sea - lowest) / factor : highest - (highest - sea) / factor} />
          </>
        )}
      </div>
      <Button look="quiet" onClick={onDone}>
        Leave it
      </Button>
    </div>
  );
}
