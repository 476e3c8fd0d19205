import { Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { useEffect, useRef, useState } from 'react';
import { Segments } from '../../components/controls';
import { figure } from '../../components/format';
import { Part } from '../../components/Facts';
import type { ComparedPicture } from '../../engine/api';
import { useTerrain } from '../../store/state';
import css from './CompareRoom.module.css';

Chart.register(LineController, LineElement, PointElement, LinearScale, Tooltip);

/** The elevations of both sides: how much lies at each, or how much lies above each (the hypsometric curve, Strahler 1952). */
export function Histograms({ histogram }: { histogram: ComparedPicture['histogram'] }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [kind, setKind] = useState<'histogram' | 'hypsometric'>('histogram');
  const sheet = useTerrain((s) => s.sheet);
  useEffect(() => {
    const style = getComputedStyle(document.documentElement);
    const colour = (name: string) => style.getPropertyValue(name).trim();
    const { low, high } = histogram;
    const points = (shares: number[]) => {
      let above = 1;
      return shares.map((share, k) => {
        const elevation = low + ((high - low) * (k + 0.5)) / shares.length;
        const point = kind === 'histogram' ? { x: elevation, y: 100 * share } : { x: 100 * above, y: elevation };
        above -= share;
        return point;
      });
    };
    const line = (label: string, shares: number[], of: string) => ({ label, data: points(shares), borderColor: colour(of), borderWidth: 1.6, pointRadius: 0 });
    const axis = (text: string) => ({
      type: 'linear' as const,
      title: { display: true, text, color: colour('--soft-ink'), font: { family: 'Overpass Variable', size: 11 } },
      ticks: {
        color: colour('--soft-ink'),
        font: { family: 'Overpass Mono Variable', size: 11 },
        maxTicksLimit: 5,
        callback: (v: number | string) => figure(Number(v), 0),
      },
      grid: { color: colour('--rule') },
    });
    const chart = new Chart(canvas.current!, {
      type: 'line',
      data: { datasets: [line('A', histogram.a, '--contour'), line('B', histogram.b, '--water')] },
      options: {
        animation: false,
        maintainAspectRatio: false,
        parsing: false,
        plugins: { legend: { display: false }, tooltip: { callbacks: { title: () => '' } } },
        scales:
          kind === 'histogram'
            ? { x: axis('elevation, m'), y: axis('% of the samples') }
            : { x: { ...axis('% of the ground that lies higher'), min: 0, max: 100 }, y: axis('elevation, m') },
      },
    });
    return () => chart.destroy();
  }, [histogram, kind, sheet]);
  return (
    <Part title="Elevations">
      <Segments label="Elevations" value={kind} choices={{ histogram: 'Histogram', hypsometric: 'Hypsometric' }} onChange={setKind} />
      <div className={css.chart}>
        <canvas ref={canvas} aria-label={`Elevations of both sides, from ${figure(histogram.low, 0)} to ${figure(histogram.high, 0)} m`} role="img" />
      </div>
    </Part>
  );
}
