import { Chart, Filler, LinearScale, LineController, LineElement, LogarithmicScale, PointElement, Tooltip, type ChartConfiguration } from 'chart.js';
import { useEffect, useRef } from 'react';
import { USUAL_LAND, type LandReport } from '@upland-cast/core';
import { Facts } from '../../../components/Facts';
import { figure } from '../../../components/format';
import { useEngineQuery } from '../../../components/use-engine-query';
import { engine } from '../../../engine/client';
import { useTerrain } from '../../../store/state';
import css from './LandPanel.module.css';

Chart.register(LineController, LineElement, PointElement, LinearScale, LogarithmicScale, Filler, Tooltip);

interface Point {
  x: number;
  y: number;
}

const percent = (share: number, digits = 1) => `${figure(share * 100, digits)} %`;
const span = ([low, high]: readonly [number, number], digits: number) =>
  low === 0 ? `to ${figure(high, digits)}` : `${figure(low, digits)} to ${figure(high, digits)}`;

/** What the ground is like as land, beside what real ground shows; measured on the full ground, not on a preview. */
export function LandPanel() {
  const picture = useTerrain((s) => s.picture);
  const full = picture && !picture.preview ? picture : null;
  const { value, fault, waiting } = useEngineQuery(() => (full ? engine().measureLand({ ground: full.ground, height: full.height }) : null), [full], 250);
  return (
    <section className={css.panel} aria-label="Land" aria-busy={waiting}>
      {fault && <p className={css.fault}>{fault}</p>}
      {!value && !fault && <p>Measuring …</p>}
      {value && <Measured land={value} stale={waiting || !full} />}
    </section>
  );
}

function Measured({ land, stale }: { land: LandReport; stale: boolean }) {
  const { slope, fullestDegree, verdict } = land;
  return (
    <div className={`${css.columns} ${stale ? css.stale : ''}`}>
      <div className={css.words} tabIndex={0} role="region" aria-label="What the land is like">
        {verdict.length === 0 ? (
          <p className={css.good}>All of it lies within what real ground shows.</p>
        ) : (
          <ul>
            {verdict.map(({ id, sentence }) => (
              <li key={id}>{sentence}</li>
            ))}
          </ul>
        )}
        <Facts
          items={[
            ['Slope, half under', `${figure(slope.q50, 1)}°`],
            ['One in twenty over', `${figure(slope.q95, 1)}°`],
            [`At ${fullestDegree.at}° (${span([0, 100 * USUAL_LAND.fullestDegree[1]], 0)} %)`, percent(fullestDegree.share)],
            [`Level (${span([0, 100 * USUAL_LAND.flat[1]], 0)} %)`, percent(land.flat)],
            [`Eight-fold (${span(USUAL_LAND.eightFold, 2)})`, figure(land.eightFold, 3)],
            [`Four-fold (${span(USUAL_LAND.fourFold, 2)})`, figure(land.fourFold, 3)],
            [`In hollows (${span([0, 100 * USUAL_LAND.hollows[1]], 1)} %)`, percent(land.hollows.share, 2)],
            [`Concavity (${span(USUAL_LAND.concavity, 2)})`, land.concavity === null ? '–' : figure(land.concavity, 2)],
            ['Channels', `${figure(land.drainageDensity, 2)} km a km²`],
            ['Hypsometric integral', land.hypsometricIntegral === null ? '–' : figure(land.hypsometricIntegral, 2)],
          ]}
        />
      </div>
      <SlopeChart land={land} />
      <SpectrumChart land={land} />
    </div>
  );
}

/** A line chart that is made once and given its points again. */
function useChart(type: 'linear' | 'logarithmic', x: string, y: string, label: (point: Point) => string, lines: Point[][]) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const sheet = useTerrain((s) => s.sheet);
  useEffect(() => {
    const style = getComputedStyle(document.documentElement);
    const colour = (name: string) => style.getPropertyValue(name).trim();
    const axis = (text: string, figures = true) => ({
      type,
      title: { display: true, text, color: colour('--soft-ink'), font: { family: 'Overpass Variable', size: 11 } },
      ticks: {
        color: colour('--soft-ink'),
        display: figures,
        maxTicksLimit: 6,
        maxRotation: 0,
        font: { family: 'Overpass Mono Variable', size: 11 },
        callback: (v: number | string) => (type === 'linear' ? figure(Number(v), 0) : figure(Number(Number(v).toPrecision(1)), Number(v) < 1 ? 2 : 0)),
      },
      grid: { color: colour('--rule') },
      border: { color: colour('--soft-ink') },
    });
    const config: ChartConfiguration<'line', Point[]> = {
      type: 'line',
      data: {
        datasets: lines.map((data, i) => ({
          data,
          borderColor: i === 0 ? colour('--contour') : colour('--soft-ink'),
          backgroundColor: `${colour('--contour-wash')}66`,
          borderWidth: i === 0 ? 1.6 : 1,
          borderDash: i === 0 ? [] : [4, 3],
          pointRadius: 0,
          fill: i === 0 && type === 'linear' ? 'start' : false,
        })),
      },
      options: {
        animation: false,
        maintainAspectRatio: false,
        parsing: false,
        interaction: { mode: 'nearest', axis: 'x', intersect: false },
        plugins: {
          legend: { display: false },
          tooltip: { filter: (item) => item.datasetIndex === 0, callbacks: { title: () => '', label: (item) => label(item.raw as Point) } },
        },
        // Power has no unit that says anything.
        scales: { x: axis(x), y: axis(y, type === 'linear') },
      },
    };
    const made = new Chart<'line', Point[]>(canvas.current!, config);
    return () => made.destroy();
    // The words of the axes do not change.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [sheet, lines]);
  return canvas;
}

/** Shares of the ground by degrees of slope; dashed: the most that one degree holds on real ground. */
function SlopeChart({ land }: { land: LandReport }) {
  const last = Math.min(89, Math.max(20, land.degrees.reduce((most, share, d) => (share > 0.0005 ? d : most), 0) + 2));
  const most = 100 * USUAL_LAND.fullestDegree[1];
  const lines = [
    land.degrees.slice(0, last + 1).map((share, d) => ({ x: d, y: 100 * share })),
    [
      { x: 1, y: most },
      { x: last, y: most },
    ],
  ];
  const canvas = useChart('linear', 'degrees of slope', '% of the ground', ({ x, y }) => `${x}°: ${figure(y, 2)} %`, useStable(lines, land));
  return (
    <div className={css.chart}>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Slopes: the fullest degree is ${land.fullestDegree.at}° with ${percent(land.fullestDegree.share)} of the ground`}
      />
    </div>
  );
}

/** Power by the size of forms; dashed: as steep as large and as small forms of real ground can be. */
function SpectrumChart({ land }: { land: LandReport }) {
  const { rings, spectrum } = land;
  const middle = rings[Math.min(5, rings.length - 1)];
  const lines: Point[][] = [rings.map(({ frequency, power }) => ({ x: 1 / frequency, y: power }))];
  if (middle) {
    const reach = (slope: number, ring: (typeof rings)[number]) => ({ x: 1 / ring.frequency, y: middle.power * (ring.frequency / middle.frequency) ** slope });
    for (const slope of USUAL_LAND.spectrumLarge) lines.push([reach(slope, rings[0]), reach(slope, middle)]);
    for (const slope of USUAL_LAND.spectrumSmall) lines.push([reach(slope, middle), reach(slope, rings[rings.length - 1])]);
  }
  const canvas = useChart('logarithmic', 'size of forms, m', 'power', ({ x }) => `forms of ${figure(x, 0)} m`, useStable(lines, land));
  return (
    <div className={css.chart}>
      <canvas
        ref={canvas}
        role="img"
        aria-label={`Spectrum: log power falls by ${figure(-spectrum.large, 2)} for large forms and ${figure(-spectrum.small, 2)} for small ones`}
      />
    </div>
  );
}

/** The same lines for as long as the report is the same. */
function useStable(lines: Point[][], land: LandReport): Point[][] {
  const held = useRef<{ land: LandReport; lines: Point[][] } | null>(null);
  if (held.current?.land !== land) held.current = { land, lines };
  return held.current.lines;
}
