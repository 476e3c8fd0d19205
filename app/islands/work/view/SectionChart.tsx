import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { useEffect, useRef } from 'react';
import { linearAxis, tokenColour } from '../../../components/chart';
import { figure } from '../../../components/format';
import { sectionOf } from '../../../store/keeping';
import { useTerrain } from '../../../store/state';
import { depthAt, heightAt } from '../../../view/ground/pick';
import css from './SectionChart.module.css';

Chart.register(LineController, LineElement, PointElement, LinearScale, Filler, Tooltip);

const COUNT = 480;
interface Point {
  x: number;
  y: number;
}

/** The ground along the section's line, elevation over distance, live with the settings; the sea, lakes and streams, and the ground before the latest change. */
export function SectionChart() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line', Point[]> | null>(null);
  /** The last full ground along the line, and the one before it. */
  const before = useRef<{ key: string; now: Point[]; was: Point[] }>({ key: '', now: [], was: [] });
  const picture = useTerrain((s) => s.picture);
  const course = useTerrain((s) => s.course)!;
  const sheet = useTerrain((s) => s.sheet);
  const { from, to } = sectionOf(course);
  const length = Math.hypot(to.east - from.east, to.south - from.south);
  const water = useTerrain((s) => s.water);
  const points: Point[] = [];
  const levels: Point[] = [];
  if (picture) {
    for (let i = 0; i <= COUNT; i++) {
      const t = i / COUNT;
      const y = heightAt(picture, from.east + (to.east - from.east) * t, from.south + (to.south - from.south) * t) + picture.ground.datum;
      points.push({ x: t * length, y });
      const depth = water ? depthAt(picture, water, from.east + (to.east - from.east) * t, from.south + (to.south - from.south) * t) : 0;
      levels.push({ x: t * length, y: depth > 0 ? y + depth : NaN });
    }
  }
  useEffect(() => {
    const made = new Chart<'line', Point[]>(canvas.current!, {
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
    chart.current = made;
    return () => made.destroy();
  }, [sheet]);
  useEffect(() => {
    const made = chart.current;
    if (!made || points.length === 0) return;
    const key = JSON.stringify([from, to]);
    const held = before.current;
    // The dashed line is the full ground before it changed along the same line; previews pass by.
    const differs = held.now.length === points.length && held.now.some((p, i) => Math.abs(p.y - points[i].y) > 1e-3);
    if (held.key !== key) before.current = { key, now: points, was: [] };
    else if (differs && !picture!.preview) before.current = { key, now: points, was: held.now };
    const dashed = picture!.preview && differs ? held.now : before.current.was;
    const lowest = Math.min(...points.map((p) => p.y));
    made.data.datasets[0].data = points;
    made.data.datasets[1].data = dashed;
    const { sea } = course.ground;
    made.data.datasets[2].data =
      sea > lowest
        ? [
            { x: 0, y: sea },
            { x: length, y: sea },
          ]
        : [];
    made.data.datasets[3].data = levels.some(({ y }) => y > -Infinity) ? levels : [];
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
