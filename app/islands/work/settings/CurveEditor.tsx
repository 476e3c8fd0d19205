import { useRef, useState } from 'react';
import { monotoneCurve, type CurvePoint } from '@upland-cast/core';
import { NumberField } from '../../../components/controls';
import { useTerrain } from '../../../store/state';
import css from './CurveEditor.module.css';

export type { CurvePoint };

const WIDTH = 276;
const HEIGHT = 190;
const PAD = { left: 6, right: 6, top: 6, bottom: 6 };

/**
 * The height curve: what lies at an elevation (across) goes to another (up), with the ground's
 * histogram behind it. Points are dragged, or moved by the arrow keys; a click on the curve puts
 * one in.
 */
export function CurveEditor({
  points,
  disabled,
  onChange,
  onDone,
}: {
  points: CurvePoint[];
  disabled: boolean;
  onChange: (points: CurvePoint[], gesture?: boolean) => void;
  onDone: () => void;
}) {
  const picture = useTerrain((s) => s.picture);
  const box = useRef<SVGSVGElement>(null);
  const [selected, setSelected] = useState(0);
  const [dragging, setDragging] = useState<number | null>(null);
  const sorted = [...points].sort((a, b) => a.from - b.from);
  const all = sorted.flatMap((p) => [p.from, p.to]).concat(picture ? [picture.statistics.lowest, picture.statistics.highest] : []);
  const span = Math.max(1, Math.max(...all) - Math.min(...all));
  const [low, high] = [Math.min(...all) - span * 0.05, Math.max(...all) + span * 0.05];
  const x = (h: number) => PAD.left + ((h - low) / (high - low)) * (WIDTH - PAD.left - PAD.right);
  const y = (h: number) => HEIGHT - PAD.bottom - ((h - low) / (high - low)) * (HEIGHT - PAD.top - PAD.bottom);
  const step = Math.max(0.1, Math.round((high - low) / 400));
  const snapped = (h: number) => Math.round(h / step) * step;
  const at = (event: React.PointerEvent | React.MouseEvent): CurvePoint => {
    const rect = box.current!.getBoundingClientRect();
    const from = low + ((event.clientX - rect.left - PAD.left) / (rect.width - PAD.left - PAD.right)) * (high - low);
    const to = low + ((rect.bottom - PAD.bottom - event.clientY) / (rect.height - PAD.top - PAD.bottom)) * (high - low);
    return { from: Number(snapped(from).toFixed(1)), to: Number(snapped(to).toFixed(1)) };
  };
  const put = (index: number, point: CurvePoint, gesture: boolean) => {
    const before = sorted[index - 1]?.from ?? -Infinity;
    const after = sorted[index + 1]?.from ?? Infinity;
    const from = Math.min(after - step, Math.max(before + step, point.from));
    onChange(
      sorted.map((p, i) => (i === index ? { from, to: point.to } : p)),
      gesture,
    );
  };
  const remove = (index: number) => {
    if (sorted.length <= 2) return;
    onChange(sorted.filter((_, i) => i !== index));
    setSelected(Math.max(0, index - 1));
  };
  let path = '';
  if (sorted.length >= 2) {
    const curve = monotoneCurve(sorted);
    for (let i = 0; i <= 92; i++) {
      const h = low + (i / 92) * (high - low);
      path += `${i ? 'L' : 'M'}${x(h).toFixed(1)} ${Math.min(HEIGHT, Math.max(0, y(curve(h)))).toFixed(1)}`;
    }
  }
  const chosen = sorted[selected];
  return (
    <div className={css.editor}>
      <svg
        ref={box}
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className={css.plot}
        aria-label="Height curve"
        onPointerDown={(event) => {
          if (disabled || event.target !== box.current) return;
          const point = at(event);
          if (sorted.some((p) => Math.abs(p.from - point.from) < step)) return;
          onChange([...sorted, point].sort((a, b) => a.from - b.from));
          setSelected(sorted.filter((p) => p.from < point.from).length);
        }}
        onPointerMove={(event) => dragging !== null && put(dragging, at(event), true)}
        onPointerUp={() => {
          setDragging(null);
          onDone();
        }}
      >
        {picture && <Histogram x={x} floor={HEIGHT - PAD.bottom} />}
        <path className={css.even} d={`M${x(low)} ${y(low)}L${x(high)} ${y(high)}`} />
        <path className={css.curve} d={path} />
        {sorted.map((p, i) => (
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
            onFocus={() => setSelected(i)}
            onPointerDown={(event) => {
              if (disabled) return;
              box.current!.setPointerCapture(event.pointerId);
              setSelected(i);
              setDragging(i);
            }}
            onKeyDown={(event) => {
              const by = step * (event.shiftKey ? 10 : 1);
              const moves: Record<string, CurvePoint> = {
                ArrowUp: { from: p.from, to: p.to + by },
                ArrowDown: { from: p.from, to: p.to - by },
                ArrowLeft: { from: p.from - by, to: p.to },
                ArrowRight: { from: p.from + by, to: p.to },
              };
              if (moves[event.key]) put(i, moves[event.key], true);
              else if (event.key === 'Delete') remove(i);
              else if (event.key === 'Insert') {
                const next = sorted[i + 1] ?? { from: p.from + 20 * step, to: p.to + 20 * step };
                onChange([...sorted.slice(0, i + 1), { from: (p.from + next.from) / 2, to: (p.to + next.to) / 2 }, ...sorted.slice(i + 1)]);
                setSelected(i + 1);
              } else return;
              event.preventDefault();
            }}
            onDoubleClick={() => remove(i)}
          />
        ))}
      </svg>
      {chosen && (
        <div className={css.fields}>
          <span>What lies at</span>
          <NumberField
            label="Elevation"
            value={chosen.from}
            unit="m"
            min={-20_000}
            max={20_000}
            step={0.1}
            disabled={disabled}
            onChange={(from) => put(selected, { ...chosen, from }, false)}
          />
          <span>goes to</span>
          <NumberField
            label="Goes to"
            value={chosen.to}
            unit="m"
            min={-20_000}
            max={20_000}
            step={0.1}
            disabled={disabled}
            onChange={(to) => put(selected, { ...chosen, to }, false)}
          />
        </div>
      )}
      <p className={css.hint}>Click to put a point in, double-click or Delete to take it away.</p>
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
