import { useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { CurvePoint } from '@upland-cast/core';
import { NumberField } from '../../../components/controls';
import { useTerrain } from '../../../store/state';
import { HEIGHT, nudged, PAD, pathOf, plotOf, WIDTH, withOneMore, withPoint, type CurvePlot } from './curve-plot';
import css from './CurveEditor.module.css';

export type { CurvePoint };

interface Props {
  points: CurvePoint[];
  disabled: boolean;
  onChange: (points: CurvePoint[], gesture?: boolean) => void;
  onDone: () => void;
}

/**
 * The height curve: what lies at an elevation (across) goes to another (up), with the ground's
 * histogram behind it. Points are dragged, or moved by the arrow keys; a click on the curve puts
 * one in.
 */
export function CurveEditor({ points, disabled, onChange, onDone }: Props) {
  const picture = useTerrain((s) => s.picture);
  const box = useRef<SVGSVGElement>(null);
  const [selected, setSelected] = useState(0);
  const [dragging, setDragging] = useState<number | null>(null);
  const sorted = [...points].sort((a, b) => a.from - b.from);
  const plot = plotOf(sorted, picture?.statistics);
  const { x, y, low, high, step } = plot;
  const at = (event: PointerEvent): CurvePoint => {
    const rect = box.current!.getBoundingClientRect();
    return plot.at((event.clientX - rect.left - PAD) / (rect.width - 2 * PAD), (rect.bottom - PAD - event.clientY) / (rect.height - 2 * PAD));
  };
  const put = (index: number, point: CurvePoint, gesture: boolean) => onChange(withPoint(sorted, index, point, step), gesture);
  const putIn = (event: PointerEvent) => {
    if (disabled || event.target !== box.current) return;
    const point = at(event);
    if (sorted.some((p) => Math.abs(p.from - point.from) < step)) return;
    onChange([...sorted, point].sort((a, b) => a.from - b.from));
    setSelected(sorted.filter((p) => p.from < point.from).length);
  };
  const chosen = sorted[selected];
  return (
    <div className={css.editor}>
      <svg
        ref={box}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className={css.plot}
        aria-label="Height curve"
        onPointerDown={putIn}
        onPointerMove={(event) => dragging !== null && put(dragging, at(event), true)}
        onPointerUp={() => {
          setDragging(null);
          onDone();
        }}
      >
        {picture && <Histogram x={x} floor={HEIGHT - PAD} />}
        <path className={css.even} d={`M${x(low)} ${y(low)}L${x(high)} ${y(high)}`} />
        <path className={css.curve} d={pathOf(sorted, plot)} />
        <Points
          sorted={sorted}
          plot={plot}
          selected={selected}
          disabled={disabled}
          onSelect={setSelected}
          onHold={(i, pointer) => {
            box.current!.setPointerCapture(pointer);
            setDragging(i);
          }}
          onChange={onChange}
        />
      </svg>
      {chosen && <Fields point={chosen} disabled={disabled} onChange={(point) => put(selected, point, false)} />}
      <p className={css.hint}>Click to put a point in, double-click or Delete to take it away.</p>
    </div>
  );
}

interface PointsProps extends Pick<Props, 'disabled' | 'onChange'> {
  sorted: CurvePoint[];
  plot: CurvePlot;
  selected: number;
  onSelect: (index: number) => void;
  onHold: (index: number, pointer: number) => void;
}

function Points({ sorted, plot: { x, y, step }, selected, disabled, onSelect, onHold, onChange }: PointsProps) {
  const remove = (index: number) => {
    if (sorted.length <= 2) return;
    onChange(sorted.filter((_, i) => i !== index));
    onSelect(Math.max(0, index - 1));
  };
  const onKey = (i: number) => (event: KeyboardEvent) => {
    const moved = nudged(sorted[i], event.key, step * (event.shiftKey ? 10 : 1));
    if (moved) onChange(withPoint(sorted, i, moved, step), true);
    else if (event.key === 'Delete') remove(i);
    else if (event.key === 'Insert') {
      onChange(withOneMore(sorted, i, step));
      onSelect(i + 1);
    } else return;
    event.preventDefault();
  };
  return sorted.map((p, i) => (
    <circle
      key={i}
      className={i === selected ? css.chosen : css.point}
      cx={x(p.from)}
      cy={y(p.to)}
      r={5}
      role="slider"
      tabIndex={disabled ? -1 : 0}
      aria-label={`Point ${i + 1}`}
      aria-valuenow={p.to}
      aria-valuetext={`${p.from.toFixed(0)} m goes to ${p.to.toFixed(0)} m`}
      onFocus={() => onSelect(i)}
      onPointerDown={(event) => {
        if (disabled) return;
        onSelect(i);
        onHold(i, event.pointerId);
      }}
      onKeyDown={onKey(i)}
      onDoubleClick={() => remove(i)}
    />
  ));
}

/** The point that is chosen, in numbers. */
function Fields({ point, disabled, onChange }: { point: CurvePoint; disabled: boolean; onChange: (point: CurvePoint) => void }) {
  const field = (label: string, value: number, change: (value: number) => void) => (
    <NumberField label={label} value={value} unit="m" min={-20_000} max={20_000} step={0.1} disabled={disabled} onChange={change} />
  );
  return (
    <div className={css.fields}>
      <span>What lies at</span>
      {field('Elevation', point.from, (from) => onChange({ ...point, from }))}
      <span>goes to</span>
      {field('Goes to', point.to, (to) => onChange({ ...point, to }))}
    </div>
  );
}

function Histogram({ x, floor }: { x: (h: number) => number; floor: number }) {
  const { counts, from, to } = useTerrain((s) => s.picture!.histogram);
  const most = Math.max(1, ...counts);
  const bin = (to - from) / counts.length;
  const d = Array.from(counts, (n, i) => `L${x(from + i * bin).toFixed(1)} ${(floor - 60 * Math.sqrt(n / most)).toFixed(1)}`).join('');
  return <path className={css.histogram} d={`M${x(from).toFixed(1)} ${floor}${d}L${x(to).toFixed(1)} ${floor}Z`} />;
}
