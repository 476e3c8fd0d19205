import { NumberField, Row, Segments, Select, Switch } from '../../../components/controls';
import { figure } from '../../../components/format';
import type { Pass } from '../../../view/ground/exposures';
import type { FilmKind } from '../../../view/ground/film';
import { blurAt, type StillSettings } from '../../../view/ground/still';
import type { StillWish } from './still-work';
import css from './ViewsPanel.module.css';

const KINDS: Record<Pass, string> = {
  seen: 'Picture, PNG',
  linear: 'Linear light, EXR',
  depth: 'Depth, EXR',
  normal: 'Normals, EXR',
  cover: 'Cover’s colour, EXR',
};

interface RowsProps {
  wish: StillWish;
  put: (part: Partial<StillWish>) => void;
}

/** The picture's size, and the lens that it is taken with. */
export function LensRows({ wish: { still }, put }: RowsProps) {
  const set = (part: Partial<StillSettings>) => put({ still: { ...still, ...part } });
  const sharp = !Number.isFinite(still.aperture);
  return (
    <>
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
    </>
  );
}

/** Colour, water and sun. */
export function LookRows({ wish: { colour, water, sun, sunHeight }, put }: RowsProps) {
  return (
    <>
      <Row label="Colour">
        <Segments label="Colour" value={colour} choices={{ ground: 'Ground colour', view: 'As in the view' }} onChange={(colour) => put({ colour })} />
      </Row>
      <Row label="Water">
        <Switch label="Water in the still" on={water} onChange={(water) => put({ water })} />
      </Row>
      <Row label="Sun">
        <div className={css.pair}>
          <NumberField label="Sun from north" unit="°" value={sun} min={0} max={360} onChange={(sun) => put({ sun })} />
          <NumberField label="Sun above the horizon" unit="°" value={sunHeight} min={1} max={90} onChange={(sunHeight) => put({ sunHeight })} />
        </div>
      </Row>
    </>
  );
}

/** How often it is taken, and what it is written as. */
export function FramesRows({
  wish: { still, kind, frames, way, asFilm, perSecond },
  put,
  alongViews,
  encodes,
}: RowsProps & { alongViews: boolean; encodes: FilmKind | null }) {
  const set = (part: Partial<StillSettings>) => put({ still: { ...still, ...part } });
  return (
    <>
      <Row
        label="Passes"
        help="Pictures laid over each other: smooth edges, and the lens. Pixels that come out the same after a few are left out of the others."
      >
        <NumberField label="Passes" value={still.samples} min={1} max={256} onChange={(samples) => set({ samples: Math.round(samples) })} />
      </Row>
      <Row label="As" help="Linear: light before it is bent for the screen. Depth: metres from the eye. Normals: east, up and south.">
        <Select label="As" value={kind} choices={KINDS} onChange={(kind) => put({ kind })} />
      </Row>
      {alongViews && (
        <Row label="Frames go" help="Around what is looked at, or along the views that are kept, in their order.">
          <Segments label="Frames go" value={way} choices={{ around: 'Around', views: 'Along the views' }} onChange={(way) => put({ way })} />
        </Row>
      )}
      <Row label="Frames" help="More than one: a whole turn around what is looked at.">
        <NumberField label="Frames" value={frames} min={1} max={720} onChange={(n) => put({ frames: Math.round(n) })} />
      </Row>
      {frames > 1 && kind === 'seen' && (
        <>
          <Row label="Written as" help={encodes ? undefined : 'This browser encodes no film: numbered frames are written.'}>
            <Segments
              label="Written as"
              value={asFilm && encodes ? 'film' : 'frames'}
              choices={{ frames: 'Numbered frames', ...(encodes ? { film: `One film (${encodes.ending})` } : {}) } as Record<'frames' | 'film', string>}
              onChange={(as) => put({ asFilm: as === 'film' })}
            />
          </Row>
          {asFilm && encodes && (
            <Row label="Frames a second">
              <NumberField label="Frames a second" value={perSecond} min={1} max={120} onChange={(perSecond) => put({ perSecond })} />
            </Row>
          )}
        </>
      )}
    </>
  );
}
