import { Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip, type ChartConfiguration, type ChartDataset } from 'chart.js';
import { useEffect, useRef, type RefObject } from 'react';
import { linearAxis, tokenColour } from './chart';
import { figure } from './format';

Chart.register(LineController, LineElement, PointElement, LinearScale, Filler, Tooltip);

/** A place on a section: metres along it, and metres up. */
export interface SectionPoint {
  x: number;
  y: number;
}

export type SectionLine = Pick<ChartDataset<'line'>, 'borderWidth' | 'borderDash' | 'backgroundColor' | 'fill' | 'yAxisID'>;

export interface SectionChartOptions {
  /** Each line's name, the token of its colour, and what is not as usual about it. */
  lines: readonly (readonly [label: string, token: string, more?: SectionLine])[];
  /** Words under the axis along the section. */
  along: string;
  /** Axes of heights, by their name. */
  heights: Record<string, ReturnType<typeof linearAxis> & { beginAtZero?: boolean; stack?: string; stackWeight?: number; position?: 'left'; offset?: boolean }>;
  /** Labels of an axis at the most. */
  ticks?: number;
  /** Digits of heights under the pointer. */
  digits: number;
}

const configOf = ({ lines, along, heights, ticks, digits }: SectionChartOptions): ChartConfiguration<'line', SectionPoint[]> => ({
  type: 'line',
  data: {
    datasets: lines.map(([label, token, more]) => ({ label, data: [], borderColor: tokenColour(token), borderWidth: 1.6, pointRadius: 0, ...more })),
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
          label: (item) => `${item.dataset.label}: ${figure(item.parsed.y ?? 0, digits)} m`,
        },
      },
    },
    scales: { ...heights, x: { ...linearAxis(along, ticks), min: 0 } },
  },
});

/** A chart of heights along a section, made anew when the sheet turns dark or light: give it the points of its lines whenever they may have changed. */
export function useSectionChart(canvas: RefObject<HTMLCanvasElement | null>, options: () => SectionChartOptions, sheet: string) {
  const chart = useRef<Chart<'line', SectionPoint[]> | null>(null);
  const made = useRef(options);
  made.current = options;
  useEffect(() => {
    const own = (chart.current = new Chart<'line', SectionPoint[]>(canvas.current!, configOf(made.current())));
    return () => own.destroy();
  }, [canvas, sheet]);
  return (length: number, lines: readonly SectionPoint[][]) => {
    const own = chart.current;
    if (!own) return;
    lines.forEach((line, k) => (own.data.datasets[k].data = line));
    own.options.scales!.x!.max = length;
    own.update('none');
  };
}
