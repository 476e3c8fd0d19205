import { useRef } from 'react';
import { useMove } from 'react-aria/useMove';
import { setLayout, useLayout } from '../../../store/layout';
import css from './CourseStrip.module.css';

const LEAST = 60;
const most = () => Math.round(window.innerHeight * 0.7);

/** The upper edge of the course: dragged, or moved by arrow keys, it makes it higher or lower; pressed twice it is as high as its lines again. */
export function CourseEdge() {
  const strip = useLayout((s) => s.strip);
  const edge = useRef<HTMLDivElement>(null);
  const height = () => edge.current!.nextElementSibling!.getBoundingClientRect().height;
  const { moveProps } = useMove({
    onMove({ deltaY, pointerType }) {
      const by = pointerType === 'keyboard' ? deltaY * 12 : deltaY;
      setLayout({ strip: Math.min(most(), Math.max(LEAST, Math.round((useLayout.getState().strip ?? height()) - by))) });
    },
  });
  return (
    <div
      {...moveProps}
      ref={edge}
      className={css.edge}
      role="separator"
      aria-orientation="horizontal"
      aria-label="Height of the course"
      aria-valuenow={strip ?? 0}
      aria-valuetext={strip ? `${strip} pixels` : 'as high as its lines'}
      aria-valuemin={LEAST}
      aria-valuemax={2000}
      tabIndex={0}
      title="Drag to make the course higher or lower; press twice to have it as high as its lines"
      onDoubleClick={() => setLayout({ strip: null })}
    />
  );
}
