import { useRef, useState } from 'react';
import { Button } from '../../../components/controls';
import { figure } from '../../../components/format';
import { useElementSize } from '../../../components/use-element-size';
import type { Picture } from '../../../engine/api';
import { useTerrain } from '../../../store/state';
import { Ask } from './Ask';
import { RangePanel, WaterLine } from './RangePanel';
import { scaleOf, WIDTH, type Scale } from './scale';
import { useDragging, type At, type Ends, type Flag, type FlagHandlers } from './dragging';
import css from './Staff.module.css';

/**
 * The elevation rule: graduated blocks in metres with the ground's histogram against them, and
 * flags for lowest, highest and sea. The sea is dragged; the ends of the range are dragged too,
 * and then it is asked whether everything shifts or the range stretches.
 */
export function Staff() {
  const picture = useTerrain((s) => s.picture);
  const [{ height: size }, measure] = useElementSize({ width: 0, height: 500 });
  return (
    <aside className={css.staff} ref={measure} aria-label="Elevation">
      {picture && <Graduated picture={picture} size={size} />}
    </aside>
  );
}

function Graduated({ picture, size }: { picture: Picture; size: number }) {
  const sea = useTerrain((s) => s.course!.ground.sea);
  const cursor = useTerrain((s) => s.cursor?.elevation);
  const readOnly = useTerrain((s) => s.readOnly);
  const locked = useTerrain((s) => s.seaLocked);
  const [ranging, setRanging] = useState(false);
  const [asked, setAsked] = useState<At | null>(null);
  const box = useRef<SVGSVGElement>(null);
  const { lowest, highest, mean } = picture.statistics;
  const ends: Ends = { lowest, highest, sea };
  const scale = scaleOf(picture, sea, size);
  const valueAt = (clientY: number) => scale.elevationAt(clientY - box.current!.getBoundingClientRect().top);
  const { drag, handlers } = useDragging({ ends, locked, readOnly, asked, onAsk: setAsked, valueAt });
  const flag = (kind: Flag, label: string) => (
    <FlagMark kind={kind} label={label} shown={drag?.flag === kind ? drag.value : ends[kind]} scale={scale} handlers={handlers(kind)} />
  );
  const beside = (value: number, above: number, room: number) => Math.min(size - room, Math.max(8, scale.y(value) - above));
  return (
    <>
      <svg ref={box} width={WIDTH} height={size}>
        <text className={css.head} x="8" y="18">
          metres
        </text>
        <Rule scale={scale} drowned={sea > lowest ? sea : null} />
        {cursor !== undefined && !Number.isNaN(cursor) && (
          <g transform={`translate(0 ${scale.y(cursor)})`} className={css.cursor}>
            <line x1="0" x2={WIDTH} y1="0" y2="0" />
            <circle cx="4" cy="0" r="3.500" />
          </g>
        )}
        {flag('highest', 'Highest')}
        {flag('lowest', 'Lowest')}
        {scale.seaNear && flag('sea', 'Sea level')}
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
      {drag && <Live drag={drag} ends={ends} locked={locked} top={beside(drag.value, 24, 60)} />}
      {asked && <Ask asked={asked} lowest={lowest} highest={highest} top={beside(asked.value, 70, 170)} onDone={() => setAsked(null)} />}
    </>
  );
}

/** Blocks, marks and the histogram; what lies under the sea in its colour. */
function Rule({ scale: { y, top, height, high, interval, marks, outline }, drowned }: { scale: Scale; drowned: number | null }) {
  return (
    <>
      {marks.map((m) => (
        <rect
          key={m}
          className={css.block}
          x="8"
          width="16"
          y={Math.max(top, y(m + interval / 2))}
          height={Math.max(0, y(m) - Math.max(top, y(m + interval / 2)))}
        />
      ))}
      <rect className={css.rule} x="8" y={top} width="16" height={height} />
      <path className={css.histogram} d={outline} />
      {drowned !== null && (
        <>
          <clipPath id="staff-water">
            <rect x="34" width="60" y={y(Math.min(drowned, high))} height={Math.max(0, top + height - y(drowned))} />
          </clipPath>
          <path className={css.drowned} clipPath="url(#staff-water)" d={outline} />
        </>
      )}
      {marks.map((m) => (
        <text key={m} className={css.mark} x="32" y={y(m) + 4}>
          {figure(m, 0)}
        </text>
      ))}
    </>
  );
}

interface FlagProps {
  kind: Flag;
  label: string;
  /** Where it stands, or is dragged to. */
  shown: number;
  scale: Scale;
  handlers: FlagHandlers;
}

function FlagMark({ kind, label, shown, scale: { y, low, high }, handlers }: FlagProps) {
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
      {...handlers}
    >
      <title>{`${label}: ${shown.toFixed(1)} m. Drag it.`}</title>
      <line x1="8" x2={WIDTH} y1="0" y2="0" />
      <rect x="38" y={kind === 'lowest' ? 1 : -17} width="52" height="16" rx="2" />
      <text x="86" y={kind === 'lowest' ? 13 : -5} textAnchor="end">
        {figure(shown, 1)}
      </text>
    </g>
  );
}

/** What a flag that is held would come to. */
function Live({ drag: { flag, value }, ends, locked, top }: { drag: At; ends: Ends; locked: boolean; top: number }) {
  const moved = ends.sea - value;
  const words =
    flag !== 'sea'
      ? `${flag === 'highest' ? 'Highest' : 'Lowest'} to ${figure(value, 1)} m; if the land is shifted:`
      : locked
        ? `The land moves by ${moved < 0 ? '−' : '+'}${figure(Math.abs(moved), 1)} m`
        : `Sea at ${figure(value, 1)} m`;
  return (
    <div className={css.live} style={{ top }}>
      <b>{words}</b>
      <WaterLine level={flag === 'sea' ? value : ends.sea - (value - ends[flag])} />
    </div>
  );
}
