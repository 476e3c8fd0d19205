import { useEffect, useState, type RefObject } from 'react';
import { useTerrain } from '../../../store/state';
import type { CourseLayout } from './course-layout';
import css from './CourseStrip.module.css';

const WIDTH = 156;
const HEIGHT = 44;

/** The whole course in small with what is seen of it, where it does not fit; a press scrolls there. */
export function CourseOverview({
  layout,
  scroller,
  width,
  height,
  column,
  row,
}: {
  layout: CourseLayout;
  scroller: RefObject<HTMLDivElement | null>;
  width: number;
  height: number;
  column: number;
  row: number;
}) {
  const selected = useTerrain((s) => s.selected);
  const [seen, setSeen] = useState({ left: 0, top: 0, width: 0, height: 0 });
  useEffect(() => {
    const box = scroller.current;
    if (!box) return;
    const read = () => setSeen({ left: box.scrollLeft, top: box.scrollTop, width: box.clientWidth, height: box.clientHeight });
    read();
    box.addEventListener('scroll', read, { passive: true });
    const watcher = new ResizeObserver(read);
    watcher.observe(box);
    return () => {
      box.removeEventListener('scroll', read);
      watcher.disconnect();
    };
  }, [scroller, width, height]);
  if (seen.width === 0 || (width <= seen.width + 2 && height <= seen.height + 2)) return null;
  const scale = Math.min(WIDTH / width, HEIGHT / height);
  const scrollTo = (event: React.MouseEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    scroller.current?.scrollTo({ left: (event.clientX - box.left) / scale - seen.width / 2, top: (event.clientY - box.top) / scale - seen.height / 2 });
  };
  return (
    <svg className={css.overview} width={WIDTH} height={HEIGHT} role="img" aria-label="Overview of the course" onClick={scrollTo}>
      {layout.cards.map((card) => (
        <rect
          key={card.use.id}
          className={card.use.id === selected ? css.here : card.use.on ? css.there : css.away}
          x={(110 + card.column * column) * scale}
          y={(6 + card.row * row) * scale}
          width={Math.max(3, 108 * scale)}
          height={Math.max(3, (row - 14) * scale)}
        />
      ))}
      <rect
        className={css.seen}
        x={seen.left * scale}
        y={seen.top * scale}
        width={Math.min(width, seen.width) * scale}
        height={Math.min(height, seen.height) * scale}
      />
    </svg>
  );
}
