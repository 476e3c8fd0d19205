import { Upload } from 'lucide-react';
import { useCallback, useEffect, useRef, useState } from 'react';
import { Button } from '../../components/controls';
import { Part } from '../../components/Facts';
import { Working } from '../../components/Working';
import { engine } from '../../engine/client';
import { useTerrain } from '../../store/state';
import { PressedHeights } from './PressedHeights';
import { PressRows } from './PressRows';
import { layOverTerrain, openAsTerrain, pressSettings, usePressing } from './pressing';
import type { Made, Shown } from './shown';
import css from './MeshRoom.module.css';

/** Mesh files, looked at from straight above, to heights; then into the terrain as a raster step, or a terrain of its own. */
export function MeshToHeights({
  onShown,
  onCaption,
  made,
  dropped,
}: {
  onShown: (shown: Shown | null) => void;
  onCaption: (caption: string) => void;
  made: Made | null;
  /** Meshes that were dropped elsewhere in the page. */
  dropped: Made['files'] | null;
}) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [source, setSource] = useState<Made | null>(null);
  const [settings, setSettings] = useState(() => pressSettings(course.ground.width));
  const onHeights = useCallback(() => setSource(null), []);
  const { result, fault, work, press, forget } = usePressing(course, source, settings, { onShown, onCaption, onHeights });

  const choose = useCallback(
    (mesh: Made) => {
      forget();
      setSettings((now) => ({ ...now, samples: 0, extent: null }));
      setSource(mesh);
    },
    [forget],
  );
  useDropped(dropped, choose);
  return (
    <>
      <Part title="Mesh">
        <MeshChooser name={source?.name ?? null} made={made} onChoose={choose} />
        <PressRows settings={settings} result={result} groundWidth={course.ground.width} onChange={setSettings} />
        {fault && (
          <p className={css.fault} role="alert">
            {fault}
          </p>
        )}
        {work && <Working work={work} onStop={() => void engine().stopMesh()} />}
        {source && !work && !result && !fault && (
          <div className={css.buttons}>
            <Button onClick={() => void press()}>Heights from mesh</Button>
          </div>
        )}
      </Part>
      {result && source && (
        <PressedHeights
          result={result}
          samples={settings.samples}
          against={settings.against}
          readOnly={readOnly}
          onSamples={(samples) => setSettings({ ...settings, samples })}
          onLay={() => void layOverTerrain(course, result, source.name)}
          onOpen={() => void openAsTerrain(result, source.name)}
        />
      )}
    </>
  );
}

/** Takes meshes that were dropped elsewhere in the page, once. */
function useDropped(dropped: Made['files'] | null, choose: (mesh: Made) => void): void {
  useEffect(() => {
    if (!dropped) return;
    useTerrain.setState({ meshFiles: null });
    choose({ name: nameOf(dropped), files: dropped });
  }, [dropped, choose]);
}

const nameOf = (files: Made['files']) => (files.length === 1 ? files[0].name : `${files[0].name} and ${files.length - 1} more`);

/** Takes mesh files: dropped, chosen, the demo's, or the one that was just written. */
function MeshChooser({ name, made, onChoose }: { name: string | null; made: Made | null; onChoose: (mesh: Made) => void }) {
  const chooser = useRef<HTMLInputElement>(null);
  const take = async (list: FileList | null | undefined) => {
    const files = await Promise.all([...(list ?? [])].map(async (file) => ({ name: file.name, bytes: new Uint8Array(await file.arrayBuffer()) })));
    if (files.length > 0) onChoose({ name: nameOf(files), files });
  };
  const takeDemo = async () => {
    const answer = await fetch('/demo/sallow-pit.glb');
    onChoose({ name: 'sallow-pit.glb', files: [{ name: 'sallow-pit.glb', bytes: new Uint8Array(await answer.arrayBuffer()) }] });
  };
  return (
    <div
      className={css.drop}
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault();
        // Elsewhere in the page a file that is dropped is looked at first.
        event.stopPropagation();
        void take(event.dataTransfer.files);
      }}
    >
      <p>{name ?? 'Drop an OBJ, PLY, STL, GLB or glTF here; several files that are parts of one mesh, together.'}</p>
      <div className={css.buttons}>
        <Button onClick={() => chooser.current?.click()}>
          <Upload size={13} /> Choose a mesh
        </Button>
        <Button onClick={() => void takeDemo()} title="A quarry as a modeller handed it over: benches, a ramp, an overhang, a hole.">
          Sallow Pit
        </Button>
        {made && (
          <Button onClick={() => onChoose(made)} title={made.name}>
            The one just written
          </Button>
        )}
      </div>
      <input
        ref={chooser}
        type="file"
        hidden
        multiple
        accept=".obj,.ply,.stl,.glb,.gltf,.bin,.mtl"
        aria-label="Mesh file"
        onChange={(event) => void take(event.target.files).then(() => void (event.target.value = ''))}
      />
    </div>
  );
}
