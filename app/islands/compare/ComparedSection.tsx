import { useEffect, useRef } from 'react';
import type { Place } from '@upland-cast/core';
import { linearAxis, tokenColour } from '../../components/chart';
import { figure } from '../../components/format';
import { useSectionChart, type SectionChartOptions } from '../../components/section-chart';
import type { ComparedPicture } from '../../engine/api';
import { sectionOver } from '../../store/keeping';
import { useTerrain } from '../../store/state';
import { heightAt } from '../../view/ground/pick';
import css from './CompareRoom.module.css';

const COUNT = 420;

const options = (): SectionChartOptions => ({
  lines: [
    ['A', '--contour', { yAxisID: 'y' }],
    ['B', '--water', { yAxisID: 'y' }],
    ['B − A', '--soft-ink', { yAxisID: 'd', fill: 'origin', backgroundColor: `${tokenColour('--soft-ink')}88`, borderWidth: 0 }],
  ],
  along: 'metres from C to D',
  heights: {
    d: { ...linearAxis('B − A, m', 6), beginAtZero: true, stack: 's', stackWeight: 1.4, position: 'left', offset: true },
    y: { ...linearAxis('elevation, m', 6), stack: 's', stackWeight: 3 },
  },
  ticks: 6,
  digits: 2,
});

/** Elevations of both grounds at places along a line. */
function bothAlong({ ground, heightA, heightB }: ComparedPicture, from: Place, to: Place): { x: number; a: number; b: number }[] {
  const length = Math.hypot(to.east - from.east, to.south - from.south);
  return Array.from({ length: COUNT + 1 }, (_, i) => {
    const t = i / COUNT;
    const place = [from.east + t * (to.east - from.east), from.south + t * (to.south - from.south)] as const;
    return {
      x: t * length,
      a: heightAt({ ground, height: heightA }, ...place) + ground.datum,
      b: heightAt({ ground, height: heightB }, ...place) + ground.datum,
    };
  });
}

/** Both grounds along one line, and the difference under them. */
export function ComparedSection({ found }: { found: ComparedPicture | null }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const course = useTerrain((s) => s.course)!;
  const sheet = useTerrain((s) => s.sheet);
  const { from, to } = sectionOver(course, found?.ground ?? course.ground);
  const length = Math.hypot(to.east - from.east, to.south - from.south);
  const points = found ? bothAlong(found, from, to) : [];
  const draw = useSectionChart(canvas, options, sheet);
  useEffect(() =>
    draw(length, [points.map(({ x, a }) => ({ x, y: a })), points.map(({ x, b }) => ({ x, y: b })), points.map(({ x, a, b }) => ({ x, y: b - a }))]),
  );
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
