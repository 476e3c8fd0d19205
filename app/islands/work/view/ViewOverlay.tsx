import { useEffect, useState } from 'react';
import { findUse, paramsOf, splineThrough, stepById, type Ground, type Place, type StepUse } from '@upland-cast/core';
import type { Picture } from '../../../engine/api';
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
  const over = overGround(view, course.ground);
  const use = findUse(course, selected)?.use;
  return (
    <svg className={css.overlay} aria-label="Over the ground">
      {use && <LineOfStep use={use} over={over} picture={picture} />}
      {camera === 'section' && <SectionLine section={sectionOf(course)} over={over} />}
      {spots && course.spots.map((spot) => <SpotHandle key={spot.id} spot={spot} over={over} />)}
    </svg>
  );
}

/** From places of the ground to the screen, and back. */
interface OverGround {
  width: number;
  at: (place: Place) => { x: number; y: number } | null;
  /** Within the ground, to a tenth of a metre. */
  kept: (place: Place) => Place;
  /** Where the pointer is; null beside the ground. */
  under: (event: React.PointerEvent) => Place | null;
  /** A place after so many presses of an arrow key. */
  nudged: (place: Place, dx: number, dy: number) => Place;
}

function overGround(view: GroundView, { width, depth }: Ground): OverGround {
  const kept = ({ east, south }: Place): Place => ({
    east: Math.min(width, Math.max(0, Math.round(east * 10) / 10)),
    south: Math.min(depth, Math.max(0, Math.round(south * 10) / 10)),
  });
  const nudge = Math.max(0.1, Number((width / 500).toPrecision(1)));
  return {
    width,
    at: ({ east, south }) => view.screenOf(east, south),
    kept,
    under: (event) => {
      const place = view.placeAt(event.clientX, event.clientY);
      return place && kept(place);
    },
    nudged: ({ east, south }, dx, dy) => ({ east: east + dx * nudge, south: south + dy * nudge }),
  };
}

/** The line that a step follows, with a handle at each of its points, and for a path its edges and where its banks meet the ground. */
function LineOfStep({ use, over, picture }: { use: StepUse; over: OverGround; picture: Picture }) {
  const lined = safeParams(use.step).find(({ meta }) => meta.kind === 'line');
  if (!lined) return null;
  const { width, at, under, nudged } = over;
  const points = (use.params[lined.key] ?? []) as Place[];
  const set = (next: Place[], gesture: boolean) => setParam(use.id, lined.key, next.map(over.kept), gesture ? `${use.id}:${lined.key}` : undefined);
  const put = (i: number, place: Place) =>
    set(
      points.map((q, k) => (k === i ? place : q)),
      true,
    );
  const insert = (i: number) => {
    const next = points[i + 1] ?? { east: points[i].east + width / 20, south: points[i].south };
    const between = { east: (points[i].east + next.east) / 2, south: (points[i].south + next.south) / 2 };
    set([...points.slice(0, i + 1), between, ...points.slice(i + 1)], false);
  };
  const remove = (i: number) =>
    set(
      points.filter((_, k) => k !== i),
      false,
    );
  const drawn = drawnLine(points, lined.meta.closed ?? false, width / 200).map(at);
  const banks =
    use.step === 'path' && use.on && drawn.length > 1
      ? banksOf(picture, splineThrough(points, width / 200), Number(use.params.width), Number(use.params.bank))
      : [];
  return (
    <>
      {drawn.length > 1 && <path className={css.line} d={pathOf(drawn)} />}
      {banks.map((line, i) => (
        <path key={i} className={i < 2 ? css.edge : css.foot} d={pathOf(line.map(at))} />
      ))}
      {points.map((point, i) => (
        <Handle
          key={i}
          at={at(point)}
          label={`Point ${i + 1} of ${points.length}`}
          onMove={(event) => {
            const place = under(event);
            if (place) put(i, place);
          }}
          onNudge={(dx, dy) => put(i, nudged(point, dx, dy))}
          onInsert={() => insert(i)}
          onDelete={() => remove(i)}
        />
      ))}
    </>
  );
}

function SectionLine({ section, over: { at, kept, under, nudged } }: { section: { from: Place; to: Place }; over: OverGround }) {
  const move = (end: 'from' | 'to', place: Place) => setSection(end === 'from' ? place : section.from, end === 'to' ? place : section.to);
  return (
    <>
      <path className={css.section} d={pathOf([at(section.from), at(section.to)])} />
      {(['from', 'to'] as const).map((end) => (
        <Handle
          key={end}
          at={at(section[end])}
          letter={end === 'from' ? 'A' : 'B'}
          label={`Section, end ${end === 'from' ? 'A' : 'B'}`}
          onMove={(event) => {
            const place = under(event);
            if (place) move(end, place);
          }}
          onNudge={(dx, dy) => move(end, kept(nudged(section[end], dx, dy)))}
        />
      ))}
    </>
  );
}

function SpotHandle({ spot, over: { at, kept, under, nudged } }: { spot: Place & { id: string; name: string }; over: OverGround }) {
  return (
    <Handle
      at={at(spot)}
      letter={spot.name}
      spot
      label={`Spot ${spot.name}`}
      onMove={(event) => {
        const place = under(event);
        if (place) setSpot(spot.id, (s) => Object.assign(s, place));
      }}
      onNudge={(dx, dy) => setSpot(spot.id, (s) => Object.assign(s, kept(nudged(s, dx, dy))))}
    />
  );
}

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

interface HandleProps {
  at: { x: number; y: number } | null;
  label: string;
  letter?: string;
  spot?: boolean;
  onMove: (event: React.PointerEvent) => void;
  onNudge: (dx: number, dy: number) => void;
  onInsert?: () => void;
  onDelete?: () => void;
}

const ARROWS: Record<string, readonly [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

function Handle({ at, label, letter, spot, onMove, onNudge, onInsert, onDelete }: HandleProps) {
  const disabled = useTerrain((s) => s.readOnly);
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
        const arrow = ARROWS[event.key];
        if (arrow) onNudge(by * arrow[0], by * arrow[1]);
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
