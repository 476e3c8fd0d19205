import { Crosshair, Lock, LockOpen } from 'lucide-react';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { Button, NumberField, Segments } from '../../components/controls';
import { figure } from '../../components/format';
import { LAYER_DRAPES } from '../../drawing/drapes';
import type { ComparedPicture } from '../../engine/api';
import { GroundView, WORKING_LIGHT } from '../../view/ground/ground-view';
import { isPressed, isTyping } from '../../store/keys';
import { useTerrain } from '../../store/state';
import { Outlines } from './Outlines';
import { SectionHandles } from './SectionHandles';
import { LastGround } from '../shell/LastGround';
import css from './ComparedView.module.css';

const MODES = { wipe: 'Wipe', side: 'Side by side', flip: 'In and out', difference: 'Difference', contours: 'Contours', outlines: 'Outlines' };
type Mode = keyof typeof MODES;

const INK_A = [0.61, 0.29, 0.14] as const;
const INK_B = [0.16, 0.42, 0.55] as const;

interface ComparedViewProps {
  found: ComparedPicture | null;
  tolerance: number;
  /** How the comparison stands, while there is none or another one is on its way. */
  standing: ReactNode;
}

/** Both grounds seen from one place: beside each other, under a wipe, in and out, as a difference, contours or outlines. */
export function ComparedView({ found, tolerance, standing }: ComparedViewProps) {
  const { canvasA, canvasB, views, failed } = useTwoViews();
  const [mode, setMode] = useState<Mode>('wipe');
  const [camera, setCamera] = useState<'relief' | 'plan'>('plan');
  const [wipe, setWipe] = useState(0.5);
  const [seesB, setSeesB] = useState(false);
  const [locked, setLocked] = useState<number | null>(null);
  const span = locked ?? found?.span ?? 1;
  const plan = mode === 'contours' || camera === 'plan';

  useBothSeen(views, found, { mode, plan, span, tolerance });
  useHeldKey(mode === 'flip', setSeesB);

  const toLargest = () => {
    if (!views || !found) return;
    const { at } = found.between;
    const reach = found.ground.width / 12;
    const level = found.a.mean - found.ground.datum;
    views.a.cameras.goTo({ eye: [at.east, at.south + reach * 1.4, level + reach], target: [at.east, at.south, level] });
    setCamera('relief');
  };
  const beside = mode === 'side';
  const clip = mode === 'wipe' ? `inset(0 0 0 ${100 * wipe}%)` : mode === 'flip' && !seesB ? 'inset(0 0 0 100%)' : undefined;
  const hidesB = mode === 'difference' || mode === 'outlines';
  return (
    <section className={css.view} aria-label="Both grounds" data-mode={mode}>
      <div className={`${css.stage} ${beside ? css.beside : ''}`}>
        <div className={css.box}>
          <canvas ref={canvasA} tabIndex={0} aria-label="Ground A" />
          {found && (beside || mode === 'wipe' || (mode === 'flip' && !seesB)) && <b className={css.tagA}>A</b>}
        </div>
        <div
          className={css.box}
          style={{
            clipPath: clip,
            visibility: hidesB ? 'hidden' : undefined,
            mixBlendMode: mode === 'contours' ? 'multiply' : undefined,
            pointerEvents: beside ? undefined : 'none',
          }}
        >
          <canvas ref={canvasB} tabIndex={beside ? 0 : -1} aria-label="Ground B" />
          {found && (beside || mode === 'wipe' || mode === 'flip') && <b className={css.tagB}>B</b>}
        </div>
        {mode === 'wipe' && found && <Wipe at={wipe} onChange={setWipe} />}
        {mode === 'outlines' && found && <Outlines found={found} />}
        {mode !== 'outlines' && !beside && found && views && <SectionHandles view={views.a} ground={found.ground} />}
      </div>
      {!found && !failed && <LastGround />}
      <Bar {...{ mode, camera, seesB }} onMode={setMode} onCamera={setCamera} onHeld={setSeesB} toLargest={found ? toLargest : undefined} />
      {mode === 'difference' && found && <DifferenceLegend span={span} tolerance={tolerance} locked={locked !== null} onSpan={setLocked} />}
      {standing && !failed && (
        <div className={found ? css.working : css.waiting} role="status" aria-label="How the comparison stands">
          {standing}
        </div>
      )}
      {failed && <p className={css.waiting}>The grounds cannot be drawn: this browser gave no WebGL 2. The figures beside are measured all the same.</p>}
    </section>
  );
}

interface BarProps {
  mode: Mode;
  camera: 'relief' | 'plan';
  seesB: boolean;
  onMode: (mode: Mode) => void;
  onCamera: (camera: 'relief' | 'plan') => void;
  /** The other side is wanted for as long as something is held. */
  onHeld: (down: boolean) => void;
  /** Leads to where the sides differ most; undefined: there is nothing to compare yet. */
  toLargest?: () => void;
}

function Bar({ mode, camera, seesB, onMode, onCamera, onHeld, toLargest }: BarProps) {
  return (
    <div className={css.bar}>
      <Segments label="Way to look" value={mode} choices={MODES} onChange={onMode} />
      {mode !== 'contours' && mode !== 'outlines' && (
        <Segments label="Camera" value={camera} choices={{ plan: 'Plan', relief: 'Relief' }} onChange={onCamera} />
      )}
      {mode === 'flip' && (
        <Button
          aria-pressed={seesB}
          onPointerDown={() => onHeld(true)}
          onPointerUp={() => onHeld(false)}
          onPointerLeave={() => onHeld(false)}
          title="Held, or the key B: the other one"
        >
          Hold for B
        </Button>
      )}
      <Button square aria-label="To the largest difference" title="To the largest difference" disabled={!toLargest} onClick={toLargest}>
        <Crosshair size={14} />
      </Button>
    </div>
  );
}

interface TwoViews {
  a: GroundView;
  b: GroundView;
}

/** Two views in canvases of their own, tied together: where one goes the other follows. */
function useTwoViews() {
  const canvasA = useRef<HTMLCanvasElement>(null);
  const canvasB = useRef<HTMLCanvasElement>(null);
  const [views, setViews] = useState<TwoViews | null>(null);
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    let made: TwoViews;
    try {
      made = { a: new GroundView(canvasA.current!), b: new GroundView(canvasB.current!) };
    } catch {
      setFailed(true);
      return;
    }
    let following = false;
    const tie = (from: GroundView, to: GroundView) => {
      from.onMove = () => {
        if (following) return;
        following = true;
        to.follow(from);
        following = false;
      };
    };
    tie(made.a, made.b);
    tie(made.b, made.a);
    for (const view of [made.a, made.b]) view.cameras.covered = 52;
    setViews(made);
    return () => {
      made.a.dispose();
      made.b.dispose();
    };
  }, []);
  return { canvasA, canvasB, views, failed };
}

interface Seen {
  mode: Mode;
  plan: boolean;
  /** Metres that the colours of the difference reach to. */
  span: number;
  tolerance: number;
}

/** Puts both grounds into their views, as the way to look has them. */
function useBothSeen(views: TwoViews | null, found: ComparedPicture | null, { mode, plan, span, tolerance }: Seen): void {
  useEffect(() => {
    if (!views || !found) return;
    const { ground, heightA, heightB } = found;
    const range = { low: Math.min(found.a.lowest, found.b.lowest), high: Math.max(found.a.highest, found.b.highest) };
    views.a.setGround({ ground, height: heightA }, range);
    views.b.setGround({ ground, height: heightB }, range);
    views.b.follow(views.a);
  }, [views, found]);

  useEffect(() => {
    if (!views || !found) return;
    const { difference, valid } = found;
    const values = mode === 'difference' ? bytesOf(difference, valid, span, tolerance) : null;
    const white = mode === 'contours' ? new Uint8Array(4 * difference.length).fill(255) : null;
    const seen = plan ? 'plan' : 'relief';
    for (const view of [views.a, views.b]) {
      view.setLayer(view === views.a ? values : null, LAYER_DRAPES.change.ramp);
      view.setColours(white, false);
      view.setContourInk(mode === 'contours' ? (view === views.a ? INK_A : INK_B) : [0.42, 0.19, 0.08]);
      view.setOptions({
        ...WORKING_LIGHT,
        water: mode !== 'difference' && mode !== 'contours',
        camera: seen,
        contours: mode === 'contours',
        drape: mode === 'difference' ? 'change' : 'tint',
      });
    }
    views.b.follow(views.a);
  }, [views, found, mode, plan, span, tolerance]);
}

/** A key, B until it is changed, shows the other one while it is held. */
function useHeldKey(on: boolean, onHeld: (down: boolean) => void): void {
  useEffect(() => {
    if (!on) return;
    const set = (down: boolean) => (event: KeyboardEvent) => {
      if (isPressed(event, 'otherSide') && !isTyping(event)) onHeld(down);
    };
    const [down, up] = [set(true), set(false)];
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    return () => {
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
    };
  }, [on, onHeld]);
}

interface LegendProps {
  span: number;
  tolerance: number;
  /** The span stays when the sides change. */
  locked: boolean;
  onSpan: (span: number | null) => void;
}

function DifferenceLegend({ span, tolerance, locked, onSpan }: LegendProps) {
  return (
    <div className={css.legend}>
      <span>B − A, metres{tolerance > 0 ? `: beyond ${figure(tolerance, 2)}` : ''}</span>
      <i style={{ background: `linear-gradient(to right, ${LAYER_DRAPES.change.ramp.map(([at, colour]) => `${colour} ${100 * at}%`).join(', ')})` }} />
      <div className="number">
        <span>−{figure(span, span < 1 ? 3 : 1)}</span>
        <span>0</span>
        <span>+{figure(span, span < 1 ? 3 : 1)}</span>
      </div>
      <div className={css.span}>
        <NumberField label="Colours reach to" unit="m" value={span} min={0.0001} max={10_000} step={0.001} onChange={onSpan} />
        <Button
          square
          aria-label="Keep this span"
          aria-pressed={locked}
          title="Keep this span when the sides change"
          onClick={() => onSpan(locked ? null : span)}
        >
          {locked ? <Lock size={13} /> : <LockOpen size={13} />}
        </Button>
      </div>
    </div>
  );
}

/** A difference along a diverging scale of bytes; with a tolerance only what lies beyond it has a colour. */
function bytesOf(difference: Float32Array, valid: Uint8Array | undefined, span: number, tolerance: number): Uint8Array<ArrayBuffer> {
  const out = new Uint8Array(difference.length).fill(128);
  for (let i = 0; i < out.length; i++) {
    if (valid && !valid[i]) continue;
    const d = difference[i];
    if (tolerance > 0) {
      if (Math.abs(d) > tolerance) out[i] = d < 0 ? 0 : 255;
    } else out[i] = Math.round(127.5 + 127.5 * Math.min(1, Math.max(-1, d / span)));
  }
  return out;
}

function Wipe({ at, onChange }: { at: number; onChange: (at: number) => void }) {
  const sheet = useTerrain((s) => s.sheet);
  const move = (event: React.PointerEvent) => {
    const box = event.currentTarget.parentElement!.getBoundingClientRect();
    onChange(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)));
  };
  return (
    <div
      className={css.wipe}
      data-sheet={sheet}
      style={{ left: `${100 * at}%` }}
      role="slider"
      tabIndex={0}
      aria-label="Wipe: A to its left, B to its right"
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(100 * at)}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => event.currentTarget.hasPointerCapture(event.pointerId) && move(event)}
      onKeyDown={(event) => {
        const by = { ArrowLeft: -0.02, ArrowRight: 0.02, Home: -1, End: 1 }[event.key];
        if (by === undefined) return;
        event.preventDefault();
        onChange(Math.min(1, Math.max(0, at + by)));
      }}
    >
      <span>⇆</span>
    </div>
  );
}
