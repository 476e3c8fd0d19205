import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip, type ChartConfiguration } from 'chart.js';
import { useEffect, useRef } from 'react';
import { linearAxis, tokenColour } from '../../../components/chart';
import { figure } from '../../../components/format';
import { sectionOf } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { SectionBefore, sectionThrough, type Point } from './section';
import css from './SectionChart.module.css';

Chart.register(LineController, LineElement, PointElement, LinearScale, Filler, Tooltip);

/** The lines of the chart, in their order: the ground, how it was, the sea, lakes and streams. */
const chartOfSection = (): ChartConfiguration<'line', Point[]> => ({
  type: 'line',
  data: {
    datasets: [
      {
        label: 'ground',
        data: [],
        borderColor: tokenColour('--contour'),
        backgroundColor: `${tokenColour('--contour-wash')}66`,
        borderWidth: 1.6,
        pointRadius: 0,
        fill: 'start',
      },
      { label: 'before', data: [], borderColor: tokenColour('--soft-ink'), borderDash: [4, 3], borderWidth: 1, pointRadius: 0 },
      { label: 'sea', data: [], borderColor: tokenColour('--water'), borderWidth: 1.2, pointRadius: 0 },
      {
        label: 'water',
        data: [],
        borderColor: tokenColour('--water'),
        backgroundColor: `${tokenColour('--water')}55`,
        borderWidth: 1.2,
        pointRadius: 0,
        fill: { target: 0 },
      },
    ],
  },
  options: {
    animation: false,
    maintainAspectRatio: false,
    parsing: false,
    interaction: { mode: 'index', intersect: false },
    plugins: {
      legend: { display: false },
      tooltip: {
        callbacks: {
          title: (items) => `${figure(items[0].parsed.x ?? 0, 0)} m along`,
          label: (item) => `${item.dataset.label}: ${figure(item.parsed.y ?? 0, 1)} m`,
        },
      },
    },
    scales: { x: { ...linearAxis('metres from A to B'), min: 0 }, y: linearAxis('elevation, m') },
  },
});

/** The ground along the section's line, elevation over distance, live with the settings; the sea, lakes and streams, and the ground before the latest change. */
export function SectionChart() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line', Point[]> | null>(null);
  const before = useRef(new SectionBefore());
  const picture = useTerrain((s) => s.picture);
  const course = useTerrain((s) => s.course)!;
  const sheet = useTerrain((s) => s.sheet);
  const water = useTerrain((s) => s.water);
  const { from, to } = sectionOf(course);
  const length = Math.hypot(to.east - from.east, to.south - from.south);
  const { points, levels } = sectionThrough(picture, water, from, to);
  useEffect(() => {
    const made = new Chart<'line', Point[]>(canvas.current!, chartOfSection());
    chart.current = made;
    return () => made.destroy();
  }, [sheet]);
  useEffect(() => {
    const made = chart.current;
    if (!made || !picture || points.length === 0) return;
    const { sea } = course.ground;
    const atSea = [0, length].map((x) => ({ x, y: sea }));
    const lines = [
      points,
      before.current.take(JSON.stringify([from, to]), points, picture.preview),
      sea > Math.min(...points.map((p) => p.y)) ? atSea : [],
      levels.some(({ y }) => y > -Infinity) ? levels : [],
    ];
    lines.forEach((line, k) => (made.data.datasets[k].data = line));
    made.options.scales!.x!.max = length;
    made.update('none');
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
