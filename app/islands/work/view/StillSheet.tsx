import { Square } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { bundle, encodeExr, safeName } from '@upland-cast/core';
import { Button, NumberField, Row, Segments, Select, Switch } from '../../../components/controls';
import { Dialog } from '../../../components/Dialog';
import { download } from '../../../components/download';
import { figure } from '../../../components/format';
import { engine } from '../../../engine/client';
import { fullGround, refreshWater } from '../../../store/evaluation';
import { lightOf } from '../../../store/light';
import { useTerrain } from '../../../store/state';
import type { CameraPlace } from '../../../view/ground/cameras';
import type { Pass } from '../../../view/ground/exposures';
import type { GroundView } from '../../../view/ground/ground-view';
import { film, filmKind, type FilmKind } from '../../../view/ground/film';
import { along, blurAt, StillCamera, turned, type StillScene, type StillSettings } from '../../../view/ground/still';
import { StillFrame } from './StillFrame';
import css from './ViewsPanel.module.css';

const KINDS: Record<Pass, string> = {
  seen: 'Picture, PNG',
  linear: 'Linear light, EXR',
  depth: 'Depth, EXR',
  normal: 'Normals, EXR',
  cover: 'Cover’s colour, EXR',
};

/** A picture of the relief at any size, from a kept view or the present one; or a whole turn around it. */
export function StillSheet({ view, onClose }: { view: GroundView; onClose: () => void }) {
  const course = useTerrain((s) => s.course)!;
  const picture = useTerrain((s) => s.picture)!;
  const settings = useTerrain((s) => s.view);
  const here = view.cameras.cameraPlace();
  const away = Math.hypot(...here.eye.map((v, i) => v - here.target[i]));
  const [from, setFrom] = useState('here');
  const [still, setStill] = useState<StillSettings>({
    width: 1920,
    height: 1080,
    focal: 35,
    aperture: Infinity,
    focus: Math.round(away),
    scale: 1,
    samples: 8,
  });
  const [colour, setColour] = useState<'view' | 'ground'>('ground');
  const [water, setWater] = useState(settings.water);
  const [sun, setSun] = useState(settings.sun);
  const [sunHeight, setSunHeight] = useState(settings.sunHeight);
  const [frames, setFrames] = useState(1);
  const [kind, setKind] = useState<keyof typeof KINDS>('seen');
  const [way, setWay] = useState<'around' | 'views'>('around');
  const [asFilm, setAsFilm] = useState(false);
  const [perSecond, setPerSecond] = useState(25);
  /** What this browser encodes a film with; null: nothing. */
  const [encodes, setEncodes] = useState<FilmKind | null>(null);
  const several = frames > 1;
  useEffect(() => {
    let gone = false;
    if (several)
      void filmKind(still.width, still.height).then(
        (found) => !gone && setEncodes(found),
        () => undefined,
      );
    return () => void (gone = true);
  }, [several, still.width, still.height]);
  const [work, setWork] = useState<number | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const stop = useRef<AbortController | null>(null);
  const set = (part: Partial<StillSettings>) => setStill({ ...still, ...part });
  /** What is photographed; for the frame in the sheet with what is at hand. */
  const sceneOf = async (whole: boolean): Promise<StillScene> => {
    const { standing } = useTerrain.getState();
    let colours = useTerrain.getState().colours;
    let source = { ground: picture.ground, height: picture.height };
    // The colours beside the view are those of the whole ground, but for a preview.
    const known = colours?.length === 4 * picture.height.length && (!whole || (!picture.preview && !standing));
    if (colour !== 'ground') colours = null;
    else if (!known && !picture.preview && !standing) {
      let found = await engine().coverColours(course, null);
      // A ground that was kept may lack what its cover reads until it has been worked out.
      if (whole && found.ok && !found.value && (await fullGround())) found = await engine().coverColours(course, null);
      if (!found.ok) throw new Error(found.sentence);
      colours = found.value;
    } else if (!known) {
      const drape = await engine().mapDrape(course, { kind: 'end' }, { kind: 'colour' }, true);
      if (!drape.ok) throw new Error(drape.sentence);
      colours = drape.value.rgb;
      source = { ground: drape.value.ground, height: drape.value.height };
    }
    if (whole && water && !useTerrain.getState().water) await refreshWater(course);
    const { lowest, highest } = picture.statistics;
    return {
      source,
      range: { low: lowest, high: highest },
      options: { ...settings, drape: colour === 'ground' ? 'ground' : settings.drape, water, sun, sunHeight },
      errors: picture.patchErrors ?? null,
      lights: settings.light === 'day' ? await lightOf(source, { ...settings, sun, sunHeight, water }) : null,
      colours,
      rock: course.rock ?? null,
      water: water ? useTerrain.getState().water : null,
    };
  };
  const take = async () => {
    const mine = (stop.current = new AbortController());
    setWork(0);
    setFault(null);
    let camera: StillCamera | undefined;
    try {
      const kept = course.cameras.find((c) => c.id === from);
      const place = kept ?? here;
      camera = new StillCamera(await sceneOf(true), still.width, still.height);
      const made = camera;
      const name = safeName(course.name);
      const ending = kind === 'seen' ? 'png' : 'exr';
      const title = kind === 'seen' ? '' : `-${kind}`;
      const taken = async (at: CameraPlace, onWork: (share: number) => void): Promise<Uint8Array<ArrayBuffer>> => {
        if (kind === 'seen') return new Uint8Array(await (await made.take(at, still, onWork, mine.signal)).arrayBuffer());
        const channels = await made.floats(at, still, kind, onWork, mine.signal);
        return encodeExr(still.width, still.height, kind === 'depth' ? { Z: channels[0] } : { R: channels[0], G: channels[1], B: channels[2] });
      };
      const placeOf = (k: number) =>
        way === 'views' && course.cameras.length > 1 ? along(course.cameras, k / (frames - 1)) : turned(place, (360 * k) / frames);
      if (frames === 1) download(`${name}-still${title}.${ending}`, await taken(place, setWork), ending === 'png' ? 'image/png' : 'image/x-exr');
      else if (kind === 'seen' && asFilm && encodes) {
        async function* pictures() {
          for (let k = 0; k < frames; k++) yield await made.take(placeOf(k), still, (share) => setWork((k + share) / frames), mine.signal);
        }
        const one = await film(pictures(), { width: still.width, height: still.height, perSecond, kind: encodes });
        download(`${name}-${way === 'views' ? 'views' : 'turntable'}.${encodes.ending}`, one, encodes.mediaType);
      } else {
        const pieces: Uint8Array<ArrayBuffer>[] = [];
        async function* turn() {
          for (let k = 0; k < frames; k++) {
            const bytes = await taken(placeOf(k), (share) => setWork((k + share) / frames));
            yield { name: `${name}-${way === 'views' ? 'views' : 'turn'}${title}-${String(k + 1).padStart(4, '0')}.${ending}`, bytes };
          }
        }
        await bundle(turn(), (piece) => void pieces.push(piece));
        download(`${name}-${way === 'views' ? 'views' : 'turntable'}.zip`, new Blob(pieces), 'application/zip');
      }
    } catch (error) {
      if (!mine.signal.aborted) setFault(`The picture could not be taken: ${error instanceof Error ? error.message : String(error)}`);
    }
    camera?.dispose();
    setWork(null);
  };
  const sharp = !Number.isFinite(still.aperture);
  return (
    <Dialog title="Still" onClose={onClose}>
      <div className={css.still}>
        <StillFrame
          settings={still}
          place={course.cameras.find((c) => c.id === from) ?? here}
          scene={async () => sceneOf(false)}
          sceneKey={JSON.stringify([colour, water, sun, sunHeight])}
          paused={work !== null}
        />
        <Row label="From">
          <Select
            label="From"
            value={from}
            choices={{ here: 'Where the view is', ...Object.fromEntries(course.cameras.map((c) => [c.id, c.name])) }}
            onChange={setFrom}
          />
        </Row>
        <Row label="Size">
          <div className={css.pair}>
            <NumberField label="Width of the still" unit="px" value={still.width} min={64} max={8192} onChange={(width) => set({ width: Math.round(width) })} />
            <NumberField
              label="Height of the still"
              unit="px"
              value={still.height}
              min={64}
              max={8192}
              onChange={(height) => set({ height: Math.round(height) })}
            />
          </div>
        </Row>
        <Row label="Focal length" help="On a film 24 mm high.">
          <NumberField label="Focal length" unit="mm" value={still.focal} min={8} max={600} onChange={(focal) => set({ focal })} />
        </Row>
        <Row label="All sharp">
          <Switch label="All sharp" on={sharp} onChange={(on) => set({ aperture: on ? Infinity : 4, samples: on ? 8 : 32, scale: on ? 1 : 1000 })} />
        </Row>
        {!sharp && (
          <>
            <Row label="Aperture" help="The f-number.">
              <NumberField label="Aperture" value={still.aperture} min={0.7} max={64} step={0.1} onChange={(aperture) => set({ aperture })} />
            </Row>
            <Row label="Focus at" help="From the eye.">
              <NumberField label="Focus at" unit="m" value={still.focus} min={1} max={1e6} onChange={(focus) => set({ focus })} />
            </Row>
            <Row label="As a model 1 :" help="Land as large as it is shows no blur; a model of it on a table does.">
              <NumberField label="As a model 1 :" value={still.scale} min={1} max={100_000} onChange={(scale) => set({ scale })} />
            </Row>
            <p className="number">
              blur at half the focus {figure(blurAt(still.focus / 2, still), 1)} px, at twice {figure(blurAt(still.focus * 2, still), 1)} px
            </p>
          </>
        )}
        <Row label="Colour">
          <Segments label="Colour" value={colour} choices={{ ground: 'Ground colour', view: 'As in the view' }} onChange={setColour} />
        </Row>
        <Row label="Water">
          <Switch label="Water in the still" on={water} onChange={setWater} />
        </Row>
        <Row label="Sun">
          <div className={css.pair}>
            <NumberField label="Sun from north" unit="°" value={sun} min={0} max={360} onChange={setSun} />
            <NumberField label="Sun above the horizon" unit="°" value={sunHeight} min={1} max={90} onChange={setSunHeight} />
          </div>
        </Row>
        <Row
          label="Passes"
          help="Pictures laid over each other: smooth edges, and the lens. Pixels that come out the same after a few are left out of the others."
        >
          <NumberField label="Passes" value={still.samples} min={1} max={256} onChange={(samples) => set({ samples: Math.round(samples) })} />
        </Row>
        <Row label="As" help="Linear: light before it is bent for the screen. Depth: metres from the eye. Normals: east, up and south.">
          <Select label="As" value={kind} choices={KINDS} onChange={setKind} />
        </Row>
        {course.cameras.length > 1 && (
          <Row label="Frames go" help="Around what is looked at, or along the views that are kept, in their order.">
            <Segments label="Frames go" value={way} choices={{ around: 'Around', views: 'Along the views' }} onChange={setWay} />
          </Row>
        )}
        <Row label="Frames" help="More than one: a whole turn around what is looked at.">
          <NumberField label="Frames" value={frames} min={1} max={720} onChange={(n) => setFrames(Math.round(n))} />
        </Row>
        {several && kind === 'seen' && (
          <>
            <Row label="Written as" help={encodes ? undefined : 'This browser encodes no film: numbered frames are written.'}>
              <Segments
                label="Written as"
                value={asFilm && encodes ? 'film' : 'frames'}
                choices={{ frames: 'Numbered frames', ...(encodes ? { film: `One film (${encodes.ending})` } : {}) } as Record<'frames' | 'film', string>}
                onChange={(as) => setAsFilm(as === 'film')}
              />
            </Row>
            {asFilm && encodes && (
              <Row label="Frames a second">
                <NumberField label="Frames a second" value={perSecond} min={1} max={120} onChange={setPerSecond} />
              </Row>
            )}
          </>
        )}
        {fault && <p role="alert">{fault}</p>}
        {work === null ? (
          <Button look="main" onClick={() => void take()}>
            {frames === 1 ? 'Take it' : `Take ${frames} frames`}
          </Button>
        ) : (
          <div role="status" className={css.taking}>
            <progress max={1} value={work} />
            <Button onClick={() => stop.current?.abort()}>
              <Square size={11} fill="currentColor" /> Stop
            </Button>
          </div>
        )}
      </div>
    </Dialog>
  );
}
