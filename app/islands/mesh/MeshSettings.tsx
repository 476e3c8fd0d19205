import { useState } from 'react';
import { meshFormats } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, SliderRow, Switch } from '../../components/controls';
import { Part } from '../../components/Facts';
import { figure, metres } from '../../components/format';
import type { MeshFacts, MeshSpec } from '../../engine/api';
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

const TEXELS = { '0': 'None', '512': '512', '1024': '1024', '2048': '2048' };

/** Every part shows a piece of the specification, and changes it. */
interface PartProps {
  spec: MeshSpec;
  set: (change: Partial<MeshSpec>) => void;
}

export function SwitchRow({ label, on, onChange, help }: { label: string; on: boolean; onChange: (on: boolean) => void; help?: string }) {
  return (
    <div className={css.check} title={help}>
      <Switch label={label} on={on} onChange={onChange} />
      <span>{label}</span>
    </div>
  );
}

export function Faces({ spec, set, most }: PartProps & { most: number }) {
  return (
    <Part title="Faces">
      <Row label="Made by">
        <Segments
          label="Made by"
          value={spec.kind}
          choices={{ grid: 'Grid', adaptive: 'Greedy', halved: 'Halved' }}
          onChange={(kind) =>
            set({
              kind,
              ...(kind === 'grid' ? {} : { faces: 'triangles' as const }),
            })
          }
        />
      </Row>
      {spec.kind === 'grid' ? (
        <>
          <SliderRow
            label="Faces across"
            value={spec.segments}
            min={1}
            max={most}
            step={1}
            logarithmic
            onChange={(v) => set({ segments: Math.round(v) })}
            help="Square cells; one vertex more than faces."
          />
          <div className={css.quick} role="group" aria-label="Powers of two">
            {[64, 128, 256, 512, 1024, 2048]
              .filter((n) => n <= most)
              .map((n) => (
                <Button key={n} onClick={() => set({ segments: n })} aria-pressed={spec.segments === n}>
                  {n}
                </Button>
              ))}
          </div>
          <Row label="Faces">
            <Segments
              label="Faces"
              value={spec.faces}
              choices={{ triangles: 'Triangles', quads: 'Quads' }}
              onChange={(faces) => set({ faces, ...(faces === 'quads' ? { levels: 0 } : {}) })}
            />
          </Row>
        </>
      ) : (
        <>
          <p className={css.note}>
            {spec.kind === 'adaptive'
              ? 'Triangles as large as the ground allows: the sample that is most off is put in, again and again.'
              : 'Right-angled triangles, each half of a larger one: even shapes, and more of them for the same error.'}
          </p>
          <Row label="Until">
            <Segments label="Until" value={spec.by} choices={{ error: 'Error', count: 'Count' }} onChange={(by) => set({ by })} />
          </Row>
          {spec.by === 'error' ? (
            <SliderRow
              label="Largest error"
              value={spec.maxError}
              unit="m"
              min={0.01}
              max={100}
              step={0.01}
              logarithmic
              onChange={(maxError) => set({ maxError })}
              help="No sample of the ground is further from the mesh than this, straight up or down."
            />
          ) : (
            <SliderRow
              label="Triangles"
              value={spec.triangles}
              min={2}
              max={2_000_000}
              step={1}
              logarithmic
              onChange={(v) => set({ triangles: Math.round(v) })}
              help="The best that so many triangles can do."
            />
          )}
        </>
      )}
    </Part>
  );
}

export function Place({ spec, set, ground }: PartProps & { ground: { width: number; depth: number } }) {
  const { extent } = spec;
  // Which of them was chosen: two may have the same factor.
  const [unit, setUnit] = useState(() => Object.entries(UNITS).find(([, [, factor]]) => factor === spec.scale)?.[0] ?? 'other');
  return (
    <Part title="Size and axes">
      <Row label="Width" help="Of the mesh along its east; the ground’s own at first.">
        <NumberField
          label="Width of the mesh"
          value={extent.width}
          unit="m"
          min={0.001}
          max={1e7}
          step={0.1}
          onChange={(width) => set({ extent: { ...extent, width } })}
        />
      </Row>
      <Row label="Depth" help="Of the mesh along its south; the ground’s own at first.">
        <NumberField
          label="Depth of the mesh"
          value={extent.depth}
          unit="m"
          min={0.001}
          max={1e7}
          step={0.1}
          onChange={(depth) => set({ extent: { ...extent, depth } })}
        />
      </Row>
      {(extent.width !== ground.width || extent.depth !== ground.depth) && (
        <p className={css.note}>
          The ground is {metres(ground.width)} × {metres(ground.depth)}: lengths become {figure(extent.width / ground.width, 4)} ×{' '}
          {figure(extent.depth / ground.depth, 4)} times as large, heights stay as the strength has them.
        </p>
      )}
      <SliderRow
        label="Strength"
        value={spec.strength}
        min={0.01}
        max={10}
        step={0.01}
        logarithmic
        onChange={(strength) => set({ strength })}
        help="Multiplies the heights above the zero."
      />
      <Row label="Zero height" help="The elevation that lies at height 0 of the mesh.">
        <NumberField label="Zero height" value={spec.zero} unit="m" min={-11000} max={9000} step={0.1} onChange={(zero) => set({ zero })} />
      </Row>
      <Row label="Base" help="Where the zero height comes to lie.">
        <NumberField label="Base" value={spec.base} unit="m" min={-1e5} max={1e5} step={0.1} onChange={(base) => set({ base })} />
      </Row>
      <Row label="Written in" help="How many units of the mesh a metre of the ground becomes.">
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
            <NumberField label="Scale 1 to" value={1000 / spec.scale} min={1} max={1e7} step={1} onChange={(n) => set({ scale: 1000 / n })} />
          </Row>
          <p className={css.note}>
            The model is {figure(extent.width * spec.scale, 1)} × {figure(extent.depth * spec.scale, 1)} mm
            {spec.edge === 'closed' ? `, its base ${figure(spec.edgeLength * spec.scale, 2)} mm under the lowest point` : ''}.
          </p>
        </>
      )}
      {unit === 'other' && (
        <Row label="Units a metre">
          <NumberField label="Units a metre" value={spec.scale} min={1e-6} max={1e6} step={0.0001} onChange={(scale) => set({ scale })} />
        </Row>
      )}
      <Row label="Up">
        <Segments label="Up" value={spec.up} choices={{ y: 'Y', z: 'Z' }} onChange={(up) => set({ up })} />
      </Row>
      <Row label="Axes" help="Left-handed axes mirror the mesh for receivers that count so; it looks the same there.">
        <Segments label="Axes" value={spec.handed} choices={{ right: 'Right-handed', left: 'Left-handed' }} onChange={(handed) => set({ handed })} />
      </Row>
      <Row label="Origin" help="Corner: everything counts up from 0. On the ground: the middle of the ground lies at 0.">
        <Segments label="Origin" value={spec.pivot} choices={{ centre: 'Middle', corner: 'Corner', ground: 'Ground' }} onChange={(pivot) => set({ pivot })} />
      </Row>
    </Part>
  );
}

export function Wears({ spec, set }: PartProps) {
  const pictures = meshFormats.find((f) => f.id === spec.format)!.textured;
  return (
    <Part title="Surface">
      <Row label="Normals" help="Exact: those of the full ground, however few faces there are.">
        <Segments
          label="Normals"
          value={spec.normals}
          choices={{ exact: 'Exact', smooth: 'Smooth', flat: 'Flat', none: 'None' }}
          onChange={(normals) => set({ normals, ...(normals === 'exact' ? {} : { normalMap: 0 }) })}
        />
      </Row>
      <Row label="UVs">
        <Segments
          label="UVs"
          value={spec.uvs}
          choices={{ whole: 'Whole', part: 'Part', metres: 'Metres', none: 'None' }}
          onChange={(uvs) => set({ uvs, ...(uvs === 'whole' ? {} : { normalMap: 0, colourMap: 0 }) })}
        />
      </Row>
      <Row label="Edges" help="A skirt hides cracks beside coarser neighbours; closed below is a solid for printing.">
        <Segments
          label="Edges"
          value={spec.edge}
          choices={{ open: 'Open', skirt: 'Skirt', closed: 'Closed below' }}
          onChange={(edge) => set({ edge, ...(edge === 'closed' ? { normalMap: 0 } : {}) })}
        />
      </Row>
      {spec.edge !== 'open' && (
        <Row label={spec.edge === 'skirt' ? 'Skirt hangs' : 'Under the lowest'}>
          <NumberField
            label="Length of the edge"
            value={spec.edgeLength}
            unit="m"
            min={0.01}
            max={1e5}
            step={0.1}
            onChange={(edgeLength) => set({ edgeLength })}
          />
        </Row>
      )}
      {spec.edge === 'closed' && spec.normals !== 'flat' && (
        <p className={css.note}>A solid shares its corners with its walls, so it is written without normals.</p>
      )}
      {pictures && <SwitchRow label="Water as a plane of its own" on={spec.water} onChange={(water) => set({ water })} />}
      {(pictures || spec.format === 'ply') && <SwitchRow label="Ground colour in the vertices" on={spec.colours} onChange={(colours) => set({ colours })} />}
      {pictures && (
        <Row label="Colour map" help="The ground’s colour, worked out at this many texels a side; in a GLB inside the file.">
          <Segments
            label="Colour map"
            value={String(spec.colourMap)}
            choices={TEXELS}
            onChange={(n) => set({ colourMap: Number(n), ...(spec.uvs === 'whole' ? {} : { uvs: 'whole' as const }) })}
          />
        </Row>
      )}
      <Row label="Normal map" help="The full ground’s normals for this lighter mesh, in its own tangent space.">
        <Segments
          label="Normal map"
          value={String(spec.normalMap)}
          choices={TEXELS}
          onChange={(n) =>
            set({
              normalMap: Number(n),
              ...(n === '0' ? {} : { uvs: 'whole' as const, normals: 'exact' as const, edge: spec.edge === 'closed' ? ('open' as const) : spec.edge }),
            })
          }
        />
      </Row>
    </Part>
  );
}

export function Pieces({ spec, set, facts, split }: PartProps & { facts?: MeshFacts; split?: { across: number; down: number } }) {
  const { parts } = spec;
  return (
    <Part title="Parts and levels">
      <Row label="Parts">
        <Segments
          label="Parts"
          value={parts.by}
          choices={
            (spec.kind === 'grid' ? { one: 'One', count: 'Count', limit: 'By vertices' } : { one: 'One', count: 'Count' }) as Record<
              MeshSpec['parts']['by'],
              string
            >
          }
          onChange={(by) => set({ parts: { ...parts, by }, ...(by !== 'one' && spec.kind === 'adaptive' ? { by: 'error' as const } : {}) })}
        />
      </Row>
      {parts.by === 'count' && (
        <Row label="Across × down" help="Neighbours have the same corners and the same normals on their border.">
          <NumberField label="Parts across" value={parts.across} min={1} max={64} step={1} onChange={(across) => set({ parts: { ...parts, across } })} />
          <NumberField label="Parts down" value={parts.down} min={1} max={64} step={1} onChange={(down) => set({ parts: { ...parts, down } })} />
        </Row>
      )}
      {parts.by === 'limit' && (
        <Row label="Vertices a part" help="65 535 for receivers that count faces in 16 bits.">
          <NumberField label="Vertices a part" value={parts.limit} min={4} max={1e7} step={1} onChange={(limit) => set({ parts: { ...parts, limit } })} />
        </Row>
      )}
      {parts.by !== 'one' && facts && split && (
        <p className={css.note}>
          {split.across} × {split.down} parts, the largest of {figure(facts.largestPart, 0)} vertices.
        </p>
      )}
      {spec.faces === 'triangles' && (
        <Row label="Lighter levels" help="Each with half the triangles of the one before, borders kept, so that any level meets any other.">
          <Segments
            label="Lighter levels"
            value={String(spec.levels)}
            choices={{ '0': 'None', '1': '1', '2': '2', '3': '3', '4': '4' }}
            onChange={(n) => set({ levels: Number(n) })}
          />
        </Row>
      )}
    </Part>
  );
}
