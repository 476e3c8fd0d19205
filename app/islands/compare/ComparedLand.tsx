import { Chart, LinearScale, LineController, LineElement, LogarithmicScale, PointElement, Tooltip } from 'chart.js';
import { useEffect, useRef, useState } from 'react';
import type { LandReport } from '@upland-cast/core';
import { Button, Segments } from '../../components/controls';
import { linearAxis, tokenColour } from '../../components/chart';
import { Part } from '../../components/Facts';
import { figure } from '../../components/format';
import { useEngineQuery } from '../../components/use-engine-query';
import { engine } from '../../engine/client';
import type { ComparedPicture } from '../../engine/api';
import { useTerrain } from '../../store/state';
import { SidesTable } from './SidesTable';
import css from './CompareRoom.module.css';

Chart.register(LineController, LineElement, PointElement, LinearScale, LogarithmicScale, Tooltip);

/** What both are like as land; measured when it is asked for. */
export function ComparedLand({ found }: { found: ComparedPicture }) {
  const [open, setOpen] = useState(false);
  const { value, fault, waiting } = useEngineQuery(() => (open ? engine().compareLand(found.id) : null), [open, found.id]);
  return (
    <Part title="As land">
      {!open && <Button onClick={() => setOpen(true)}>Slope and spectrum of both</Button>}
      {open && waiting && !value && <p className={css.note}>Measuring …</p>}
      {fault && <p className={css.fault}>{fault}</p>}
      {open && value && <Both a={value.a} b={value.b} />}
    </Part>
  );
}

function Both({ a, b }: { a: LandReport; b: LandReport }) {
  const share = (v: number, digits = 1) => `${figure(100 * v, digits)} %`;
  const rows: [string, (land: LandReport) => string][] = [
    ['slope, half under', ({ slope }) => `${figure(slope.q50, 1)}°`],
    ['one in twenty over', ({ slope }) => `${figure(slope.q95, 1)}°`],
    ['level', ({ flat }) => share(flat)],
    ['eight-fold', ({ eightFold }) => figure(eightFold, 3)],
    ['four-fold', ({ fourFold }) => figure(fourFold, 3)],
    ['in hollows', ({ hollows }) => share(hollows.share, 2)],
    ['spectrum, large forms', ({ spectrum }) => figure(spectrum.large, 2)],
    ['spectrum, small forms', ({ spectrum }) => figure(spectrum.small, 2)],
  ];
  return (
    <>
      <SidesTable rows={rows.map(([name, of]) => [name, of(a), of(b)])} />
      <LandChart a={a} b={b} />
    </>
  );
}

/** Shares of the ground by degrees of slope, or power by the size of forms, of both. */
function LandChart({ a, b }: { a: LandReport; b: LandReport }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [kind, setKind] = useState<'slope' | 'spectrum'>('slope');
  const sheet = useTerrain((s) => s.sheet);
  useEffect(() => {
    const points = (land: LandReport) =>
      kind === 'slope'
        ? land.degrees.slice(0, 80).map((part, x) => ({ x, y: 100 * part }))
        : land.rings.map(({ frequency, power }) => ({ x: 1 / frequency, y: power }));
    const line = (label: string, land: LandReport, of: string) => ({
      label,
      data: points(land),
      borderColor: tokenColour(of),
      borderWidth: 1.6,
      pointRadius: 0,
    });
    const logarithmic = (text: string, figures: boolean) => {
      const axis = linearAxis(text, 5);
      return {
        ...axis,
        type: 'logarithmic' as const,
        ticks: { ...axis.ticks, display: figures, callback: (v: number | string) => figure(Number(v), Number(v) < 1 ? 2 : 0) },
      };
    };
    const chart = new Chart(canvas.current!, {
      type: 'line',
      data: { datasets: [line('A', a, '--contour'), line('B', b, '--water')] },
      options: {
        animation: false,
        maintainAspectRatio: false,
        parsing: false,
        plugins: { legend: { display: false }, tooltip: { callbacks: { title: () => '' } } },
        scales:
          kind === 'slope'
            ? { x: linearAxis('degrees of slope', 5), y: linearAxis('% of the ground', 5) }
            : { x: logarithmic('size of forms, m', true), y: logarithmic('power', false) },
      },
    });
    return () => chart.destroy();
  }, [a, b, kind, sheet]);
  return (
    <>
      <Segments label="Land of both" value={kind} choices={{ slope: 'Slopes', spectrum: 'Spectrum' }} onChange={setKind} />
      <div className={css.chart}>
        <canvas
          ref={canvas}
          role="img"
          aria-label={
            kind === 'slope'
              ? `Slopes of both: half lie under ${figure(a.slope.q50, 1)}° in A and ${figure(b.slope.q50, 1)}° in B`
              : 'Power by the size of forms, of both'
          }
        />
      </div>
    </>
  );
}
