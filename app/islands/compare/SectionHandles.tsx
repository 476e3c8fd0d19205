import { useEffect, useState } from 'react';
import type { Ground } from '@upland-cast/core';
import { sectionOver, setSection } from '../../store/keeping';
import { useTerrain } from '../../store/state';
import type { GroundView } from '../../view/ground/ground-view';
import css from './ComparedView.module.css';

/** The section's line over the view of a ground, its ends to be dragged. */
export function SectionHandles({ view, ground }: { view: GroundView; ground: Ground }) {
  const course = useTerrain((s) => s.course)!;
  const readOnly = useTerrain((s) => s.readOnly);
  const [, setFrame] = useState(0);
  useEffect(() => {
    const moved = () => setFrame((n) => n + 1);
    view.overlays.add(moved);
    return () => void view.overlays.delete(moved);
  }, [view]);
  const { from, to, back } = sectionOver(course, ground);
  const [a, b] = [view.screenOf(from.east, from.south), view.screenOf(to.east, to.south)];
  if (!a || !b) return null;
  const { width, depth } = ground;
  const kept = ({ east, south }: { east: number; south: number }) => ({ east: Math.min(width, Math.max(0, east)), south: Math.min(depth, Math.max(0, south)) });
  const put = (end: 'from' | 'to', place: { east: number; south: number }) =>
    setSection(back(end === 'from' ? kept(place) : from), back(end === 'to' ? kept(place) : to));
  return (
    <svg className={css.handles} aria-label="Section line">
      <line x1={a.x} y1={a.y} x2={b.x} y2={b.y} />
      {(
        [
          ['from', a, 'C'],
          ['to', b, 'D'],
        ] as const
      ).map(([end, at, letter]) => (
        <g
          key={end}
          transform={`translate(${at.x} ${at.y})`}
          role="button"
          tabIndex={readOnly ? -1 : 0}
          aria-label={`Section, end ${letter}`}
          onPointerDown={(event) => {
            event.stopPropagation();
            if (!readOnly) event.currentTarget.setPointerCapture(event.pointerId);
          }}
          onPointerMove={(event) => {
            if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
            const place = view.placeAt(event.clientX, event.clientY);
            if (place) put(end, place);
          }}
          onKeyDown={(event) => {
            const step = width / (event.shiftKey ? 20 : 100);
            const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
            if (!by) return;
            event.preventDefault();
            const place = end === 'from' ? from : to;
            put(end, { east: place.east + by[0], south: place.south + by[1] });
          }}
        >
          <circle r={9} />
          <text textAnchor="middle" y={4}>
            {letter}
          </text>
        </g>
      ))}
    </svg>
  );
}
