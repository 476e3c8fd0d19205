import { ChevronDown, ChevronLeft, ChevronRight, ChevronUp } from 'lucide-react';
import type { ReactNode } from 'react';
import { Boundary } from '../../components/Boundary';
import { setLayout, useLayout, type Panel } from '../../store/layout';
import { SaveProject } from '../shell/SaveProject';
import { CourseEdge } from './course/CourseEdge';
import { CourseStrip } from './course/CourseStrip';
import { JoinDialog } from './dialogs/JoinDialog';
import { Staff } from './elevation/Staff';
import { Settings } from './settings/Settings';
import { GroundCanvas } from './view/GroundCanvas';
import css from './WorkRoom.module.css';

/** Staff, view, settings, and the course along the foot; a fault in one leaves the others. */
export function WorkRoom({ shown }: { shown: boolean }) {
  const { elevation, settings, course, filled } = useLayout();
  const open = { elevation: elevation && !filled, settings: settings && !filled, course: course && !filled };
  const classes = [css.room, !open.elevation && css.withoutElevation, !open.settings && css.withoutSettings];
  return (
    <main className={classes.filter(Boolean).join(' ')}>
      {open.elevation && (
        <Boundary part="The staff" rescue={<SaveProject />}>
          <Staff />
        </Boundary>
      )}
      <Boundary part="The view" rescue={<SaveProject />}>
        <GroundCanvas shown={shown} />
      </Boundary>
      {open.settings && (
        <Boundary part="The settings" rescue={<SaveProject />}>
          <Settings />
        </Boundary>
      )}
      {open.course && (
        <Boundary part="The course" rescue={<SaveProject />}>
          <div className={css.course}>
            <CourseEdge />
            <CourseStrip />
          </div>
        </Boundary>
      )}
      {!filled && (
        <div className={css.handles}>
          <Fold
            panel="elevation"
            name="the elevation"
            open={elevation}
            className={css.west}
            icons={[<ChevronLeft key="o" size={14} />, <ChevronRight key="c" size={14} />]}
          />
          <Fold
            panel="settings"
            name="the settings"
            open={settings}
            className={css.east}
            icons={[<ChevronRight key="o" size={14} />, <ChevronLeft key="c" size={14} />]}
          />
          <Fold
            panel="course"
            name="the course"
            open={course}
            className={css.south}
            icons={[<ChevronDown key="o" size={14} />, <ChevronUp key="c" size={14} />]}
          />
        </div>
      )}
      <JoinDialog />
    </main>
  );
}

/** Folds a panel away, or opens it, on the edge where it stands. */
function Fold({ panel, name, open, className, icons }: { panel: Panel; name: string; open: boolean; className: string; icons: [ReactNode, ReactNode] }) {
  const label = open ? `Fold ${name} away` : `Open ${name}`;
  return (
    <button
      type="button"
      className={`${css.fold} ${className}`}
      aria-label={label}
      title={label}
      aria-expanded={open}
      onClick={() => setLayout({ [panel]: !open })}
    >
      {icons[open ? 0 : 1]}
    </button>
  );
}
