import { Dices, FolderOpen, PencilLine, Plus, RefreshCw, Scale, Trash2 } from 'lucide-react';
import { useRef, useState } from 'react';
import type { ParamMeta } from '@upland-cast/core';
import { Button, NumberField, Row, Select } from '../../../components/controls';
import { SettingRow } from '../../../components/SettingRow';
import { figure } from '../../../components/format';
import { engine } from '../../../engine/client';
import type { TakenIn } from '../../../engine/api';
import { keepMark } from '../../../store/keeping';
import { amend, endGesture } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import { fileAgain } from '../../../storage/assets';
import { compareAssets, type AssetState } from '../../../store/compare';
import { drawLine, replaceAsset } from '../../../store/course';
import { chooseFiles } from '../../import/files';
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

function AssetRow({ meta, sha, disabled, set, takeFile }: { meta: ParamMeta; sha: string; disabled: boolean } & Pick<Setter, 'set' | 'takeFile'>) {
  const assets = useTerrain((s) => s.course!.assets);
  const chooser = useRef<HTMLInputElement>(null);
  const [said, setSaid] = useState<{ fault?: string; words: string[] }>({ words: [] });
  const [busy, setBusy] = useState(false);
  const [changed, setChanged] = useState<{ before: AssetState; after: AssetState } | null>(null);
  const take = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    const answer = await engine().takeIn(new Uint8Array(await file.arrayBuffer()));
    setBusy(false);
    if (!answer.ok) return setSaid({ fault: `${file.name}: ${answer.sentence}`, words: [] });
    const { across, down, lowest, highest, inCodes, words } = answer.value;
    // A file that takes the place of another is a thing to go back from.
    if (sha) await keepMark(`Before ${file.name} took the place of ${assets[sha]?.name ?? 'another file'}`, true);
    amend((course) => void (course.assets[answer.value.sha] = { name: file.name.slice(0, 200), bytes: file.size }));
    const done = takeFile?.(answer.value);
    if (!takeFile) set(answer.value.sha);
    setSaid({
      words: [`${across} × ${down} samples, ${figure(lowest, 1)} to ${figure(highest, 1)}${inCodes ? ' in codes' : ' m'}.`, ...(done ? [done] : []), ...words],
    });
  };
  /** The file on disk again, by the way back to it, or chosen anew. */
  const again = async () => {
    setBusy(true);
    const words: string[] = [];
    try {
      const file = (await fileAgain(sha)) ?? (await chooseFiles())?.[0]?.file;
      if (file instanceof File) {
        const answer = await engine().takeIn(new Uint8Array(await file.arrayBuffer()), assets[sha]?.reading);
        if (!answer.ok) return setSaid({ fault: `${file.name}: ${answer.sentence}`, words: [] });
        if (answer.value.sha === sha) words.push('The file on disk is the same as it was.');
        else {
          await keepMark(`Before looking again at ${file.name}`, true);
          replaceAsset(sha, { sha: answer.value.sha, name: file.name, bytes: file.size });
          words.push(`The file on disk has changed: it was taken wherever this terrain uses it.`);
          const was = assets[sha];
          setChanged({
            before: { sha, name: `${file.name}, as it was`, reading: was?.reading },
            after: { sha: answer.value.sha, name: `${file.name}, on disk`, reading: was?.reading },
          });
        }
      }
      setSaid({ words });
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className={css.line}>
      <Row label={meta.label} help={meta.help}>
        <span className={css.file}>
          <span className={css.asset} title={sha ? `${assets[sha]?.name ?? ''}, SHA-256 ${sha}` : undefined}>
            {sha ? (assets[sha]?.name ?? `${sha.slice(0, 12)}…`) : 'None yet'}
          </span>
          <Button disabled={disabled || busy} onClick={() => chooser.current?.click()}>
            <FolderOpen size={13} /> {busy ? 'Reading …' : 'Choose'}
          </Button>
          {sha && (
            <Button
              square
              disabled={disabled || busy}
              aria-label="Look again at the file on disk"
              title="Look again at the file on disk"
              onClick={() => void again()}
            >
              <RefreshCw size={13} />
            </Button>
          )}
        </span>
      </Row>
      <input
        ref={chooser}
        type="file"
        hidden
        accept=".png,.tif,.tiff,.jpg,.jpeg,.asc,.txt,.xyz,.csv,.exr,.npy,.pgm,.pfm,.bmp,.hgt"
        aria-label={`File for ${meta.label}`}
        onChange={(event) => void take(event.target.files?.[0]).then(() => void (event.target.value = ''))}
      />
      {said.fault && (
        <p className={css.fault} role="alert">
          {said.fault}
        </p>
      )}
      {said.words.map((sentence) => (
        <p key={sentence} className={css.hint}>
          {sentence}
        </p>
      ))}
      {changed && changed.after.sha === sha && (
        <Button onClick={() => compareAssets(changed.before, changed.after)} title="The file as it was beside the file on disk">
          <Scale size={13} /> Compare with before
        </Button>
      )}
    </div>
  );
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
