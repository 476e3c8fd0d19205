import { useRef } from 'react';
import { findUse } from '@upland-cast/core';
import { figure } from '../../../components/format';
import { isPressed } from '../../../store/keys';
import { paintedMask, strokeChangeAt } from '../../../store/sculpt';
import { useTerrain } from '../../../store/state';
import type { GroundView } from '../../../view/ground/ground-view';
import { LandPanel } from './LandPanel';
import { Legend, ScaleAndNorth } from './Legend';
import { SectionChart } from './SectionChart';
import { usePlacing, useSculpting, useWalking } from './handling';
import { useCursor, useGroundView, useSeen } from './showing';
import { ViewOverlay } from './ViewOverlay';
import { UnderToolBar, ViewToolBar } from './ViewToolBar';
import css from './GroundCanvas.module.css';

/** The ground: relief or plan, with its drapes, readout, scale and north; hand work happens on it. */
export function GroundCanvas({ shown }: { shown: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const picture = useTerrain((s) => s.picture);
  const settings = useTerrain((s) => s.view);
  const empty = useTerrain((s) => s.course!.stem.length === 0);
  const walking = useTerrain((s) => s.walker !== null);
  const sculpting = useTerrain(
    (s) => !s.readOnly && s.walker === null && s.tool === 'none' && (paintedMask() !== null || findUse(s.course!, s.selected)?.use.step === 'sculpt'),
  );
  const mask = useTerrain((s) => s.mask);
  const layer = useTerrain((s) => s.layer);
  const tool = useTerrain((s) => s.tool);
  const plan = settings.camera !== 'relief';
  const { view, drawn, aspect, failed } = useGroundView(canvas);
  useSeen(canvas, view, { shown, sculpting });
  useSculpting(canvas, view, sculpting);
  usePlacing(canvas, view, tool);
  useWalking(canvas, view, walking);
  useCursor(canvas, view, sculpting);
  return (
    <section className={`${css.view} ${settings.camera === 'section' || settings.camera === 'land' ? css.split : ''}`} aria-label="The ground">
      <h2 className="only-read">The ground</h2>
      <div className={css.canvasBox}>
        <canvas
          ref={canvas}
          className={sculpting || tool !== 'none' ? css.brushing : ''}
          tabIndex={0}
          aria-label="View of the ground. Arrow keys turn and tilt it, with Shift they move it; plus and minus zoom."
          onKeyDown={(event) => {
            if (walking) return;
            if (isPressed(event.nativeEvent, 'frameAll')) view.current?.frameAll();
            else if (!steer(view.current, event.key, event.shiftKey, plan)) return;
            event.preventDefault();
          }}
        />
        <ViewOverlay view={drawn} />
      </div>
      {settings.camera === 'section' && shown && <SectionChart />}
      {settings.camera === 'land' && shown && <LandPanel />}
      <div className={css.top}>
        <ViewToolBar view={drawn} />
        <UnderToolBar view={drawn} />
      </div>
      {!picture && !failed && <p className={css.waiting}>Working out the ground …</p>}
      {failed && <p className={css.waiting}>{failed}</p>}
      {picture && empty && <p className={css.waiting}>Level ground at 0 m. Add a step below.</p>}
      <Readout sculpting={sculpting} />
      {picture && aspect && (
        <>
          <Legend settings={settings} layer={layer} masked={mask !== null} low={picture.statistics.lowest} high={picture.statistics.highest} aspect={aspect} />
          <ScaleAndNorth aspect={aspect} relief={!plan} />
        </>
      )}
    </section>
  );
}

/** Where the pointer is and how high the ground lies there; else whether all of it is seen. */
function Readout({ sculpting }: { sculpting: boolean }) {
  const cursor = useTerrain((s) => s.cursor);
  const picture = useTerrain((s) => s.picture);
  const depth = picture?.ground.depth ?? 0;
  return (
    <div className={`${css.readout} number`} aria-live="off">
      {cursor ? (
        <>
          <span>
            E {figure(cursor.east, 0)} · N {figure(depth - cursor.south, 0)}
          </span>
          {Number.isNaN(cursor.elevation) ? (
            <b>no height here</b>
          ) : (
            <>
              <b>{figure(cursor.elevation, 1)} m</b>
              <span>slope {figure(cursor.slope, 0)}°</span>
            </>
          )}
          {sculpting && <Change east={cursor.east} south={cursor.south} />}
        </>
      ) : (
        <span>{picture?.preview ? 'Preview' : picture ? 'Full ground' : ''}</span>
      )}
    </div>
  );
}

function steer(view: GroundView | null, key: string, shift: boolean, plan: boolean): boolean {
  if (!view) return false;
  const move = shift || plan;
  switch (key) {
    case 'ArrowLeft':
      view.cameras.steer(move ? { east: -1 } : { turn: -8 });
      return true;
    case 'ArrowRight':
      view.cameras.steer(move ? { east: 1 } : { turn: 8 });
      return true;
    case 'ArrowUp':
      view.cameras.steer(move ? { south: -1 } : { tilt: 5 });
      return true;
    case 'ArrowDown':
      view.cameras.steer(move ? { south: 1 } : { tilt: -5 });
      return true;
    case '+':
    case '=':
      view.cameras.steer({ nearer: 1.25 });
      return true;
    case '-':
      view.cameras.steer({ nearer: 0.8 });
      return true;
    default:
      return false;
  }
}

/** What the latest stroke did here. */
function Change({ east, south }: { east: number; south: number }) {
  const change = strokeChangeAt(east, south);
  return change === null ? null : (
    <span>
      stroke {change > 0 ? '+' : ''}
      {figure(change, 1)} m
    </span>
  );
}
