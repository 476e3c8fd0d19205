import { useEffect, useState } from 'react';
import { UplandError } from '@upland-cast/core';
import { Boundary } from '../../components/Boundary';
import { Button } from '../../components/controls';
import { keepFocusNear } from '../../components/focus';
import { change, redo, undo } from '../../store/history';
import { isSaving, saveShortly } from '../../store/persistence';
import { openTerrain } from '../../store/opening';
import { say, useTerrain } from '../../store/state';
import { select } from '../../store/course';
import { fillWindow, useLayout } from '../../store/layout';
import { isPressed, isTyping } from '../../store/keys';
import { ImportDialog } from '../import/ImportDialog';
import { BRING_IN, broughtBy, isProject, partMeshes, toMeshRoom, type Brought } from '../import/files';
import { joinInto, keepHandles } from '../import/taken';
import { Header } from './Header';
import { Notices } from './Notices';
import { roomOfHash, rooms, type RoomEntry } from './rooms';
import { SaveProject } from './SaveProject';
import css from './Workbench.module.css';

/** The page where a terrain is worked: one island, whose rooms are states of the address's hash. */
export function Workbench() {
  return (
    <Boundary part="This page" rescue={<SaveProject />}>
      <Bench />
    </Boundary>
  );
}

function Bench() {
  const room = useTerrain((s) => s.room);
  const course = useTerrain((s) => s.course);
  const missing = useTerrain((s) => s.missing);
  const filled = useLayout((s) => s.filled) && room === 'work';

  useEffect(() => {
    const read = () => useTerrain.setState({ room: roomOfHash(location.hash) });
    read();
    window.addEventListener('hashchange', read);
    const id = new URLSearchParams(location.search).get('id');
    if (id) void openTerrain(id);
    else useTerrain.setState({ missing: 'No terrain was named in the address.' });
    return () => window.removeEventListener('hashchange', read);
  }, []);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isPressed(event, 'palette')) useTerrain.setState(({ dialog }) => ({ dialog: dialog === 'palette' ? null : 'palette' }));
      else if (isTyping(event)) return;
      else if (isPressed(event, 'undo')) undo();
      else if (isPressed(event, 'redo') || isPressed(event, 'redoToo')) redo();
      else if (isPressed(event, 'fillWindow') && useTerrain.getState().room === 'work') fillWindow();
      else return;
      event.preventDefault();
    };
    const onLeave = (event: BeforeUnloadEvent) => {
      const { saveFault, gone } = useTerrain.getState();
      const saving = isSaving();
      if (saving) void saveShortly();
      if (saving || saveFault || gone) event.preventDefault();
    };
    const onHide = () => document.visibilityState === 'hidden' && isSaving() && void saveShortly();
    // Questions that the engine had not answered when it ended: it has said so itself.
    const onRejection = (event: PromiseRejectionEvent) => {
      if (event.reason instanceof UplandError && event.reason.code === 'engine-ended') event.preventDefault();
    };
    window.addEventListener('unhandledrejection', onRejection);
    window.addEventListener('keydown', onKey);
    window.addEventListener('beforeunload', onLeave);
    document.addEventListener('visibilitychange', onHide);
    return () => {
      window.removeEventListener('unhandledrejection', onRejection);
      window.removeEventListener('keydown', onKey);
      window.removeEventListener('beforeunload', onLeave);
      document.removeEventListener('visibilitychange', onHide);
    };
  }, []);

  useEffect(() => {
    if (course) document.title = `${course.name} · Upland Cast`;
  }, [course]);

  useEffect(keepFocusNear, []);

  const [brought, setBrought] = useState<Brought[] | null>(null);
  const take = (files: Brought[]) => {
    const others = files.filter((f) => !isProject(f.name));
    if (files.length > others.length) say('A project file is imported on the page of terrains.');
    void partMeshes(others).then(({ meshes, heights }) => {
      if (meshes.length) toMeshRoom(meshes);
      if (heights.length && !useTerrain.getState().readOnly) setBrought(heights);
    });
  };
  useEffect(() => {
    const over = (event: DragEvent) => event.dataTransfer?.types.includes('Files') && event.preventDefault();
    const drop = (event: DragEvent) => {
      if (!event.dataTransfer?.files.length) return;
      event.preventDefault();
      void broughtBy(event.dataTransfer).then(take);
    };
    const paste = (event: ClipboardEvent) => {
      if (!event.clipboardData?.files.length) return;
      event.preventDefault();
      void broughtBy(event.clipboardData).then(take);
    };
    const asked = (event: Event) => take((event as CustomEvent<Brought[]>).detail);
    window.addEventListener('dragover', over);
    window.addEventListener('drop', drop);
    window.addEventListener('paste', paste);
    window.addEventListener(BRING_IN, asked);
    return () => {
      window.removeEventListener('dragover', over);
      window.removeEventListener('drop', drop);
      window.removeEventListener('paste', paste);
      window.removeEventListener(BRING_IN, asked);
    };
  }, []);

  if (missing) {
    return (
      <main className={css.missing}>
        <p>{missing}</p>
        <a href="/">To the terrains</a>
      </main>
    );
  }
  return (
    <div className={filled ? `${css.bench} ${css.filled}` : css.bench}>
      {!filled && (
        <Boundary part="The header" rescue={<SaveProject />}>
          <Header />
        </Boundary>
      )}
      <Notices />
      {brought && course && (
        <Boundary part="Importing" rescue={<Button onClick={() => setBrought(null)}>Leave it</Button>}>
          <ImportDialog
            files={brought}
            into={course.ground}
            onClose={() => setBrought(null)}
            onTaken={(taken) => {
              setBrought(null);
              void keepHandles(taken.handles);
              let joined = '';
              change(`Import ${taken.name}`, (c) => void (joined = joinInto(c, taken)));
              select(joined);
            }}
          />
        </Boundary>
      )}
      {course && rooms.map((entry) => (entry.stays || room === entry.id) && <InRoom key={entry.id} entry={entry} shown={room === entry.id} />)}
    </div>
  );
}

function InRoom({ entry: { part, component: Room, stays }, shown }: { entry: RoomEntry; shown: boolean }) {
  const room = (
    <Boundary part={part} rescue={<SaveProject />}>
      <Room shown={shown} />
    </Boundary>
  );
  return stays ? (
    <div className={css.room} hidden={!shown}>
      {room}
    </div>
  ) : (
    room
  );
}
