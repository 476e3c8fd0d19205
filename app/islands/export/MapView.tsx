import { useCallback, useEffect, useRef, useState, type RefObject, type ReactNode } from 'react';
import { sourceName, spacingOf, type MapSpec, type Order } from '@upland-cast/core';
import { figure } from '../../components/format';
import { Button, Segments } from '../../components/controls';
import { engine } from '../../engine/client';
import { useTerrain } from '../../store/state';
import { GroundView, WORKING_LIGHT } from '../../view/ground/ground-view';
import type { Frame } from './frame';
import { FrameOverlay } from './FrameOverlay';
import { useEngineQuery } from '../../components/use-engine-query';
import { LastGround } from '../shell/LastGround';
import css from './ExportRoom.module.css';

interface Props {
  source: Order['grounds'][number];
  spec: MapSpec | { kind: 'ground' };
  title: string;
  frame: Order['frame'];
  /** The receiver takes squares only. */
  square: boolean;
  onFrame: (frame: Frame) => void;
}

/** The ground that is handed on, with a map of it laid over, and the part that was chosen of it. */
export function MapView({ source, spec, title, frame, square, onFrame }: Props) {
  const course = useTerrain((s) => s.course)!;
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<GroundView | null>(null);
  const { shows, blind } = useView(canvas, view);
  const [camera, setCamera] = useState<'relief' | 'plan'>('relief');
  const [drawing, setDrawing] = useState(false);
  const stop = useCallback(() => setDrawing(false), []);
  const key = JSON.stringify([source, spec]);
  const { value: drape, fault: refused } = useEngineQuery(
    () => (source.kind === 'calibration' ? null : engine().mapDrape(course, source, spec)),
    [key, course],
  );
  const fault = refused ?? (blind ? 'This browser gave no WebGL 2: maps are handed on all the same, but not shown here.' : null);
  useEffect(() => {
    if (!drape) return;
    const { lowest, highest } = drape.statistics;
    view.current?.setGround({ ground: drape.ground, height: drape.height }, { low: lowest, high: highest });
    view.current?.setColours(drape.rgb, spec.kind === 'colour' || spec.kind === 'weights');
    view.current?.setOptions({
      ...WORKING_LIGHT,
      camera,
      drape: 'tint',
      contours: false,
      water: spec.kind === 'ground' || spec.kind === 'colour',
    });
    if (canvas.current) canvas.current.dataset.map = spec.kind;
  }, [drape, camera, spec.kind]);
  return (
    <div className={css.mapView}>
      <canvas ref={canvas} aria-label={`${title} over the ground`} />
      {!drape && source.kind === 'end' && <LastGround />}
      {shows && drape && source.kind !== 'calibration' && (
        <FrameOverlay
          view={shows}
          land={{ width: course.ground.width, depth: course.ground.depth, spacing: spacingOf(course.ground) }}
          frame={frame}
          square={square}
          drawing={drawing}
          onEnd={stop}
          onDrawn={(part) => {
            setDrawing(false);
            onFrame(part);
          }}
        />
      )}
      <MapBar camera={camera} onCamera={setCamera} drawing={drape && source.kind !== 'calibration' ? drawing : null} onDrawing={setDrawing}>
        <b>{title}</b>
        <span>{source.kind === 'end' ? '' : sourceName(course, source)}</span>
      </MapBar>
      {!drape && !fault && (
        <p className={css.waiting}>
          {source.kind === 'calibration' ? 'The calibration ground: corners of four heights, a ramp, a stair, a letter.' : 'Working out the ground …'}
        </p>
      )}
      <MapLegend legend={drape?.legend ?? null} words={drape?.words ?? []} fault={fault} />
    </div>
  );
}

/** From where it is looked at, and whether a part is drawn; null: there is nothing to draw one on. */
function MapBar({
  camera,
  onCamera,
  drawing,
  onDrawing,
  children,
}: {
  camera: 'relief' | 'plan';
  onCamera: (camera: 'relief' | 'plan') => void;
  drawing: boolean | null;
  onDrawing: (drawing: boolean) => void;
  children: ReactNode;
}) {
  return (
    <div className={css.mapBar}>
      <Segments label="Seen" value={camera} choices={{ relief: 'Relief', plan: 'Plan' }} onChange={onCamera} />
      {drawing !== null && (
        <Button
          look={drawing ? 'main' : 'plain'}
          aria-pressed={drawing}
          title="Drag over the ground, from corner to corner. Escape leaves it."
          onClick={() => onDrawing(!drawing)}
        >
          Draw a part
        </Button>
      )}
      {children}
    </div>
  );
}

/** The view that draws on a canvas, as long as the canvas is there; `blind`: this browser cannot draw one. */
function useView(canvas: RefObject<HTMLCanvasElement | null>, view: RefObject<GroundView | null>): { shows: GroundView | null; blind: boolean } {
  const [shows, setShows] = useState<GroundView | null>(null);
  const [blind, setBlind] = useState(false);
  useEffect(() => {
    try {
      view.current = new GroundView(canvas.current!);
      setShows(view.current);
    } catch {
      setBlind(true);
    }
    return () => {
      view.current?.dispose();
      view.current = null;
      setShows(null);
    };
  }, [canvas, view]);
  return { shows, blind };
}

function MapLegend({ legend, words, fault }: { legend: { low: number; high: number; unit: string } | null; words: readonly string[]; fault: string | null }) {
  if (fault) {
    return (
      <div className={css.mapLegend}>
        <span className={css.fault}>{fault}</span>
      </div>
    );
  }
  if (!legend && !words.length) return null;
  const digits = legend && legend.high - legend.low < 10 ? 2 : 0;
  return (
    <div className={css.mapLegend}>
      {legend && (
        <span className={`${css.grey} number`}>
          {figure(legend.low, digits)} <i /> {figure(legend.high, digits)} {legend.unit === 'log2' ? '' : legend.unit}
        </span>
      )}
      {words.map((w) => (
        <span key={w}>{w}</span>
      ))}
    </div>
  );
}
