import { Dices, FilePlus, Map, Mountain, Upload } from 'lucide-react';
import { useEffect, useRef, useState, type ChangeEvent } from 'react';
import { beginRolled, makeCourse, makeGround, sentenceOf, stepUse, type StartingCourse } from '@upland-cast/core';
import { Button } from '../../components/controls';
import { handMeshes } from '../../storage/meshes';
import { storageSentence } from '../../storage/room';
import { addTerrain, bringIn } from '../../storage/terrains';
import { startingPicture } from '../../store/starting';
import { broughtBy, broughtFromAddress, chooseFiles, isProject, partMeshes, type Brought } from '../import/files';
import css from './Terrains.module.css';

type Fault = (sentence: string | null) => void;

/** What a terrain without a file begins on. */
const LEVEL = makeGround({ width: 4096, depth: 4096, across: 1025, down: 1025, registration: 'point', sea: 0 });

/** Files become terrains: project files at once, meshes in a Mesh room of their own, heights after they were looked at (`brought`). */
export function useBringing(setFault: Fault, refresh: () => Promise<void>) {
  const [brought, setBrought] = useState<Brought[] | null>(null);
  /** Makes a terrain and goes there; what cannot be stored is said. */
  const begin = async (make: () => Promise<string>) => {
    try {
      location.href = `/terrain?id=${await make()}`;
    } catch (error) {
      setBrought(null);
      setFault(storageSentence(error));
    }
  };
  // A mesh becomes heights in the Mesh room of a new terrain.
  const openMesh = (meshes: Brought[]) =>
    begin(async () => {
      const name = meshes[0].name.replace(/\.[^.]*$/, '').slice(0, 100) || 'A mesh';
      const id = await addTerrain(makeCourse(name, LEVEL));
      await handMeshes(id, meshes);
      return `${id}#mesh`;
    });
  const take = async (files: Brought[]) => {
    setFault(null);
    for (const { name, file } of files.filter((f) => isProject(f.name))) {
      try {
        await bringIn(file);
        await refresh();
      } catch (error) {
        setFault(`${name}: ${storageSentence(error)}`);
      }
    }
    const { meshes, heights } = await partMeshes(files.filter((f) => !isProject(f.name)));
    if (meshes.length) return void openMesh(meshes);
    if (heights.length) setBrought(heights);
  };
  useEffect(() => {
    const onPaste = (event: ClipboardEvent) => {
      const text = event.clipboardData?.getData('text') ?? '';
      if (text)
        void broughtFromAddress(text)
          .then((files) => files && take(files))
          .catch((error: unknown) => setFault(sentenceOf(error)));
      if (!event.clipboardData?.files.length) return;
      event.preventDefault();
      void broughtBy(event.clipboardData).then(take);
    };
    window.addEventListener('paste', onPaste);
    return () => window.removeEventListener('paste', onPaste);
  });
  // Files that were opened with the application by the system.
  const latest = useRef(take);
  latest.current = take;
  useEffect(() => {
    const { launchQueue } = window as { launchQueue?: { setConsumer(take: (launched: { files?: readonly FileSystemFileHandle[] }) => void): void } };
    launchQueue?.setConsumer(({ files = [] }) => {
      void Promise.all(files.map(async (handle) => ({ name: handle.name, file: await handle.getFile(), handle }))).then(
        (opened) => opened.length && latest.current(opened),
      );
    });
  }, []);
  return { brought, setBrought, begin, take };
}

/** Ways to a new terrain: from nothing, from a project file, from heights, from the survey. */
export function Beginnings({ onBegin, onFiles }: { onBegin: (make: () => Promise<string>) => void; onFiles: (files: Brought[]) => void }) {
  const project = useRef<HTMLInputElement>(null);
  const heights = useRef<HTMLInputElement>(null);
  const beginNew = (withNoise: boolean) =>
    onBegin(() => {
      const stem = withNoise ? [stepUse('flat', { level: 200 }), stepUse('noise', { seed: crypto.getRandomValues(new Uint32Array(1))[0] % 1_000_000 })] : [];
      return addTerrain(makeCourse('New terrain', LEVEL, stem));
    });
  const choose = async () => {
    const files = await chooseFiles();
    if (files) onFiles(files);
    else heights.current?.click();
  };
  const onChange = (event: ChangeEvent<HTMLInputElement>) => {
    onFiles([...(event.target.files ?? [])].map((file) => ({ name: file.name, file })));
    event.target.value = '';
  };
  return (
    <div className={css.bar}>
      <h1>Terrains</h1>
      <Button look="main" onClick={() => beginNew(true)}>
        <FilePlus size={14} /> New from noise
      </Button>
      <Button onClick={() => beginNew(false)}>
        <FilePlus size={14} /> New, level
      </Button>
      <Button onClick={() => project.current?.click()}>
        <Upload size={14} /> Import a project file
      </Button>
      <input ref={project} type="file" accept=".uplandcast,application/zip" hidden aria-label="Project file" onChange={onChange} />
      <Button onClick={() => void choose()}>
        <Mountain size={14} /> Import heights
      </Button>
      <input ref={heights} type="file" multiple hidden aria-label="Files of heights" onChange={onChange} />
      <a className={css.survey} href="/survey">
        <Map size={14} /> From the survey
      </a>
    </div>
  );
}

/** A course to begin from, with its picture: worked out once in this browser. */
export function Start({ start, onFault }: { start: StartingCourse; onFault: (sentence: string) => void }) {
  const [url, setUrl] = useState<string | null>(null);
  useEffect(() => {
    let made: string | null = null;
    let gone = false;
    void startingPicture(start.id)
      .catch(() => null)
      .then((blob) => {
        if (!blob || gone) return;
        made = URL.createObjectURL(blob);
        setUrl(made);
      });
    return () => {
      gone = true;
      if (made) URL.revokeObjectURL(made);
    };
  }, [start.id]);
  const begin = async (roll: number) => {
    try {
      location.href = `/terrain?id=${await addTerrain(beginRolled(start.make(), roll))}`;
    } catch (error) {
      onFault(storageSentence(error));
    }
  };
  return (
    <li className={css.beginning}>
      <button type="button" className={css.start} onClick={() => void begin(0)}>
        <span className="only-read">Begin from </span>
        <b>{start.name}</b>
        <span className={css.picture}>{url ? <img src={url} alt="" /> : <i>Working it out …</i>}</span>
        <span>{start.summary}</span>
      </button>
      <Button
        className={css.roll}
        aria-label={`Another roll of ${start.name}`}
        title="Another ground of the same kind: every seed drawn anew"
        onClick={() => void begin(1 + Math.floor(Math.random() * 999_999))}
      >
        <Dices size={14} /> Another roll
      </Button>
    </li>
  );
}
