import { useCallback, useEffect, useMemo, useState } from 'react';
import { changeMeshSettings, meshFormatOf, meshSettings, meshSettingsFor, ownSegments, type Course, type Ground, type MeshSettings } from '@upland-cast/core';
import { Button } from '../../components/controls';
import { SwitchRow } from '../../components/SettingRow';
import { download, fileNameOf } from '../../components/download';
import { Facts, Part } from '../../components/Facts';
import { Working, type Work } from '../../components/Working';
import { bytes as inBytes, figure, metres, smallMetres } from '../../components/format';
import { engine, hearing } from '../../engine/client';
import type { MeshCurve, MeshPreview, WrittenMesh } from '../../engine/api';
import { keepChosen } from '../../store/keeping';
import { say, useTerrain } from '../../store/state';
import { ErrorChart } from './ErrorChart';
import type { Made, Shown } from './shown';
import { useEngineQuery } from '../../components/use-engine-query';
import css from './MeshRoom.module.css';
import { MeshSettingsPanel } from './MeshSettings';

interface Props {
  onShown: (shown: Shown | null) => void;
  onCaption: (caption: string) => void;
  onMade: (made: Made) => void;
}

/** Above this, a person is asked before anything is made. */
const MUCH_MEMORY = 2 * 2 ** 30;

/** What was chosen here last for this terrain, where it still fits its ground. */
function lastChosen({ chosen, ground }: Course): MeshSettings | null {
  const { data } = meshSettings.safeParse(chosen?.mesh);
  return data && data.segments <= ownSegments(ground) ? data : null;
}

/** A mesh out of the ground: its faces, its place and axes, what it wears, its parts and levels; its error measured before and after it is written. */
export function HeightsToMesh({ onShown, onCaption, onMade }: Props) {
  const course = useTerrain((s) => s.course)!;
  const { ground } = course;
  const most = ownSegments(ground);
  const [settings, setSettings] = useState<MeshSettings>(() => lastChosen(course) ?? meshSettingsFor(ground));
  const [first] = useState(settings);
  useEffect(() => {
    if (settings !== first) keepChosen({ mesh: { ...settings } });
  }, [settings, first]);
  const [sure, setSure] = useState(false);
  const set = (change: Partial<MeshSettings>) => setSettings((s) => changeMeshSettings(s, change));
  const key = JSON.stringify(settings);
  const { written, writing, write, forget } = useWriting(course, settings, onMade);

  const { value: preview, fault: previewFault } = useEngineQuery(() => engine().meshPreview(course, settings), [key, course], 200);
  const fault = previewFault ?? preview?.refused ?? '';
  useEffect(() => {
    if (!preview) return;
    const { picture, high, error, normal, facts, words } = preview;
    onShown({ picture, high, error, normal });
    onCaption(words || `${figure(facts.triangles, 0)} triangles, largest error ${smallMetres(facts.maxError)}`);
  }, [preview, onShown, onCaption]);

  useEffect(() => {
    forget();
    setSure(false);
  }, [key, course, forget]);

  const facts = preview?.facts;
  const now = useMemo(() => (facts ? { triangles: facts.triangles, error: facts.maxError } : undefined), [facts]);
  const heavy = (facts?.memory ?? 0) > MUCH_MEMORY;
  return (
    <>
      <MeshSettingsPanel settings={settings} set={set} ground={ground} most={most} preview={preview ?? null} />
      <Part title="What it will be">
        {facts ? <FactsOf facts={facts} settings={settings} ground={ground} /> : <p className={css.note}>Measuring …</p>}
        <DryNote settings={settings} ground={ground} onWater={() => set({ water: true })} />
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
        {heavy && <Heavy memory={facts!.memory} sure={sure} onSure={setSure} />}
        {writing ? (
          <Working work={writing} onStop={stop} />
        ) : (
          <Button look="main" disabled={!facts || Boolean(fault) || (heavy && !sure)} onClick={() => void write()}>
            Write the mesh
          </Button>
        )}
      </Part>
      {written && <Written written={written} onShown={onShown} preview={preview} />}
      <CurvePart course={course} now={now} />
    </>
  );
}

const stop = () => void engine().stopMesh();

/** Writes the mesh and hands it over; how far that is, and what was written. */
function useWriting(course: Course, settings: MeshSettings, onMade: Props['onMade']) {
  const [written, setWritten] = useState<WrittenMesh | null>(null);
  const [writing, setWriting] = useState<Work | null>(null);
  const write = async () => {
    setWriting({ words: 'Making the faces', share: 0 });
    const result = await hearing(
      (words: string, share: number) => setWriting({ words, share }),
      (tell) => engine().mesh(course, settings, fileNameOf(course.name, ''), tell),
    );
    setWriting(null);
    if (!result.ok) return result.stopped ? undefined : say(result.sentence);
    setWritten(result.value);
    const { name, bytes, mediaType, mesh } = result.value;
    download(name, bytes, mediaType);
    onMade({ name: mesh[0].name, files: mesh });
  };
  const forget = useCallback(() => setWritten(null), []);
  return { written, writing, write, forget };
}

/** What the mesh will be, measured on it. */
function FactsOf({ facts, settings, ground }: { facts: MeshPreview['facts']; settings: MeshSettings; ground: Ground }) {
  return (
    <Facts
      items={[
        ['vertices', figure(facts.vertices, 0)],
        ['faces', figure(facts.faces, 0)],
        ['triangles', figure(facts.triangles, 0)],
        ...((settings.kind === 'grid'
          ? [
              [
                'cell',
                `${metres(settings.width / settings.segments)} × ${metres(settings.depth / Math.max(1, Math.round((settings.segments * ground.depth) / ground.width)))}`,
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
  );
}

/** Said where the sea covers a part of the ground, and the mesh is without it. */
function DryNote({ settings, ground, onWater }: { settings: MeshSettings; ground: Ground; onWater: () => void }) {
  const lowest = useTerrain((s) => s.picture?.statistics.lowest ?? Infinity);
  const takesWater = meshFormatOf(settings).textured;
  const dry = ground.sea > lowest && !(settings.water && takesWater);
  if (!dry) return null;
  return (
    <p className={css.note}>
      {`The water is left out: the sea at ${metres(ground.sea)} covers a part of this ground, and the mesh is the ground beneath it. `}
      {takesWater ? <Button onClick={onWater}>With the water</Button> : 'This format holds no water; GLB, glTF and OBJ do.'}
    </p>
  );
}

/** Asked before more memory is taken than a tab may have. */
function Heavy({ memory, sure, onSure }: { memory: number; sure: boolean; onSure: (sure: boolean) => void }) {
  return (
    <div role="alert">
      <p className={css.fault}>
        Writing this takes about {inBytes(memory)} of memory; a tab may be ended by the browser above 2 GiB. Fewer faces or binary formats take less.
      </p>
      <SwitchRow label="Write it all the same" on={sure} onChange={onSure} />
    </div>
  );
}

/** The error of every way of making a mesh, against its triangles: measured when it is asked for. */
function CurvePart({ course, now }: { course: Course; now: { triangles: number; error: number } | undefined }) {
  const [curve, setCurve] = useState<MeshCurve | null>(null);
  const [charting, setCharting] = useState<Work | null>(null);
  useEffect(() => setCurve(null), [course]);
  const chart = async () => {
    setCharting({ words: 'Measuring grids', share: 0 });
    const result = await hearing(
      (words: string, share: number) => setCharting({ words, share }),
      (tell) => engine().meshCurve(course, tell),
    );
    setCharting(null);
    if (result.ok) setCurve(result.value);
    else if (!result.stopped) say(result.sentence);
  };
  return (
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
  );
}

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
