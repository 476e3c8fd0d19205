import { Check, Maximize2, Palette, Square, Expand, Minimize } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { ToolBar } from '../../../components/ToolBar';
import { Button, Segments, Toggles } from '../../../components/controls';
import { figure } from '../../../components/format';
import type { Aspect } from '../../../view/ground/cameras';
import { GroundView } from '../../../view/ground/ground-view';
import { heightAt, isHole, slopeAt } from '../../../view/ground/pick';
import { roundInterval, TINT } from '../../../drawing/ramp';
import { findUse, mirrored, stepById } from '@upland-cast/core';
import { standAt } from '../../../store/course';
import { onRecoloured } from '../../../store/light';
import { onPatch, paintedMask, strokeChangeAt } from '../../../store/sculpt';
import { keepWork, setDrape, settled, setWater, stopWork, tellDrawingCost } from '../../../store/evaluation';
import { isPressed, KEYS, useKeys } from '../../../store/keys';
import { fillWindow, useLayout } from '../../../store/layout';
import { useTerrain, type ViewSettings } from '../../../store/state';
import { isLayerDrape, LAYER_DRAPES, type LayerDrape, type LayerPicture } from '../../../drawing/drapes';
import { LandPanel } from './LandPanel';
import { CoverPanel } from './CoverPanel';
import { LightButton, LightPanel } from './LightPanel';
import { SectionChart } from './SectionChart';
import { usePlacing, useSculpting, useWalking } from './handling';
import { ViewsPanel } from './ViewsPanel';
import { SpotsPanel } from './SpotsPanel';
import { ViewOverlay } from './ViewOverlay';
import css from './GroundCanvas.module.css';

/** The height of the tool bar over the view, CSS pixels. */
const TOOL_BAR = 52;
const EXAGGERATIONS = [1, 1.5, 2, 3, 5];

/** The ground: relief or plan, with its drapes, readout, scale and north; hand work happens on it. */
export function GroundCanvas({ shown }: { shown: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<GroundView | null>(null);
  const [drawn, setDrawn] = useState<GroundView | null>(null);
  const [aspect, setAspect] = useState<Aspect | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const picture = useTerrain((s) => s.picture);
  const settings = useTerrain((s) => s.view);
  const working = useTerrain((s) => s.working);
  const cursor = useTerrain((s) => s.cursor);
  const brush = useTerrain((s) => s.brush);
  const empty = useTerrain((s) => s.course!.stem.length === 0);
  const walking = useTerrain((s) => s.walker !== null);
  const sculpting = useTerrain(
    (s) => !s.readOnly && s.walker === null && s.tool === 'none' && (paintedMask() !== null || findUse(s.course!, s.selected)?.use.step === 'sculpt'),
  );
  const mask = useTerrain((s) => s.mask);
  const tool = useTerrain((s) => s.tool);
  const standing = useTerrain((s) => (s.standing ? findUse(s.course!, s.standing)?.use : undefined));

  useEffect(() => {
    try {
      view.current = new GroundView(canvas.current!);
    } catch (error) {
      setFailed(`The ground cannot be drawn: this browser gave no WebGL 2 (${String(error)}). Everything else goes on working.`);
      return;
    }
    view.current.cameras.covered = TOOL_BAR;
    view.current.frameAll();
    view.current.onFrame = (next) => {
      tellDrawingCost(view.current?.drawingCost ?? 0);
      setAspect((old) => (old && Object.keys(next).every((k) => old[k as keyof Aspect] === next[k as keyof Aspect]) ? old : next));
    };
    setDrawn(view.current);
    const off = onPatch((patch) => {
      const { mask: painted } = useTerrain.getState();
      if (!patch.painted) view.current?.patch(patch.rectangle);
      else if (painted) view.current?.patchMask(painted.weights, patch.rectangle);
    });
    const offColours = onRecoloured((part, rgba) => view.current?.patchColours(rgba, part));
    // Read by the browser tests: nothing is being worked out behind what is seen.
    const markSettled = () => canvas.current?.setAttribute('data-settled', '');
    settled.add(markSettled);
    return () => {
      settled.delete(markSettled);
      off();
      offColours();
      view.current?.dispose();
      view.current = null;
      setDrawn(null);
    };
  }, []);

  useEffect(() => {
    if (!picture) return;
    view.current?.setGround(picture, { low: picture.statistics.lowest, high: picture.statistics.highest }, picture.patchErrors);
    // Read by the browser tests: when a ground was first put on the screen, and which.
    canvas.current!.dataset.ground = picture.preview ? 'preview' : 'full';
    canvas.current!.dataset.took = picture.took.toFixed(0);
    canvas.current!.dataset.pictures = String(Number(canvas.current!.dataset.pictures ?? 0) + 1);
  }, [picture]);

  useEffect(() => {
    // The weights belong to the picture that they came with.
    view.current?.setMask(mask && picture && mask.weights.length === picture.height.length ? mask.weights : null);
  }, [mask, picture]);
  const layer = useTerrain((s) => s.layer);
  useEffect(() => {
    const fits = layer?.values && picture && layer.values.length === picture.height.length;
    view.current?.setLayer(fits ? layer.values : null, layer ? LAYER_DRAPES[layer.drape].ramp : undefined);
  }, [layer, picture]);
  const water = useTerrain((s) => s.water);
  useEffect(() => {
    view.current?.setWater(water && picture && !picture.preview && water.length === picture.height.length ? water : null);
  }, [water, picture]);
  const lights = useTerrain((s) => s.lights);
  useEffect(() => {
    const fits = lights && picture && lights.length === 2 * picture.height.length;
    view.current?.setLights(fits ? lights : null);
    // Read by the browser tests: how often light has been found.
    canvas.current!.dataset.lit = String(fits ? Number(canvas.current!.dataset.lit ?? 0) + 1 : 0);
  }, [lights, picture]);
  const colours = useTerrain((s) => s.colours);
  const covered = settings.drape === 'ground';
  useEffect(() => {
    const fits = covered && colours && picture && colours.length === 4 * picture.height.length;
    view.current?.setColours(fits ? colours : null);
  }, [covered, colours, picture]);
  const rock = useTerrain((s) => s.course!.rock ?? null);
  useEffect(() => view.current?.setRock(rock), [rock, picture]);
  const sea = useTerrain((s) => s.course!.ground.sea);
  const plan = settings.camera !== 'relief';
  useEffect(() => {
    view.current?.setOptions({ ...settings, camera: plan ? 'plan' : 'relief', sculpting });
  }, [settings, plan, sculpting, sea]);

  useEffect(() => {
    if (shown) view.current?.redraw();
  }, [shown]);

  useSculpting(canvas, view, sculpting);
  usePlacing(canvas, view, tool);
  useWalking(canvas, view, walking);

  useEffect(() => {
    const element = canvas.current!;
    const onMove = (event: PointerEvent) => {
      const { picture: now, brush: round } = useTerrain.getState();
      const place = view.current?.placeAt(event.clientX, event.clientY);
      if (!now || !place) {
        useTerrain.setState({ cursor: null });
        view.current?.setBrush(null);
        return;
      }
      useTerrain.setState({
        cursor: {
          ...place,
          elevation: isHole(now, place.east, place.south) ? NaN : heightAt(now, place.east, place.south) + now.ground.datum,
          slope: slopeAt(now, place.east, place.south),
        },
      });
      if (!sculpting) return;
      const twin = mirrored(round, [place.east, place.south], (d) => [Math.sin((d * Math.PI) / 180), Math.cos((d * Math.PI) / 180)]);
      view.current?.setBrush({ ...place, radius: round.radius }, twin ? { east: twin[0], south: twin[1], radius: round.radius } : null);
    };
    const onLeave = () => {
      useTerrain.setState({ cursor: null });
      view.current?.setBrush(null);
    };
    element.addEventListener('pointermove', onMove);
    element.addEventListener('pointerleave', onLeave);
    if (!sculpting) view.current?.setBrush(null);
    return () => {
      element.removeEventListener('pointermove', onMove);
      element.removeEventListener('pointerleave', onLeave);
    };
  }, [sculpting, brush.radius]);

  const set = (part: Partial<ViewSettings>) => useTerrain.setState({ view: { ...settings, ...part } });
  const depth = picture?.ground.depth ?? 0;
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
        <ToolBar label="The view" className={css.bar}>
          <Segments
            label="View"
            value={settings.camera}
            choices={{ relief: 'Relief', plan: 'Plan', section: 'Section', land: 'Land' }}
            onChange={(camera) => set({ camera })}
          />
          <label className={css.times} title="What lies over the ground">
            <span className="only-read">Drape</span>
            <select value={settings.drape} onChange={(event) => setDrape(event.target.value as ViewSettings['drape'])}>
              <option value="ground">Ground colour</option>
              <option value="tint">Tint</option>
              <option value="shade">Shade</option>
              {Object.entries(LAYER_DRAPES).map(([id, drape]) => (
                <option key={id} value={id}>
                  {drape.name}
                </option>
              ))}
            </select>
          </label>
          {settings.drape === 'ground' && (
            <Button
              square
              aria-label="Rules of the ground colour"
              aria-expanded={settings.coverPanel}
              aria-pressed={settings.coverPanel}
              title="Ground colour: what covers the ground, by which rules"
              onClick={() => set({ coverPanel: !settings.coverPanel })}
            >
              <Palette size={14} />
            </Button>
          )}
          <Toggles
            label="Over it"
            items={[
              { key: 'contours', text: 'Contours', on: settings.contours, onToggle: () => set({ contours: !settings.contours }) },
              { key: 'mesh', text: 'Mesh lines', on: settings.meshLines, onToggle: () => set({ meshLines: !settings.meshLines }) },
              { key: 'water', text: 'Water', on: settings.water, onToggle: () => setWater(!settings.water) },
            ]}
          />
          <label className={css.times} title="Vertical exaggeration: heights are drawn this many times as large">
            <span className="only-read">Vertical exaggeration</span>
            <select value={settings.exaggeration} onChange={(event) => set({ exaggeration: Number(event.target.value) })}>
              {EXAGGERATIONS.map((x) => (
                <option key={x} value={x}>
                  ×{x.toFixed(1)}
                </option>
              ))}
            </select>
          </label>
          <LightButton />
          <Toggles
            label="Beside it"
            items={[
              { key: 'spots', text: 'Spots', on: settings.spots, onToggle: () => set({ spots: !settings.spots }) },
              { key: 'views', text: 'Views', on: settings.views, onToggle: () => set({ views: !settings.views }) },
            ]}
          />
          <Button
            square
            aria-label="Show all of the ground"
            title={`Show all of it (${useKeys((s) => s.own.frameAll) ?? KEYS.frameAll.usual})`}
            onClick={() => view.current?.frameAll()}
          >
            <Maximize2 size={14} />
          </Button>
          <FillButton />
        </ToolBar>
        <div className={css.under}>
          <div>
            {settings.spots && <SpotsPanel />}
            {settings.coverPanel && settings.drape === 'ground' && <CoverPanel />}
            {!settings.spots && settings.exaggeration !== 1 && <p className={css.honest}>Heights are drawn {settings.exaggeration} times as large.</p>}
          </div>
          <div>
            {standing && (
              <p className={css.standing}>
                As after <b>{standing.name || stepById(standing.step).title}</b>
                <Button onClick={() => standAt(null)}>To the end</Button>
              </p>
            )}
          </div>
          <div>
            {working && (
              <div className={css.working} role="status">
                <span>
                  {working.step} <b className="number">{Math.round(working.share * 100)} %</b>
                </span>
                <progress max={1} value={working.share} />
                {working.keeps && (
                  <Button onClick={keepWork} title="End this step here and keep the ground as it is now">
                    <Check size={12} /> Stop and keep
                  </Button>
                )}
                <Button onClick={stopWork}>
                  <Square size={11} fill="currentColor" /> Stop
                </Button>
              </div>
            )}
            {settings.lightPanel && <LightPanel />}
            {settings.views && <ViewsPanel view={drawn} />}
          </div>
        </div>
      </div>
      {!picture && !failed && <p className={css.waiting}>Working out the ground …</p>}
      {failed && <p className={css.waiting}>{failed}</p>}
      {picture && empty && <p className={css.waiting}>Level ground at 0 m. Add a step below.</p>}
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
      {picture && aspect && (
        <>
          <Legend settings={settings} layer={layer} masked={mask !== null} low={picture.statistics.lowest} high={picture.statistics.highest} aspect={aspect} />
          <ScaleAndNorth aspect={aspect} relief={!plan} />
        </>
      )}
    </section>
  );
}

/** The ground alone, and back. */
function FillButton() {
  const filled = useLayout((s) => s.filled);
  const key = useKeys((s) => s.own.fillWindow) ?? KEYS.fillWindow.usual;
  return (
    <Button
      square
      aria-label="The view fills the window"
      aria-pressed={filled}
      title={`${filled ? 'With its panels again' : 'The view fills the window'} (${key})`}
      onClick={() => fillWindow()}
    >
      {filled ? <Minimize size={14} /> : <Expand size={14} />}
    </Button>
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

/** An area as people say it. */
const area = (squareMetres: number) =>
  squareMetres >= 1e6
    ? `${figure(squareMetres / 1e6, squareMetres >= 1e7 ? 0 : 1)} km²`
    : squareMetres >= 1e4
      ? `${figure(squareMetres / 1e4, 1)} ha`
      : `${figure(squareMetres, 0)} m²`;

/** What a drape's scale is of. */
function drapeWords({ name, unit, diverging }: LayerDrape): string {
  if (unit === 'm²') return `${name}: land that drains through`;
  if (unit === '%') return `${name}: soft to hard`;
  return diverging ? name : `${name}, depth`;
}

function LayerLegend({ layer }: { layer: LayerPicture }) {
  const drape: LayerDrape = LAYER_DRAPES[layer.drape];
  if (!layer.values) return <span>{drape.absent}</span>;
  const shown = (value: number) => (drape.unit === 'm²' ? area(value) : `${figure(value, Math.abs(value) < 10 ? 1 : 0)} ${drape.unit}`);
  return (
    <>
      <span className={css.ramp} style={{ background: `linear-gradient(to right, ${drape.ramp.map(([at, c]) => `${c} ${at * 100}%`).join(', ')})` }} />
      <span className={`${css.ends} number`}>
        <span>{drape.diverging ? `cut ${shown(-layer.low)}` : shown(layer.low)}</span>
        {drape.diverging && <span>0</span>}
        <span>{drape.diverging ? `fill ${shown(layer.high)}` : `${drape.unit === 'm' ? '≥ ' : ''}${shown(layer.high)}`}</span>
      </span>
      <span>
        {drapeWords(drape)}
        {layer.of && `, ${layer.of}`}
      </span>
    </>
  );
}

interface LegendProps {
  settings: ViewSettings;
  layer: LayerPicture | null;
  masked: boolean;
  low: number;
  high: number;
  aspect: Aspect;
}

function Legend({ settings, layer, masked, low, high, aspect }: LegendProps) {
  const lines: string[] = [];
  if (settings.contours) lines.push(`contours every ${aspect.contourInterval} m`);
  if (settings.meshLines) lines.push(aspect.meshEvery === 1 ? 'mesh lines: every sample' : `mesh lines: every ${aspect.meshEvery} samples`);
  return (
    <div className={css.legend}>
      {isLayerDrape(settings.drape) && layer && !masked && <LayerLegend layer={layer} />}
      {settings.drape === 'tint' && !masked && (
        <>
          <span className={css.ramp} style={{ background: `linear-gradient(to right, ${TINT.map(([at, c]) => `${c} ${at * 100}%`).join(', ')})` }} />
          <span className={`${css.ends} number`}>
            <span>{figure(low, 0)}</span>
            <span>{figure(high, 0)} m</span>
          </span>
        </>
      )}
      {masked && (
        <>
          <span className={css.maskRamp} />
          <span className={`${css.ends} number`}>
            <span>acts 0</span>
            <span>100 %</span>
          </span>
        </>
      )}
      {lines.map((line) => (
        <span key={line}>{line}</span>
      ))}
    </div>
  );
}

function ScaleAndNorth({ aspect, relief }: { aspect: Aspect; relief: boolean }) {
  const length = roundInterval(aspect.metresPerPixel * 120, 1);
  const pixels = length / aspect.metresPerPixel;
  return (
    <div className={css.corner}>
      <svg className={css.north} width="26" height="34" viewBox="-13 -17 26 34" aria-label={`North is ${Math.round(aspect.north)} degrees from up`}>
        <g transform={`rotate(${aspect.north})`}>
          <path d="M0 -14L5 4L0 1L-5 4Z" />
          <text y="15" textAnchor="middle">
            N
          </text>
        </g>
      </svg>
      <div className={css.scale} style={{ width: pixels }}>
        <span className="number">
          <span>0</span>
          <span>{length >= 1000 ? `${figure(length / 1000, length % 1000 ? 1 : 0)} km` : `${figure(length, length < 1 ? 1 : 0)} m`}</span>
        </span>
        <i />
        {relief && <small>mid-view</small>}
      </div>
    </div>
  );
}
