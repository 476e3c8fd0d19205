import { useEffect, useMemo, useState } from 'react';
import { meshFormats } from '@upland-cast/core';
import { Button, Row, Segments } from '../../components/controls';
import { download, fileNameOf } from '../../components/download';
import { Facts, Part } from '../../components/Facts';
import { Working, type Work } from '../../components/Working';
import { bytes as inBytes, figure, metres, smallMetres } from '../../components/format';
import { engine, telling } from '../../engine/client';
import type { MeshCurve, MeshPreview, MeshSpec, WrittenMesh } from '../../engine/api';
import { say, useTerrain } from '../../store/terrain';
import { ErrorChart } from './ErrorChart';
import type { Made, Shown } from './shown';
import { useEngineQuery } from '../../components/use-engine-query';
import css from './MeshRoom.module.css';
import { Faces, Pieces, Place, SwitchRow, Wears } from './MeshSettings';

interface Props {
  onShown: (shown: Shown | null) => void;
  onCaption: (caption: string) => void;
  onMade: (made: Made) => void;
}

/** Above this, a person is asked before anything is made. */
const MUCH_MEMORY = 2 * 2 ** 30;

const begun = (ground: { width: number; depth: number }, segments: number): MeshSpec => ({
  kind: 'grid',
  segments,
  faces: 'triangles',
  by: 'error',
  maxError: 2,
  triangles: 50_000,
  levels: 0,
  parts: { by: 'one', across: 2, down: 2, limit: 65_535 },
  extent: { width: ground.width, depth: ground.depth },
  strength: 1,
  zero: 0,
  base: 0,
  scale: 1,
  up: 'y',
  handed: 'right',
  pivot: 'centre',
  normals: 'exact',
  uvs: 'whole',
  edge: 'open',
  edgeLength: 20,
  water: false,
  colours: false,
  colourMap: 0,
  normalMap: 0,
  format: 'glb',
  packed: false,
  quantised: false,
});

/** The axes that a format is read by, where it has its own. */
function axesOf(id: MeshSpec['format']): Partial<Pick<MeshSpec, 'up' | 'handed'>> {
  const { axes } = meshFormats.find((f) => f.id === id)!;
  return axes ? { up: axes.up, handed: axes.handed } : {};
}

/** A mesh out of the ground: its faces, its place and axes, what it wears, its parts and levels; its error measured before and after it is written. */
export function HeightsToMesh({ onShown, onCaption, onMade }: Props) {
  const course = useTerrain((s) => s.course)!;
  const { ground } = course;
  const most = Math.max(1, ground.across - (ground.registration === 'point' ? 1 : 0));
  const [spec, setSpec] = useState<MeshSpec>(() => begun(ground, Math.min(256, most)));
  const [written, setWritten] = useState<WrittenMesh | null>(null);
  const [curve, setCurve] = useState<MeshCurve | null>(null);
  const [charting, setCharting] = useState<Work | null>(null);
  const [writing, setWriting] = useState<Work | null>(null);
  const [sure, setSure] = useState(false);
  const set = (change: Partial<MeshSpec>) => setSpec((s) => ({ ...s, ...change }));
  const format = meshFormats.find((f) => f.id === spec.format)!;
  const key = JSON.stringify(spec);

  const { value: preview, fault: previewFault } = useEngineQuery(() => engine().meshPreview(course, spec), [key, course], 200);
  const fault = previewFault ?? preview?.refused ?? '';
  useEffect(() => {
    if (!preview) return;
    const { picture, high, error, normal, facts, words } = preview;
    onShown({ picture, high, error, normal });
    onCaption(words || `${figure(facts.triangles, 0)} triangles, largest error ${smallMetres(facts.maxError)}`);
  }, [preview, onShown, onCaption]);

  useEffect(() => {
    setWritten(null);
    setSure(false);
  }, [key, course]);
  useEffect(() => setCurve(null), [course]);

  const facts = preview?.facts;
  const now = useMemo(() => (facts ? { triangles: facts.triangles, error: facts.maxError } : undefined), [facts]);
  const write = async () => {
    setWriting({ words: 'Making the faces', share: 0 });
    const result = await engine().mesh(
      course,
      spec,
      fileNameOf(course.name, ''),
      telling((words, share) => setWriting({ words, share })),
    );
    setWriting(null);
    if (!result.ok) return result.stopped ? undefined : say(result.sentence);
    setWritten(result.value);
    const { name, bytes, mediaType, mesh } = result.value;
    download(name, bytes, mediaType);
    onMade({ name: mesh[0].name, files: mesh });
  };
  const chart = async () => {
    setCharting({ words: 'Measuring grids', share: 0 });
    const result = await engine().meshCurve(
      course,
      telling((words, share) => setCharting({ words, share })),
    );
    setCharting(null);
    if (result.ok) setCurve(result.value);
    else if (!result.stopped) say(result.sentence);
  };
  const heavy = (facts?.memory ?? 0) > MUCH_MEMORY;
  return (
    <>
      <Faces spec={spec} set={set} most={most} />
      <Place spec={spec} set={set} ground={ground} />
      <Wears spec={spec} set={set} />
      <Pieces spec={spec} set={set} facts={facts} split={preview?.split} />
      <Part title="File">
        <Row label="Format">
          <Segments
            label="Format"
            value={spec.format}
            choices={Object.fromEntries(meshFormats.map((f) => [f.id, f.title]))}
            onChange={(format) =>
              // Each begins with the axes that it is read by.
              set({ format, ...axesOf(format) })
            }
          />
        </Row>
        {format.options.length > 0 && (
          <>
            <SwitchRow
              label="Packed"
              on={spec.packed}
              onChange={(packed) => set({ packed })}
              help="EXT_meshopt_compression: smaller, and the same mesh. Its reader has to know it."
            />
            <SwitchRow
              label="16-bit places"
              on={spec.quantised}
              onChange={(quantised) => set({ quantised })}
              help="KHR_mesh_quantization: about half the bytes; what it costs is measured."
            />
          </>
        )}
        {!format.quads && spec.faces === 'quads' && spec.kind === 'grid' && (
          <p className={css.note}>{format.title} holds triangles only: each quad is cut in two.</p>
        )}
        {!format.textured && spec.parts.by !== 'one' && <p className={css.note}>{format.title} holds one mesh: its parts lie in it one after the other.</p>}
      </Part>
      <Part title="What it will be">
        {facts ? (
          <Facts
            items={[
              ['vertices', figure(facts.vertices, 0)],
              ['faces', figure(facts.faces, 0)],
              ['triangles', figure(facts.triangles, 0)],
              ...((spec.kind === 'grid'
                ? [
                    [
                      'cell',
                      `${metres(spec.extent.width / spec.segments)} × ${metres(spec.extent.depth / Math.max(1, Math.round((spec.segments * ground.depth) / ground.width)))}`,
                    ],
                  ]
                : []) as [string, string][]),
              ...((facts.parts > 1 ? [['parts', `${facts.parts}, the largest of ${figure(facts.largestPart, 0)} vertices`]] : []) as [string, string][]),
              ['largest error', smallMetres(facts.maxError)],
              ['RMS error', smallMetres(facts.rmse)],
              ['strength for a plane of width 1', facts.ratio.toFixed(4)],
              ['memory at the most, about', inBytes(facts.memory)],
            ]}
          />
        ) : (
          <p className={css.note}>Measuring …</p>
        )}
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
        {heavy && (
          <div role="alert">
            <p className={css.fault}>
              Writing this takes about {inBytes(facts!.memory)} of memory; a tab may be ended by the browser above 2 GiB. Fewer faces or binary formats take
              less.
            </p>
            <SwitchRow label="Write it all the same" on={sure} onChange={setSure} />
          </div>
        )}
        {writing ? (
          <Working work={writing} onStop={stop} />
        ) : (
          <Button look="main" disabled={!facts || Boolean(fault) || (heavy && !sure)} onClick={() => void write()}>
            Write the mesh
          </Button>
        )}
      </Part>
      {written && <Written written={written} onShown={onShown} preview={preview} />}
      <Part title="Error against triangles">
        {curve ? (
          <ErrorChart curve={curve} now={now} />
        ) : (
          <>
            <p className={css.note}>Every way of making the mesh, measured on this ground, so that the knee can be picked.</p>
            {charting ? <Working work={charting} onStop={stop} /> : <Button onClick={() => void chart()}>Measure the curve</Button>}
          </>
        )}
      </Part>
    </>
  );
}

const stop = () => void engine().stopMesh();

function Written({ written, onShown, preview }: { written: WrittenMesh; onShown: Props['onShown']; preview: MeshPreview | null }) {
  const { facts, levels } = written;
  return (
    <Part title="What was written">
      <Facts
        items={[
          ['file', written.name],
          ['bytes', inBytes(written.bytes.length)],
          ['vertices', figure(facts.vertices, 0)],
          ['largest error', smallMetres(facts.maxError), 'good'],
          ['RMS error', smallMetres(facts.rmse)],
        ]}
      />
      <p className={css.note}>Measured on the file: read back, pressed to the ground’s samples and held against it.</p>
      {levels.length > 1 && (
        <table className={css.levels}>
          <thead>
            <tr>
              <th>level</th>
              <th>triangles</th>
              <th>error</th>
              <th title="From here on the error is at most a pixel: 1 080 lines, 60° from top to bottom.">from</th>
              <th>bytes</th>
            </tr>
          </thead>
          <tbody>
            {levels.map((level, k) => (
              <tr key={level.name}>
                <td>{k}</td>
                <td>{figure(level.triangles, 0)}</td>
                <td>{smallMetres(level.maxError)}</td>
                <td>{k === 0 ? 'near' : metres(Math.round(level.distance))}</td>
                <td>{inBytes(level.bytes)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {preview && (
        <Button onClick={() => onShown({ picture: preview.picture, high: preview.high, error: written.error, normal: preview.normal, look: 'error' })}>
          Show where it is off
        </Button>
      )}
    </Part>
  );
}
