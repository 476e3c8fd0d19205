import { useEffect, useRef } from 'react';
import { linearAxis, tokenColour } from '../../../components/chart';
import { figure } from '../../../components/format';
import { useSectionChart, type SectionChartOptions } from '../../../components/section-chart';
import { sectionOf } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { SectionBefore, sectionThrough } from './section';
import css from './SectionChart.module.css';

/** The lines of the chart, in their order. */
const options = (): SectionChartOptions => ({
  lines: [
    ['ground', '--contour', { backgroundColor: `${tokenColour('--contour-wash')}66`, fill: 'start' }],
    ['before', '--soft-ink', { borderDash: [4, 3], borderWidth: 1 }],
    ['sea', '--water', { borderWidth: 1.2 }],
    ['water', '--water', { backgroundColor: `${tokenColour('--water')}55`, borderWidth: 1.2, fill: { target: 0 } }],
  ],
  along: 'metres from A to B',
  heights: { y: linearAxis('elevation, m') },
  digits: 1,
});

/** The ground along the section's line, elevation over distance, live with the settings; the sea, lakes and streams, and the ground before the latest change. */
export function SectionChart() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const before = useRef(new SectionBefore());
  const picture = useTerrain((s) => s.picture);
  const course = useTerrain((s) => s.course)!;
  const sheet = useTerrain((s) => s.sheet);
  const water = useTerrain((s) => s.water);
  const { from, to } = sectionOf(course);
  const length = Math.hypot(to.east - from.east, to.south - from.south);
  const draw = useSectionChart(canvas, options, sheet);
  const { points, levels } = sectionThrough(picture, water, from, to);
  useEffect(() => {
    if (!picture || points.length === 0) return;
    const { sea } = course.ground;
    const atSea = [0, length].map((x) => ({ x, y: sea }));
    draw(length, [
      points,
      before.current.take(JSON.stringify([from, to]), points, picture.preview),
      sea > Math.min(...points.map((p) => p.y)) ? atSea : [],
      levels.some(({ y }) => y > -Infinity) ? levels : [],
    ]);
  });
  const heights = points.map((p) => p.y);
  return (
    <section className={css.section} aria-label="Section">
      <div className={`${css.facts} number`}>
        <b>A – B</b>
        <span>{figure(length, 0)} m long</span>
        {heights.length > 0 && (
          <span>
            {figure(Math.min(...heights), 1)} to {figure(Math.max(...heights), 1)} m
          </span>
        )}
        {heights.length > 0 && length > 0 && <span>heights drawn larger than lengths</span>}
      </div>
      <div className={css.chart}>
        <canvas ref={canvas} role="img" aria-label="Elevation along the section" />
      </div>
    </section>
  );
}
