import { CourseStrip } from './CourseStrip';
import { GroundCanvas } from './GroundCanvas';
import { Settings } from './Settings';
import { Staff } from './Staff';
import css from './WorkRoom.module.css';

/** Staff, view, settings, and the course along the foot. */
export function WorkRoom({ shown }: { shown: boolean }) {
  return (
    <main className={css.room}>
      <Staff />
      <GroundCanvas shown={shown} />
      <Settings />
      <CourseStrip />
    </main>
  );
}
