import { Square } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { Button, Row, Select } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { download } from '../../../components/download';
import { useTerrain } from '../../../store/state';
import type { CameraPlace } from '../../../view/ground/cameras';
import type { GroundView } from '../../../view/ground/ground-view';
import { filmKind, type FilmKind } from '../../../view/ground/film';
import { StillCamera, type StillSettings } from '../../../view/ground/still';
import { StillFrame } from './StillFrame';
import { FramesRows, LensRows, LookRows } from './StillRows';
import { sceneOf, takeStill, type StillWish } from './still-work';
import css from './ViewsPanel.module.css';

/** A wish as the sheet opens with it: all sharp, what is looked at in focus once it is not. */
function firstWish(here: CameraPlace, { water, sun, sunHeight }: Pick<StillWish, 'water' | 'sun' | 'sunHeight'>): StillWish {
  const focus = Math.round(Math.hypot(...here.eye.map((v, i) => v - here.target[i])));
  const still = { width: 1920, height: 1080, focal: 35, aperture: Infinity, focus, scale: 1, samples: 8 };
  return { from: 'here', still, colour: 'ground', water, sun, sunHeight, kind: 'seen', frames: 1, way: 'around', asFilm: false, perSecond: 25 };
}

/** What this browser encodes a film of that size with; null: nothing, or it is not asked for. */
function useFilmKind(asked: boolean, { width, height }: StillSettings): FilmKind | null {
  const [encodes, setEncodes] = useState<FilmKind | null>(null);
  useEffect(() => {
    let gone = false;
    if (asked)
      void filmKind(width, height).then(
        (found) => !gone && setEncodes(found),
        () => undefined,
      );
    return () => void (gone = true);
  }, [asked, width, height]);
  return encodes;
}

/** Takes what is wished for and hands it over; how far that is, what went wrong, and how to stop it. */
function useTaking(here: CameraPlace, wish: StillWish, encodes: FilmKind | null) {
  const [work, setWork] = useState<number | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const stop = useRef<AbortController | null>(null);
  const take = async () => {
    const mine = (stop.current = new AbortController());
    const { course } = useTerrain.getState();
    setWork(0);
    setFault(null);
    let camera: StillCamera | undefined;
    try {
      camera = new StillCamera(await sceneOf(wish, true), wish.still.width, wish.still.height);
      const file = await takeStill(course!, { camera, here, wish, encodes, onWork: setWork, signal: mine.signal });
      download(file.name, file.content, file.mediaType);
    } catch (error) {
      if (!mine.signal.aborted) setFault(`The picture could not be taken: ${error instanceof Error ? error.message : String(error)}`);
    }
    camera?.dispose();
    setWork(null);
  };
  return { work, fault, take, stop: () => stop.current?.abort() };
}

/** A picture of the relief at any size, from a kept view or the present one; or a whole turn around it. */
export function StillSheet({ view, onClose }: { view: GroundView; onClose: () => void }) {
  const { cameras } = useTerrain((s) => s.course)!;
  const settings = useTerrain((s) => s.view);
  const here = view.cameras.cameraPlace();
  const [wish, setWish] = useState(() => firstWish(here, settings));
  const put = (part: Partial<StillWish>) => setWish({ ...wish, ...part });
  const encodes = useFilmKind(wish.frames > 1, wish.still);
  const { work, fault, take, stop } = useTaking(here, wish, encodes);
  const { from, still, colour, water, sun, sunHeight, frames } = wish;
  return (
    <Dialog title="Still" onClose={onClose}>
      <div className={css.still}>
        <StillFrame
          settings={still}
          place={cameras.find((c) => c.id === from) ?? here}
          scene={async () => sceneOf(wish, false)}
          sceneKey={JSON.stringify([colour, water, sun, sunHeight])}
          paused={work !== null}
        />
        <Row label="From">
          <Select
            label="From"
            value={from}
            choices={{ here: 'Where the view is', ...Object.fromEntries(cameras.map((c) => [c.id, c.name])) }}
            onChange={(from) => put({ from })}
          />
        </Row>
        <LensRows wish={wish} put={put} />
        <LookRows wish={wish} put={put} />
        <FramesRows wish={wish} put={put} alongViews={cameras.length > 1} encodes={encodes} />
        {fault && <p role="alert">{fault}</p>}
        {work === null ? (
          <Button look="main" onClick={() => void take()}>
            {frames === 1 ? 'Take it' : `Take ${frames} frames`}
          </Button>
        ) : (
          <div role="status" className={css.taking}>
            <progress max={1} value={work} />
            <Button onClick={stop}>
              <Square size={11} fill="currentColor" /> Stop
            </Button>
          </div>
        )}
      </div>
    </Dialog>
  );
}
