import { useState, type ReactNode } from 'react';
import { isShown, meshFormatOf, meshSettings, paramsOf, type MeshSettings } from '@upland-cast/core';
import { Button, NumberField, Row, Select } from '../../components/controls';
import { Part } from '../../components/Facts';
import { figure, metres } from '../../components/format';
import { SettingRow } from '../../components/SettingRow';
import type { MeshPreview } from '../../engine/api';
import css from './MeshRoom.module.css';

const UNITS: Record<string, [string, number]> = {
  metres: ['metres', 1],
  centimetres: ['centimetres', 100],
  feet: ['feet', 1 / 0.3048],
  hundredth: ['1 : 100 in metres', 0.01],
  thousandth: ['1 : 1000 in metres', 0.001],
};

/** A printed model begins at 1 : 50 000. */
const PRINTED = 50_000;

interface PanelProps {
  settings: MeshSettings;
  set: (change: Partial<MeshSettings>) => void;
  ground: { width: number; depth: number };
  /** Faces across at the ground's own density. */
  most: number;
  preview: MeshPreview | null;
}

type Key = keyof MeshSettings;

const PARTS: { title: string; rows: Key[] }[] = [
  { title: 'Faces', rows: ['kind', 'segments', 'faces', 'until', 'maxError', 'triangles'] },
  { title: 'Size and axes', rows: ['width', 'depth', 'strength', 'zero', 'base', 'scale', 'up', 'handed', 'pivot'] },
  { title: 'Surface', rows: ['normals', 'uvs', 'edge', 'edgeLength', 'water', 'colours', 'colourMap', 'normalMap'] },
  { title: 'Parts and levels', rows: ['parts', 'partsAcross', 'partsDown', 'partVertices', 'levels'] },
  { title: 'File', rows: ['format', 'packed', 'quantised'] },
];

const META = new Map(paramsOf(meshSettings).map(({ key, meta }) => [key as Key, meta]));

/** Everything that a mesh is asked for, made from the schema of its settings, with what each choice means here said under its row. */
export function MeshSettingsPanel(props: PanelProps) {
  const { settings, set, most } = props;
  return PARTS.map(({ title, rows }) => (
    <Part key={title} title={title}>
      {rows.map((key) => {
        const meta = META.get(key)!;
        if (!isShown(meta, settings)) return null;
        const own = key === 'scale' ? <Scale settings={settings} set={set} /> : undefined;
        const held = key === 'segments' ? { ...meta, max: most } : key === 'parts' ? { ...meta, choices: partChoices(settings, meta.choices!) } : meta;
        return (
          <div key={key}>
            {own ?? <SettingRow wide meta={held} value={settings[key]} onChange={(value) => set({ [key]: value })} />}
            {NOTES[key]?.(props)}
          </div>
        );
      })}
    </Part>
  ));
}

/** Parts are found by their vertices where the faces are known beforehand. */
const partChoices = ({ kind }: MeshSettings, all: Record<string, string>): Record<string, string> =>
  kind === 'grid' ? all : Object.fromEntries(Object.entries(all).filter(([id]) => id !== 'limit'));

const Note = ({ children }: { children: ReactNode }) => <p className={css.note}>{children}</p>;

/** What stands under a row. */
const NOTES: Partial<Record<Key, (props: PanelProps) => ReactNode>> = {
  kind: ({ settings: { kind } }) =>
    kind === 'grid' ? null : (
      <Note>
        {kind === 'adaptive'
          ? 'Triangles as large as the ground allows: the sample that is most off is put in, again and again.'
          : 'Right-angled triangles, each half of a larger one: even shapes, and more of them for the same error.'}
      </Note>
    ),
  segments: ({ settings: { segments }, set, most }) => (
    <div className={css.quick} role="group" aria-label="Powers of two">
      {[64, 128, 256, 512, 1024, 2048]
        .filter((n) => n <= most)
        .map((n) => (
          <Button key={n} onClick={() => set({ segments: n })} aria-pressed={segments === n}>
            {n}
          </Button>
        ))}
    </div>
  ),
  depth: ({ settings: { width, depth }, ground }) =>
    width === ground.width && depth === ground.depth ? null : (
      <Note>
        The ground is {metres(ground.width)} × {metres(ground.depth)}: lengths become {figure(width / ground.width, 4)} × {figure(depth / ground.depth, 4)}{' '}
        times as large, heights stay as the strength has them.
      </Note>
    ),
  edgeLength: ({ settings: { edge, normals } }) =>
    edge === 'closed' && normals !== 'flat' ? <Note>A solid shares its corners with its walls, so it is written without normals.</Note> : null,
  parts: ({ settings: { parts }, preview }) =>
    parts === 'one' || !preview ? null : (
      <Note>
        {preview.split.across} × {preview.split.down} parts, the largest of {figure(preview.facts.largestPart, 0)} vertices.
      </Note>
    ),
  format: ({ settings }) => {
    const format = meshFormatOf(settings);
    return (
      <>
        {!format.quads && settings.faces === 'quads' && <Note>{format.title} holds triangles only: each quad is cut in two.</Note>}
        {!format.textured && settings.parts !== 'one' && <Note>{format.title} holds one mesh: its parts lie in it one after the other.</Note>}
      </>
    );
  },
};

/** How large a metre of the ground is in the mesh: a unit, a printed scale, or a number. */
function Scale({ settings, set }: Pick<PanelProps, 'settings' | 'set'>) {
  const { width, depth, scale, edge, edgeLength } = settings;
  // Which of them was chosen: two may have the same factor.
  const [unit, setUnit] = useState(() => Object.entries(UNITS).find(([, [, factor]]) => factor === scale)?.[0] ?? 'other');
  const meta = META.get('scale')!;
  return (
    <>
      <Row label="Written in" help={meta.help}>
        <Select
          label="Unit of the mesh"
          value={unit}
          choices={{ ...Object.fromEntries(Object.entries(UNITS).map(([id, [title]]) => [id, title])), print: 'millimetres, 1 : n', other: 'another scale' }}
          onChange={(id) => {
            setUnit(id);
            set({ scale: UNITS[id]?.[1] ?? (id === 'print' ? 1000 / PRINTED : 0.5) });
          }}
        />
      </Row>
      {unit === 'print' && (
        <>
          <Row label="Scale 1 :">
            <NumberField label="Scale 1 to" value={1000 / scale} min={1} max={1e7} step={1} onChange={(n) => set({ scale: 1000 / n })} />
          </Row>
          <Note>
            The model is {figure(width * scale, 1)} × {figure(depth * scale, 1)} mm
            {edge === 'closed' ? `, its base ${figure(edgeLength * scale, 2)} mm under the lowest point` : ''}.
          </Note>
        </>
      )}
      {unit === 'other' && <SettingRow wide meta={meta} value={scale} onChange={(value) => set({ scale: Number(value) })} />}
    </>
  );
}
