import { useEffect, useRef, useState } from 'react';
import type { CameraPlace } from '../../../view/ground/cameras';
import { fieldOfView, StillCamera, type StillScene, type StillSettings } from '../../../view/ground/still';
import css from './ViewsPanel.module.css';

const LONG = 384;

/** The picture as it will be, small, with its thirds and the horizon; drawn anew when a setting rests. */
export function StillFrame({
  settings,
  place,
  scene,
  sceneKey,
  paused,
}: {
  settings: StillSettings;
  place: CameraPlace;
  scene: () => Promise<StillScene>;
  sceneKey: string;
  paused: boolean;
}) {
  const [url, setUrl] = useState<string | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const camera = useRef<StillCamera | null>(null);
  const latest = useRef(scene);
  latest.current = scene;
  const scale = LONG / Math.max(settings.width, settings.height);
  const [width, height] = [Math.max(16, Math.round(settings.width * scale)), Math.max(16, Math.round(settings.height * scale))];
  useEffect(() => () => camera.current?.dispose(), []);
  useEffect(() => {
    if (paused) return;
    const mine = new AbortController();
    const wait = setTimeout(() => {
      void (async () => {
        const made = new StillCamera(await latest.current(), width, height);
        camera.current?.dispose();
        camera.current = made;
        const blob = await made.take(place, { ...settings, width, height, samples: 2 }, () => undefined, mine.signal);
        setUrl((old) => {
          if (old) URL.revokeObjectURL(old);
          return URL.createObjectURL(blob);
        });
      })().catch((error: unknown) => {
        if (!mine.signal.aborted) setFault(error instanceof Error ? error.message : String(error));
      });
    }, 300);
    return () => {
      clearTimeout(wait);
      mine.abort();
    };
    // The eye is an object made anew with every drawing of the sheet.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [sceneKey, width, height, settings.focal, settings.aperture, settings.focus, settings.scale, JSON.stringify(place), paused]);
  return (
    <div className={css.frame} style={{ aspectRatio: `${width} / ${height}` }}>
      {fault && <p role="alert">{fault}</p>}
      {url && <img src={url} alt="The still as it will be" />}
      <svg viewBox="0 0 300 300" preserveAspectRatio="none" aria-hidden="true">
        <path d="M100 0V300M200 0V300M0 100H300M0 200H300" />
        <Horizon place={place} fov={fieldOfView(settings.focal)} />
      </svg>
    </div>
  );
}

/** Where the horizon lies: level with the eye, seen under the angle that it looks down by. */
function Horizon({ place, fov }: { place: CameraPlace; fov: number }) {
  const [dx, dy, dz] = place.target.map((v, i) => v - place.eye[i]);
  const down = Math.atan2(-dz, Math.hypot(dx, dy));
  const y = 150 - (150 * Math.tan(down)) / Math.tan((fov * Math.PI) / 360);
  return y > 0 && y < 300 ? <path className={css.horizon} d={`M0 ${y}H300`} /> : null;
}
