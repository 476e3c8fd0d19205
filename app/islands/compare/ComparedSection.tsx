import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { useEffect, useRef } from 'react';
import { linearAxis, tokenColour } from '../../components/chart';
import { figure } from '../../components/format';
import type { ComparedPicture } from '../../engine/api';
import { sectionOver } from '../../store/keeping';
import { useTerrain } from '../../store/state';
import { heightAt } from '../../view/ground/pick';
import css from './CompareRoom.module.css';

Chart.register(LineController, LineElement, PointElement, LinearScale, Filler, Tooltip);

const COUNT = 420;

/** Both grounds along one line, and the difference under them. */
export function ComparedSection({ found }: { found: ComparedPicture | null }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const chart = useRef<Chart<'line', { x: number; y: number }[]> | null>(null);
  const course = useTerrain((s) => s.course)!;
  const sheet = useTerrain((s) => s.sheet);
  const { from, to } = sectionOver(course, found?.ground ?? course.ground);
  const length = Math.hypot(to.east - from.east, to.south - from.south);
  useEffect(() => {
    const line = (label: string, of: string, more: object = {}) => ({
      label,
      data: [],
      borderColor: tokenColour(of),
      borderWidth: 1.6,
      pointRadius: 0,
      ...more,
    });
    const made = new Chart<'line', { x: number; y: number }[]>(canvas.current!, {
      type: 'line',
      data: {
        datasets: [
          line('A', '--contour', { yAxisID: 'y' }),
          line('B', '--water', { yAxisID: 'y' }),
          line('B − A', '--soft-ink', { yAxisID: 'd', fill: 'origin', backgroundColor: `${tokenColour('--soft-ink')}88`, borderWidth: 0 }),
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
              label: (item) => `${item.dataset.label}: ${figure(item.parsed.y ?? 0, 2)} m`,
            },
          },
        },
        scales: {
          x: { ...linearAxis('metres from C to D', 6), min: 0 },
          d: { ...linearAxis('B − A, m', 6), beginAtZero: true, stack: 's', stackWeight: 1.4, position: 'left', offset: true },
          y: { ...linearAxis('elevation, m', 6), stack: 's', stackWeight: 3 },
        },
      },
    });
    chart.current = made;
    return () => made.destroy();
  }, [sheet]);
  const points: { a: number; b: number; x: number }[] = [];
  if (found) {
    const { ground, heightA, heightB } = found;
    for (let i = 0; i <= COUNT; i++) {
      const t = i / COUNT;
      const place = [from.east + t * (to.east - from.east), from.south + t * (to.south - from.south)] as const;
      points.push({
        x: t * length,
        a: heightAt({ ground, height: heightA }, ...place) + ground.datum,
        b: heightAt({ ground, height: heightB }, ...place) + ground.datum,
      });
    }
  }
  useEffect(() => {
    const made = chart.current;
    if (!made) return;
    made.data.datasets[0].data = points.map(({ x, a }) => ({ x, y: a }));
    made.data.datasets[1].data = points.map(({ x, b }) => ({ x, y: b }));
    made.data.datasets[2].data = points.map(({ x, a, b }) => ({ x, y: b - a }));
    made.options.scales!.x!.max = length;
    made.update('none');
  });
  const most = points.reduce((best, p) => (Math.abs(p.b - p.a) > Math.abs(best.b - best.a) ? p : best), points[0]);
  return (
    <section className={css.section} aria-label="Section of both">
      <p className="number">
        <b>Section C – D</b> {figure(length, 0)} m{most && ` · largest apart ${figure(Math.abs(most.b - most.a), 1)} m at ${figure(most.x, 0)} m`}
      </p>
      <div>
        <canvas ref={canvas} role="img" aria-label="Elevations of both along the line, and their difference" />
      </div>
    </section>
  );
}
