import { useEffect } from 'react';
import { isSaving, openTerrain, redo, saveNow, undo, useTerrain, type Room } from '../../store/terrain';
import { HandOffRoom } from '../handoff/HandOffRoom';
import { MeshRoom } from '../mesh/MeshRoom';
import { Header } from './Header';
import { Notices } from './Notices';
import { WorkRoom } from './WorkRoom';
import css from './Workbench.module.css';

const ROOMS: Room[] = ['work', 'mesh', 'hand-off'];

/** The page where a terrain is worked: one island, whose rooms are states of the address's hash. */
export function Workbench() {
  const room = useTerrain((s) => s.room);
  const course = useTerrain((s) => s.course);
  const missing = useTerrain((s) => s.missing);

  useEffect(() => {
    const read = () => {
      const hash = location.hash.slice(1) as Room;
      useTerrain.setState({ room: ROOMS.includes(hash) ? hash : 'work' });
    };
    read();
    window.addEventListener('hashchange', read);
    const id = new URLSearchParams(location.search).get('id');
    if (id) void openTerrain(id);
    else useTerrain.setState({ missing: 'No terrain was named in the address.' });
    return () => window.removeEventListener('hashchange', read);
  }, []);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLInputElement && event.target.type !== 'range';
      if (!(event.ctrlKey || event.metaKey) || typing) return;
      const key = event.key.toLowerCase();
      if (key === 'z' && !event.shiftKey) undo();
      else if ((key === 'z' && event.shiftKey) || key === 'y') redo();
      else return;
      event.preventDefault();
    };
    const onLeave = (event: BeforeUnloadEvent) => {
      if (!isSaving()) return;
      void saveNow();
      event.preventDefault();
    };
    const onHide = () => document.visibilityState === 'hidden' && isSaving() && void saveNow();
    window.addEventListener('keydown', onKey);
    window.addEventListener('beforeunload', onLeave);
    document.addEventListener('visibilitychange', onHide);
    return () => {
      window.removeEventListener('keydown', onKey);
      window.removeEventListener('beforeunload', onLeave);
      document.removeEventListener('visibilitychange', onHide);
    };
  }, []);

  useEffect(() => {
    if (course) document.title = `${course.name} · Upland Cast`;
  }, [course]);

  if (missing) {
    return (
      <main className={css.missing}>
        <p>{missing}</p>
        <a href="/">To the terrains</a>
      </main>
    );
  }
  return (
    <div className={css.bench}>
      <Header />
      <Notices />
      {course && (
        <>
          <div className={css.room} hidden={room !== 'work'}>
            <WorkRoom shown={room === 'work'} />
          </div>
          {room === 'mesh' && <MeshRoom />}
          {room === 'hand-off' && <HandOffRoom />}
        </>
      )}
    </div>
  );
}
