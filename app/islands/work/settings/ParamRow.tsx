import { Dices, PencilLine, Plus, Trash2 } from 'lucide-react';
import type { ParamMeta } from '@upland-cast/core';
import { Button, NumberField, Row, Select } from '../../../components/controls';
import { SettingRow } from '../../../components/SettingRow';
import type { TakenIn } from '../../../engine/api';
import { endGesture } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import { drawLine } from '../../../store/course';
import { AssetRow } from './AssetRow';
import { CurveEditor, type CurvePoint } from './CurveEditor';
import css from './Settings.module.css';

/** How a setting is set: one call a change; those of one gesture are undone together. */
export interface Setter {
  set(value: unknown, gesture?: boolean): void;
  /** A tributary of its own for a setting that reads one. */
  newTributary?(): void;
  /** Another seed. */
  roll?(): void;
  /** Another file; says what was done beside taking it. */
  takeFile?(file: TakenIn): string | undefined;
}

/** One setting of a step or a mask, made from what its schema says of it. */
export function ParamRow({ meta, value, disabled, set, newTributary, roll, takeFile }: { meta: ParamMeta; value: unknown; disabled: boolean } & Setter) {
  switch (meta.kind) {
    case 'seed':
      return (
        <Row label={meta.label} help={meta.help}>
          <span className={css.roll}>
            <NumberField
              label={meta.label}
              value={Number(value)}
              min={0}
              max={0xffffffff}
              disabled={disabled}
              onChange={(v) => set(v, true)}
              onDone={endGesture}
            />
            <Button disabled={disabled} onClick={() => (roll ? roll() : set(crypto.getRandomValues(new Uint32Array(1))[0] % 1_000_000))}>
              <Dices size={14} /> Re-roll
            </Button>
          </span>
        </Row>
      );
    case 'asset':
      return <AssetRow meta={meta} sha={String(value)} disabled={disabled} set={set} takeFile={takeFile} />;
    case 'tributary':
      return <TributaryRow meta={meta} value={String(value)} disabled={disabled} set={set} newTributary={newTributary} />;
    case 'curve':
      return <CurveEditor points={value as CurvePoint[]} disabled={disabled} onChange={(points, gesture) => set(points, gesture)} onDone={endGesture} />;
    case 'line':
      return <LineRow meta={meta} points={value as { east: number; south: number }[]} disabled={disabled} set={set} />;
    default:
      return <SettingRow meta={meta} value={value} disabled={disabled} onChange={set} onDone={endGesture} />;
  }
}

function TributaryRow({ meta, value, disabled, set, newTributary }: { meta: ParamMeta; value: string; disabled: boolean } & Setter) {
  const tributaries = useTerrain((s) => s.course!.tributaries);
  return (
    <Row label={meta.label} help={meta.help}>
      <span className={css.roll}>
        <Select
          label={meta.label}
          value={value}
          disabled={disabled}
          choices={{ '': 'None yet', ...Object.fromEntries(tributaries.map((t) => [t.id, t.name])) }}
          onChange={(id) => set(id)}
        />
        {newTributary && (
          <Button disabled={disabled} onClick={newTributary} title="A new tributary, that begins with noise">
            <Plus size={13} /> New
          </Button>
        )}
      </span>
    </Row>
  );
}

function LineRow({ meta, points, disabled, set }: { meta: ParamMeta; points: { east: number; south: number }[]; disabled: boolean } & Setter) {
  const tool = useTerrain((s) => s.tool);
  const { depth } = useTerrain((s) => s.course!.ground);
  const drawing = tool === 'line';
  const put = (i: number, point: { east: number; south: number }) => set(points.map((p, k) => (k === i ? point : p)));
  return (
    <div className={css.line}>
      <div className={css.lineHead}>
        <span title={meta.help}>
          {meta.label}: {points.length === 1 ? '1 point' : `${points.length} points`}
        </span>
        <Button disabled={disabled} aria-pressed={drawing} onClick={() => drawLine(!drawing)} title="Each click on the ground puts a point at its end">
          <PencilLine size={13} /> {drawing ? 'Done' : 'Add points'}
        </Button>
        <Button disabled={disabled || points.length === 0} onClick={() => set([])}>
          Clear
        </Button>
      </div>
      <ol className={`${css.points} number`}>
        {points.map((point, i) => (
          <li key={i}>
            <span>{i + 1}</span>
            <NumberField
              label={`Point ${i + 1}, east`}
              value={point.east}
              unit="m E"
              min={-1e6}
              max={1e6}
              step={0.1}
              disabled={disabled}
              onChange={(east) => put(i, { ...point, east })}
            />
            <NumberField
              label={`Point ${i + 1}, north`}
              value={depth - point.south}
              unit="m N"
              min={-1e6}
              max={1e6}
              step={0.1}
              disabled={disabled}
              onChange={(north) => put(i, { ...point, south: depth - north })}
            />
            <Button look="quiet" square aria-label={`Take point ${i + 1} away`} disabled={disabled} onClick={() => set(points.filter((_, k) => k !== i))}>
              <Trash2 size={12} />
            </Button>
          </li>
        ))}
      </ol>
      <p className={css.hint}>
        Drag the points in the view, or type where they lie. On a point in the view, arrow keys move it, Insert puts one behind it, Delete takes it away.
      </p>
    </div>
  );
}
