import { useEffect } from 'react';
import { Boundary } from '../../components/Boundary';
import { Button } from '../../components/controls';
import { keepFocusNear } from '../../components/focus';
import { change } from '../../store/history';
import { useTerrain } from '../../store/state';
import { select } from '../../store/course';
import { useLayout } from '../../store/layout';
import { ImportDialog } from '../import/ImportDialog';
import { joinInto, keepHandles } from '../import/taken';
import { useAddress, useBrought, useKeysOfPage, useLeaving } from './bench';
import { Header } from './Header';
import { Notices } from './Notices';
import { rooms, type RoomEntry } from './rooms';
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
  useAddress();
  useKeysOfPage();
  useLeaving();
  useEffect(() => {
    if (course) document.title = `${course.name} · Upland Cast`;
  }, [course]);
  useEffect(keepFocusNear, []);
  const { brought, leave } = useBrought();

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
        <Boundary part="Importing" rescue={<Button onClick={leave}>Leave it</Button>}>
          <ImportDialog
            files={brought}
            into={course.ground}
            onClose={leave}
            onTaken={(taken) => {
              leave();
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
