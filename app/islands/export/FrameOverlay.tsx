import { useEffect, useState } from 'react';
import type { Order, Place } from '@upland-cast/core';
import type { GroundView } from '../../view/ground/ground-view';
import css from './FrameOverlay.module.css';
import { framed, outlineOf, type Frame, type Land } from './frame';

interface Props {
  view: GroundView;
  land: Land;
  frame: Order['frame'];
  /** The receiver takes squares only. */
  square: boolean;
  /** The next drag over the ground draws the part. */
  drawing: boolean;
  onDrawn: (frame: Frame) => void;
  onEnd: () => void;
}

/** The part of the ground that is handed on, drawn over it; or drawn anew from corner to corner. */
export function FrameOverlay({ view, land, frame, square, drawing, onDrawn, onEnd }: Props) {
  const [, setMoved] = useState(0);
  const [drag, setDrag] = useState<{ from: Place; to: Place } | null>(null);
  useEffect(() => {
    const moved = () => setMoved((n) => n + 1);
    view.overlays.add(moved);
    return () => void view.overlays.delete(moved);
  }, [view]);
  useEffect(() => {
    if (!drawing) return;
    const leave = (event: KeyboardEvent) => {
      if (event.key !== 'Escape') return;
      setDrag(null);
      onEnd();
    };
    window.addEventListener('keydown', leave);
    return () => window.removeEventListener('keydown', leave);
  }, [drawing, onEnd]);
  const draft = drag && framed(drag.from, drag.to, land, square);
  const shown = drag ? draft : frame;
  const points = shown ? outlineOf(shown).flatMap((p) => view.screenOf(p.east, p.south) ?? []) : [];
  const move = (event: React.PointerEvent) => {
    const to = drag && view.placeAt(event.clientX, event.clientY);
    if (drag && to) setDrag({ ...drag, to });
  };
  return (
    <>
      {points.length > 2 && (
        <svg className={css.overlay} role="img" aria-label="The part that is handed on">
          <polygon points={points.map(({ x, y }) => `${x.toFixed(1)},${y.toFixed(1)}`).join(' ')} />
        </svg>
      )}
      {drawing && (
        <div
          className={css.sheet}
          onPointerDown={(event) => {
            const from = view.placeAt(event.clientX, event.clientY);
            if (!from) return;
            event.currentTarget.setPointerCapture(event.pointerId);
            setDrag({ from, to: from });
          }}
          onPointerMove={move}
          onPointerCancel={() => setDrag(null)}
          onPointerUp={() => {
            setDrag(null);
            if (draft) onDrawn(draft);
          }}
        />
      )}
    </>
  );
}
