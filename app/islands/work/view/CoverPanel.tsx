import { useTerrain } from '../../../store/state';
import { CoverPart } from '../../cover/CoverPart';
import css from './ViewPanel.module.css';

/** The rules of the ground's colour beside it: those that are handed on. */
export function CoverPanel() {
  const course = useTerrain((s) => s.course)!;
  return (
    <section className={css.overReadout} aria-label="Rules of the ground colour">
      <CoverPart course={course} />
    </section>
  );
}
