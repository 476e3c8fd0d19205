import { Chart, LinearScale, LineController, LineElement, PointElement, Tooltip } from 'chart.js';
import { useEffect, useRef, useState } from 'react';
import { Segments } from '../../components/controls';
import { linearAxis, tokenColour } from '../../components/chart';
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
    const line = (label: string, shares: number[], of: string) => ({
      label,
      data: points(shares),
      borderColor: tokenColour(of),
      borderWidth: 1.6,
      pointRadius: 0,
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
            ? { x: linearAxis('elevation, m', 5), y: linearAxis('% of the samples', 5) }
            : { x: { ...linearAxis('% of the ground that lies higher', 5), min: 0, max: 100 }, y: linearAxis('elevation, m', 5) },
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
