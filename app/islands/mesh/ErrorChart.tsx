import { Chart, Legend, LinearScale, LineController, LineElement, LogarithmicScale, PointElement, ScatterController, Tooltip } from 'chart.js';
import { useEffect, useRef } from 'react';
import { figure, smallMetres } from '../../components/format';
import type { MeshCurve } from '../../engine/api';
import css from './MeshRoom.module.css';

Chart.register(LinearScale, LogarithmicScale, LineController, LineElement, PointElement, ScatterController, Tooltip, Legend);

/** Error against triangles, both by powers of ten, with the present choice marked: the knee is where more triangles stop paying. */
export function ErrorChart({ curve, now }: { curve: MeshCurve; now?: { triangles: number; error: number } }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const style = getComputedStyle(canvas.current!);
    const colour = (name: string) => style.getPropertyValue(name).trim();
    const family = colour('--numbers') || 'monospace';
    const line = (label: string, points: [number, number][], of: string, dash: number[] = []) => ({
      type: 'line' as const,
      label,
      data: points.filter(([, y]) => y > 0).map(([x, y]) => ({ x, y })),
      borderColor: colour(of),
      backgroundColor: colour(of),
      borderWidth: 1.6,
      borderDash: dash,
      pointRadius: 1.5,
      showLine: true,
    });
    const axis = (text: string) => ({
      type: 'logarithmic' as const,
      title: { display: true, text, font: { size: 11 }, color: colour('--ink') },
      ticks: { font: { size: 10, family }, color: colour('--ink'), maxTicksLimit: 6, callback: (v: number | string) => tick(Number(v)) },
      grid: { color: colour('--rule') },
    });
    const chart = new Chart(canvas.current!, {
      type: 'scatter',
      data: {
        datasets: [
          line('regular grid', curve.grid, '--contour'),
          line('greedy', curve.adaptive, '--water'),
          line('grid of 512, simplified', curve.simplified, '--soft-ink', [4, 3]),
          {
            type: 'scatter' as const,
            label: 'this mesh',
            data: now && now.error > 0 ? [{ x: now.triangles, y: now.error }] : [],
            pointRadius: 6,
            pointStyle: 'rectRot',
            borderColor: colour('--ink'),
            backgroundColor: colour('--fault'),
          },
        ],
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        parsing: false,
        plugins: {
          legend: { position: 'top', align: 'start', labels: { boxWidth: 12, boxHeight: 6, font: { size: 11 }, color: colour('--ink') } },
          tooltip: { callbacks: { label: (item) => `${item.dataset.label}: ${figure(item.parsed.x ?? 0, 0)} triangles, ${smallMetres(item.parsed.y ?? 0)}` } },
        },
        scales: { x: axis('triangles'), y: axis('largest error, m') },
      },
    });
    return () => chart.destroy();
  }, [curve, now]);
  return (
    <div className={css.chart}>
      <canvas ref={canvas} role="img" aria-label="Largest error against the count of triangles" />
    </div>
  );
}

/** Powers of ten, short. */
function tick(value: number): string {
  if (!/^[125]/.test(value.toExponential())) return '';
  return value >= 1e6 ? `${value / 1e6} M` : value >= 1e4 ? `${value / 1e3} k` : String(Number(value.toPrecision(2)));
}
