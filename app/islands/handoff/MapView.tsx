import { useEffect, useRef, useState } from 'react';
import { sourceName, type MapSpec, type Order } from '@upland-cast/core';
import { figure } from '../../components/format';
import { Segments } from '../../components/controls';
import { engine } from '../../engine/client';
import type { MapDrape } from '../../engine/protocol';
import { useTerrain } from '../../store/terrain';
import { GroundView } from '../../view/ground-view';
import css from './HandOffRoom.module.css';

/** The ground that is handed on, with a map of it laid over. */
export function MapView({ source, spec, title }: { source: Order['grounds'][number]; spec: MapSpec | { kind: 'ground' }; title: string }) {
  const course = useTerrain((s) => s.course)!;
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<GroundView | null>(null);
  const [drape, setDrape] = useState<MapDrape | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const [camera, setCamera] = useState<'relief' | 'plan'>('relief');
  useEffect(() => {
    try {
      view.current = new GroundView(canvas.current!);
    } catch {
      setFault('This browser gave no WebGL 2: maps are handed on all the same, but not shown here.');
    }
    return () => {
      view.current?.dispose();
      view.current = null;
    };
  }, []);
  const key = JSON.stringify([source, spec]);
  useEffect(() => {
    let stale = false;
    setFault(null);
    if (source.kind === 'calibration') return;
    void engine()
      .mapDrape(course, source, spec)
      .then((answer) => {
        if (stale) return;
        if (answer.ok) setDrape(answer.value);
        else if (!answer.stopped) setFault(answer.sentence);
      });
    return () => {
      stale = true;
    };
    // The key stands for source and spec, which are made anew on every render.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key, course]);
  useEffect(() => {
    if (!drape) return;
    const { lowest, highest } = drape.statistics;
    view.current?.setGround({ ground: drape.ground, height: drape.height }, { low: lowest, high: highest });
    view.current?.setColours(drape.rgb, spec.kind === 'colour' || spec.kind === 'weights');
    view.current?.setOptions({
      camera,
      drape: 'tint',
      contours: false,
      meshLines: false,
      water: spec.kind === 'ground' || spec.kind === 'colour',
      exaggeration: 1,
      sun: 315,
      everySample: false,
      sculpting: false,
    });
    if (canvas.current) canvas.current.dataset.map = spec.kind;
  }, [drape, camera, spec.kind]);
  return (
    <div className={css.mapView}>
      <canvas ref={canvas} aria-label={`${title} over the ground`} />
      <div className={css.mapBar}>
        <Segments label="Seen" value={camera} choices={{ relief: 'Relief', plan: 'Plan' }} onChange={setCamera} />
        <b>{title}</b>
        <span>{source.kind === 'end' ? '' : sourceName(course, source)}</span>
      </div>
      {!drape && !fault && (
        <p className={css.waiting}>
          {source.kind === 'calibration' ? 'The calibration ground: corners of four heights, a ramp, a stair, a letter.' : 'Working out the ground …'}
        </p>
      )}
      {(drape?.legend || drape?.words.length || fault) && (
        <div className={css.mapLegend}>
          {fault && <span className={css.fault}>{fault}</span>}
          {!fault && drape?.legend && (
            <span className={`${css.grey} number`}>
              {figure(drape.legend.low, drape.legend.high - drape.legend.low < 10 ? 2 : 0)} <i />{' '}
              {figure(drape.legend.high, drape.legend.high - drape.legend.low < 10 ? 2 : 0)} {drape.legend.unit === 'log2' ? '' : drape.legend.unit}
            </span>
          )}
          {!fault && drape?.words.map((w) => <span key={w}>{w}</span>)}
        </div>
      )}
    </div>
  );
}
