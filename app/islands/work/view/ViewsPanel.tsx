import { useState } from 'react';
import type { Course } from '@upland-cast/core';
import { Camera, Eye, Footprints, Plane, Trash2 } from 'lucide-react';
import { Button, NumberField, Row, Segments, Switch, TextField } from '../../../components/controls';
import { bytes } from '../../../components/format';
import { keepView, nameView, removeView } from '../../../store/keeping';
import { shownWater, useTerrain } from '../../../store/state';
import { SIDES, type Side } from '../../../view/ground/cameras';
import type { GroundView } from '../../../view/ground/ground-view';
import { putDown, type Pace, type Walker } from '../../../view/ground/walk';
import { StillSheet } from './StillSheet';
import css from './ViewsPanel.module.css';

type KeptCamera = Course['cameras'][number];

/** The relief, whatever was seen before. */
function relief(): void {
  const { view: settings } = useTerrain.getState();
  if (settings.camera !== 'relief') useTerrain.setState({ view: { ...settings, camera: 'relief' } });
}

/** The relief, out of nobody's eyes. */
function stand(view: GroundView | null): void {
  useTerrain.setState({ walker: null });
  view?.walk(null);
  relief();
}

/** Down on the ground or into the air over what is looked at; once more: out of it. */
function go(view: GroundView | null, how: Walker['how']): void {
  const { picture, walker } = useTerrain.getState();
  if (!view || !picture) return;
  if (walker?.how === how) return useTerrain.setState({ walker: null });
  relief();
  const { eye, target } = view.cameras.cameraPlace();
  const [east, south] = walker ? [walker.east, walker.south] : [target[0], target[1]];
  const heading = walker?.heading ?? (Math.atan2(target[0] - eye[0], eye[1] - target[1]) * 180) / Math.PI;
  useTerrain.setState({ walker: putDown(picture, shownWater(), how, east, south, heading) });
}

/** Where the ground is looked at from: its sides, on foot or in the air, and the views that are kept; and what the view holds. */
export function ViewsPanel({ view }: { view: GroundView | null }) {
  const [still, setStill] = useState(false);
  const cameras = useTerrain((s) => s.course!.cameras);
  const walker = useTerrain((s) => s.walker);
  const readOnly = useTerrain((s) => s.readOnly);
  const settings = useTerrain((s) => s.view);
  return (
    <section className={css.panel} aria-label="Views">
      <Places view={view} />
      {walker && <WalkSettings walker={walker} />}
      {cameras.length === 0 && <p>No view is kept yet. Turn the ground to where it should be seen from, and keep it.</p>}
      {cameras.length > 0 && (
        <KeptViews
          onLook={(camera) => {
            stand(view);
            view?.cameras.goTo(camera);
          }}
        />
      )}
      <Button disabled={readOnly || !view || walker !== null} onClick={() => view && keepView(view.cameras.cameraPlace())}>
        Keep this view
      </Button>
      <Button disabled={!view} onClick={() => setStill(true)}>
        <Camera size={13} /> Still …
      </Button>
      {still && view && <StillSheet view={view} onClose={() => setStill(false)} />}
      <Row label="Every sample" help="Draws the real grid everywhere, not only where a difference could be seen. Slower.">
        <Switch label="Every sample" on={settings.everySample} onChange={(everySample) => useTerrain.setState({ view: { ...settings, everySample } })} />
      </Row>
      {view && <Held view={view} />}
    </section>
  );
}

/** From its sides, on foot, or in the air. */
function Places({ view }: { view: GroundView | null }) {
  const walks = useTerrain((s) => s.walker?.how);
  return (
    <>
      <div className={css.sides}>
        {(Object.keys(SIDES) as Side[]).map((side) => (
          <Button
            key={side}
            onClick={() => {
              stand(view);
              view?.cameras.lookFrom(side);
            }}
          >
            {SIDES[side].replace('From the ', '').replace('From ', '')}
          </Button>
        ))}
      </div>
      <div className={css.sides}>
        <Button aria-pressed={walks === 'walk'} onClick={() => go(view, 'walk')}>
          <Footprints size={13} /> Walk
        </Button>
        <Button aria-pressed={walks === 'fly'} onClick={() => go(view, 'fly')}>
          <Plane size={13} /> Fly
        </Button>
      </div>
    </>
  );
}

/** Bytes that the view and the engine hold. */
function Held({ view }: { view: GroundView }) {
  const engineBytes = useTerrain((s) => s.engineBytes);
  return (
    <p className="number">
      view {bytes(view.bytes)}
      {engineBytes && ` · stages ${bytes(engineBytes.held)} of ${bytes(engineBytes.limit)}`}
    </p>
  );
}

/** How somebody goes over the ground. */
function WalkSettings({ walker }: { walker: Walker }) {
  return (
    <>
      <p>W A S D or the arrows go; the mouse looks around; Q and E sink and rise in the air; Escape ends it.</p>
      <Row label="Pace" help="1.4, 4 and 12 metres a second.">
        <Segments
          label="Pace"
          value={walker.pace}
          choices={{ walk: 'Walk', run: 'Run', ride: 'Ride' }}
          onChange={(pace) => useTerrain.setState({ walker: { ...walker, pace: pace as Pace } })}
        />
      </Row>
      {walker.how === 'walk' && (
        <Row label="Steepest" help="No way up that is steeper than this.">
          <NumberField
            label="Steepest"
            unit="°"
            value={walker.steepest}
            min={5}
            max={89}
            onChange={(steepest) => useTerrain.setState({ walker: { ...walker, steepest } })}
          />
        </Row>
      )}
      {walker.stopped && <p role="status">Too steep to go on that way.</p>}
    </>
  );
}

/** The views that are kept with the course, by their names. */
function KeptViews({ onLook }: { onLook: (camera: KeptCamera) => void }) {
  const cameras = useTerrain((s) => s.course!.cameras);
  const readOnly = useTerrain((s) => s.readOnly);
  return (
    <ul>
      {cameras.map((camera) => (
        <li key={camera.id}>
          <TextField label={`Name of ${camera.name}`} value={camera.name} disabled={readOnly} onChange={(name) => nameView(camera.id, name)} />
          <Button look="quiet" square aria-label={`Look from ${camera.name}`} title="Look from here" onClick={() => onLook(camera)}>
            <Eye size={13} />
          </Button>
          <Button look="quiet" square aria-label={`Take ${camera.name} away`} disabled={readOnly} onClick={() => removeView(camera.id)}>
            <Trash2 size={13} />
          </Button>
        </li>
      ))}
    </ul>
  );
}
