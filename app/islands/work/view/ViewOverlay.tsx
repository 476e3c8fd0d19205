import { useEffect, useState } from 'react';
import { findUse, paramsOf, splineThrough, stepById, type Place } from '@upland-cast/core';
import { setParam } from '../../../store/course';
import { sectionOf, setSection, setSpot } from '../../../store/keeping';
import { endGesture } from '../../../store/history';
import { useTerrain } from '../../../store/state';
import { banksOf } from '../../../view/ground/banks';
import type { GroundView } from '../../../view/ground/ground-view';
import css from './ViewOverlay.module.css';

/** What lies over the ground and moves with it: the line of the selected step, the section, the spots. */
export function ViewOverlay({ view }: { view: GroundView | null }) {
  const course = useTerrain((s) => s.course)!;
  const selected = useTerrain((s) => s.selected);
  const readOnly = useTerrain((s) => s.readOnly);
  const { camera, spots } = useTerrain((s) => s.view);
  const picture = useTerrain((s) => s.picture);
  const [, setFrame] = useState(0);
  useEffect(() => {
    if (!view) return;
    const moved = () => setFrame((n) => n + 1);
    view.overlays.add(moved);
    return () => void view.overlays.delete(moved);
  }, [view]);
  if (!view || !picture) return null;
  const at = (p: Place) => view.screenOf(p.east, p.south);
  const { width, depth } = course.ground;
  const kept = (p: Place): Place => ({
    east: Math.min(width, Math.max(0, Math.round(p.east * 10) / 10)),
    south: Math.min(depth, Math.max(0, Math.round(p.south * 10) / 10)),
  });
  const drop = (event: React.PointerEvent): Place | null => {
    const place = view.placeAt(event.clientX, event.clientY);
    return place && kept(place);
  };

  const use = findUse(course, selected)?.use;
  const lined = use && safeParams(use.step).find(({ meta }) => meta.kind === 'line');
  const points = lined ? ((use.params[lined.key] ?? []) as Place[]) : [];
  const setPoints = (next: Place[], gesture: boolean) => setParam(use!.id, lined!.key, next.map(kept), gesture ? `${use!.id}:${lined!.key}` : undefined);
  const screen = points.map(at);
  const drawn = drawnLine(points, lined?.meta.closed ?? false, width / 200).map(at);
  const section = sectionOf(course);
  // The edges of what a path step makes, and where its banks meet the ground.
  const banks =
    use?.step === 'path' && use.on && drawn.length > 1
      ? banksOf(picture, splineThrough(points, width / 200), Number(use.params.width), Number(use.params.bank))
      : [];
  return (
    <svg className={css.overlay} aria-label="Over the ground">
      {lined && drawn.length > 1 && <path className={css.line} d={pathOf(drawn)} />}
      {banks.map((line, i) => (
        <path key={i} className={i < 2 ? css.edge : css.foot} d={pathOf(line.map(at))} />
      ))}
      {lined &&
        screen.map((p, i) => (
          <Handle
            key={i}
            at={p}
            label={`Point ${i + 1} of ${points.length}`}
            disabled={readOnly}
            onMove={(event) => {
              const place = drop(event);
              if (place)
                setPoints(
                  points.map((q, k) => (k === i ? place : q)),
                  true,
                );
            }}
            onNudge={(dx, dy) =>
              setPoints(
                points.map((q, k) => (k === i ? { east: q.east + dx * nudge(width), south: q.south + dy * nudge(width) } : q)),
                true,
              )
            }
            onInsert={() => {
              const next = points[i + 1] ?? { east: points[i].east + width / 20, south: points[i].south };
              setPoints(
                [...points.slice(0, i + 1), { east: (points[i].east + next.east) / 2, south: (points[i].south + next.south) / 2 }, ...points.slice(i + 1)],
                false,
              );
            }}
            onDelete={() =>
              setPoints(
                points.filter((_, k) => k !== i),
                false,
              )
            }
          />
        ))}
      {camera === 'section' && (
        <>
          <path className={css.section} d={pathOf([at(section.from), at(section.to)])} />
          {(['from', 'to'] as const).map((end) => (
            <Handle
              key={end}
              at={at(section[end])}
              letter={end === 'from' ? 'A' : 'B'}
              label={`Section, end ${end === 'from' ? 'A' : 'B'}`}
              disabled={readOnly}
              onMove={(event) => {
                const place = drop(event);
                if (place) setSection(end === 'from' ? place : section.from, end === 'to' ? place : section.to);
              }}
              onNudge={(dx, dy) => {
                const moved = kept({ east: section[end].east + dx * nudge(width), south: section[end].south + dy * nudge(width) });
                setSection(end === 'from' ? moved : section.from, end === 'to' ? moved : section.to);
              }}
            />
          ))}
        </>
      )}
      {(spots ? course.spots : []).map((spot) => (
        <Handle
          key={spot.id}
          at={at(spot)}
          letter={spot.name}
          spot
          label={`Spot ${spot.name}`}
          disabled={readOnly}
          onMove={(event) => {
            const place = drop(event);
            if (place) setSpot(spot.id, (s) => Object.assign(s, place));
          }}
          onNudge={(dx, dy) => setSpot(spot.id, (s) => Object.assign(s, kept({ east: s.east + dx * nudge(width), south: s.south + dy * nudge(width) })))}
        />
      ))}
    </svg>
  );
}

const nudge = (width: number) => Math.max(0.1, Number((width / 500).toPrecision(1)));

function safeParams(step: string) {
  try {
    return paramsOf(stepById(step).params);
  } catch {
    return [];
  }
}

/** The line as the core draws it, or around an outline; nothing while it has too few points. */
function drawnLine(points: Place[], closed: boolean, step: number): Place[] {
  if (closed) return points.length > 1 ? [...points, points[0]] : [];
  try {
    return splineThrough(points, step);
  } catch {
    return [];
  }
}

const pathOf = (points: ({ x: number; y: number } | null)[]) => {
  let d = '';
  let pen = 'M';
  for (const p of points) {
    if (!p) pen = 'M';
    else {
      d += `${pen}${p.x.toFixed(1)} ${p.y.toFixed(1)}`;
      pen = 'L';
    }
  }
  return d;
};

function Handle({
  at,
  label,
  letter,
  spot,
  disabled,
  onMove,
  onNudge,
  onInsert,
  onDelete,
}: {
  at: { x: number; y: number } | null;
  label: string;
  letter?: string;
  spot?: boolean;
  disabled: boolean;
  onMove: (event: React.PointerEvent) => void;
  onNudge: (dx: number, dy: number) => void;
  onInsert?: () => void;
  onDelete?: () => void;
}) {
  const [held, setHeld] = useState(false);
  if (!at) return null;
  return (
    <g
      className={`${css.handle} ${spot ? css.spot : ''}`}
      transform={`translate(${at.x.toFixed(1)} ${at.y.toFixed(1)})`}
      role="button"
      tabIndex={disabled ? -1 : 0}
      aria-label={label}
      onPointerDown={(event) => {
        if (disabled || event.button !== 0) return;
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        setHeld(true);
      }}
      onPointerMove={(event) => held && onMove(event)}
      onPointerUp={() => {
        setHeld(false);
        endGesture();
      }}
      onPointerCancel={() => setHeld(false)}
      onBlur={endGesture}
      onKeyDown={(event) => {
        const by = event.shiftKey ? 10 : 1;
        if (event.key === 'ArrowLeft') onNudge(-by, 0);
        else if (event.key === 'ArrowRight') onNudge(by, 0);
        else if (event.key === 'ArrowUp') onNudge(0, -by);
        else if (event.key === 'ArrowDown') onNudge(0, by);
        else if (event.key === 'Insert' && onInsert) onInsert();
        else if (event.key === 'Delete' && onDelete) onDelete();
        else return;
        event.preventDefault();
      }}
    >
      <circle r={12} className={css.reach} />
      {spot ? <path d="M0 0L-6 -13A7 7 0 1 1 6 -13Z" /> : <circle r={letter ? 8 : 5.5} className={css.knob} />}
      {letter && (
        <text y={spot ? -28 : 3.5} textAnchor="middle">
          {letter}
        </text>
      )}
    </g>
  );
}
