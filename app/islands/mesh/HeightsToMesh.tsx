import { useEffect, useState } from 'react';
import { meshFormats, type GridOptions } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, SliderRow } from '../../components/controls';
import { download, fileNameOf } from '../../components/download';
import { Facts, Part } from '../../components/Facts';
import { bytes as inBytes, figure, metres, smallMetres } from '../../components/format';
import { engine } from '../../engine/client';
import type { MeshFacts, MeshPicture } from '../../engine/protocol';
import { say, useTerrain } from '../../store/terrain';
import css from './MeshRoom.module.css';

interface Props {
  onPicture: (picture: MeshPicture | null) => void;
  onCaption: (caption: string) => void;
  onMade: (made: { name: string; bytes: Uint8Array<ArrayBuffer> }) => void;
}

/** A regular grid out of the ground: faces a side, strength, zero, up axis, faces; its error measured before and after it is written. */
export function HeightsToMesh({ onPicture, onCaption, onMade }: Props) {
  const course = useTerrain((s) => s.course)!;
  const { ground } = course;
  const most = Math.max(1, ground.across - (ground.registration === 'point' ? 1 : 0));
  const [segments, setSegments] = useState(Math.min(256, most));
  const [extent, setExtent] = useState({ width: ground.width, depth: ground.depth });
  const [strength, setStrength] = useState(1);
  const [zero, setZero] = useState(0);
  const [up, setUp] = useState<'y' | 'z'>('y');
  const [faces, setFaces] = useState<'triangles' | 'quads'>('triangles');
  const [format, setFormat] = useState('glb');
  const [facts, setFacts] = useState<Omit<MeshFacts, 'bytes'> | null>(null);
  const [written, setWritten] = useState<MeshFacts | null>(null);
  const [busy, setBusy] = useState(false);
  const down = Math.max(1, Math.round((segments * ground.depth) / ground.width));
  const options: GridOptions = { segments: { x: segments, y: down }, extent, strength, zero, up, faces };
  const key = JSON.stringify(options);

  useEffect(() => {
    let stale = false;
    const wait = setTimeout(async () => {
      const result = await engine().meshPicture(course, JSON.parse(key) as GridOptions);
      if (stale) return;
      if (!result.ok) {
        if (!result.stopped) say(result.sentence);
        return;
      }
      const { mesh, facts: found, drawn } = result.value;
      onPicture(mesh);
      setFacts(found);
      const asked = (JSON.parse(key) as GridOptions).segments!;
      onCaption(drawn.x === asked.x ? `${asked.x} × ${asked.y} faces` : `Drawn with ${drawn.x} × ${drawn.y} faces; ${asked.x} × ${asked.y} will be written.`);
    }, 200);
    return () => {
      stale = true;
      clearTimeout(wait);
    };
  }, [key, course, onPicture, onCaption]);

  useEffect(() => setWritten(null), [key, format, course]);

  const write = async () => {
    setBusy(true);
    const chosen = meshFormats.find((f) => f.id === format)!;
    const name = fileNameOf(course.name, chosen.endings[0]);
    const result = await engine().mesh(course, { options, format, name: course.name });
    setBusy(false);
    if (!result.ok) return say(result.sentence);
    setWritten(result.value.facts);
    download(name, result.value.bytes, chosen.mediaType);
    onMade({ name, bytes: result.value.bytes });
  };
  const quadless = format === 'glb' && faces === 'quads';
  return (
    <>
      <Part title="Grid">
        <SliderRow
          label="Faces across"
          value={segments}
          min={1}
          max={most}
          step={1}
          logarithmic
          onChange={(v) => setSegments(Math.round(v))}
          help="Square cells; one vertex more than faces."
        />
        <div className={css.quick} role="group" aria-label="Powers of two">
          {[64, 128, 256, 512, 1024, 2048]
            .filter((n) => n <= most)
            .map((n) => (
              <Button key={n} onClick={() => setSegments(n)} aria-pressed={segments === n}>
                {n}
              </Button>
            ))}
        </div>
        <Row label="Width" help="Of the mesh along its east; the ground’s own at first.">
          <NumberField
            label="Width of the mesh"
            value={extent.width}
            unit="m"
            min={0.001}
            max={1e7}
            step={0.1}
            onChange={(width) => setExtent({ ...extent, width })}
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
            onChange={(depth) => setExtent({ ...extent, depth })}
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
          value={strength}
          min={0.01}
          max={10}
          step={0.01}
          logarithmic
          onChange={setStrength}
          help="Multiplies the heights above the zero."
        />
        <Row label="Zero height" help="The elevation that lies at height 0 of the mesh.">
          <NumberField label="Zero height" value={zero} unit="m" min={-11000} max={9000} step={0.1} onChange={setZero} />
        </Row>
        <Row label="Up">
          <Segments label="Up" value={up} choices={{ y: 'Y', z: 'Z' }} onChange={setUp} />
        </Row>
        <Row label="Faces">
          <Segments label="Faces" value={faces} choices={{ triangles: 'Triangles', quads: 'Quads' }} onChange={setFaces} />
        </Row>
        <Row label="Format">
          <Segments label="Format" value={format} choices={Object.fromEntries(meshFormats.map((f) => [f.id, f.title]))} onChange={setFormat} />
        </Row>
        {quadless && <p className={css.note}>GLB holds triangles only: each quad is cut in two. It is y up, whatever is chosen here.</p>}
      </Part>
      <Part title="What it will be">
        {facts ? (
          <Facts
            items={[
              ['vertices', figure(facts.vertices, 0)],
              ['faces', figure(facts.faces, 0)],
              ['triangles', figure(facts.triangles, 0)],
              ['cell', `${metres(extent.width / segments)} × ${metres(extent.depth / down)}`],
              ['largest error', smallMetres(facts.maxError)],
              ['RMS error', smallMetres(facts.rmse)],
              ['strength for a plane of width 1', facts.ratio.toFixed(4)],
            ]}
          />
        ) : (
          <p className={css.note}>Measuring …</p>
        )}
        <Button look="main" disabled={busy || !facts} onClick={() => void write()}>
          {busy ? 'Writing …' : 'Write the mesh'}
        </Button>
      </Part>
      {written && (
        <Part title="What was written">
          <Facts
            items={[
              ['bytes', inBytes(written.bytes)],
              ['vertices', figure(written.vertices, 0)],
              ['largest error', smallMetres(written.maxError), 'good'],
              ['RMS error', smallMetres(written.rmse)],
            ]}
          />
          <p className={css.note}>Measured on the file: read back, pressed to the ground’s samples and held against it.</p>
        </Part>
      )}
    </>
  );
}
