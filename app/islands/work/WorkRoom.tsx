import { Boundary } from '../../components/Boundary';
import { CourseStrip } from './course/CourseStrip';
import { JoinDialog } from './dialogs/JoinDialog';
import { GroundCanvas } from './view/GroundCanvas';
import { SaveProject } from '../shell/SaveProject';
import { Settings } from './settings/Settings';
import { Staff } from './elevation/Staff';
import css from './WorkRoom.module.css';

/** Staff, view, settings, and the course along the foot; a fault in one leaves the others. */
export function WorkRoom({ shown }: { shown: boolean }) {
  return (
    <main className={css.room}>
      <Boundary part="The staff" rescue={<SaveProject />}>
        <Staff />
      </Boundary>
      <Boundary part="The view" rescue={<SaveProject />}>
        <GroundCanvas shown={shown} />
      </Boundary>
      <Boundary part="The settings" rescue={<SaveProject />}>
        <Settings />
      </Boundary>
      <Boundary part="The course" rescue={<SaveProject />}>
        <CourseStrip />
      </Boundary>
      <JoinDialog />
    </main>
  );
}
