import { ArrowDown, ArrowLeft, ArrowRight, ArrowUp, ZoomIn, ZoomOut } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import type { Ground } from '@upland-cast/core';
import { Button } from '../../components/controls';
import { figure, metres } from '../../components/format';
import { ToolBar } from '../../components/ToolBar';
import { heightsOfWorld } from '../../store/worlds';
import { GroundView, WORKING_LIGHT } from '../../view/ground/ground-view';
import type { WorldStatus } from '../../worlds/status';
import type { Part } from './WorldMap';
import css from './WorldRoom.module.css';

/** Samples a side that are drawn at once, at the most. */
const MOST = 769;

/** So much of a world as is drawn at once: every `stride`-th sample. */
function lookOf(part: Part, { across, down }: WorldStatus) {
  let stride = 1;
  while (Math.max(part.across, part.down) / stride > MOST) stride *= 2;
  const at = (from: number) => Math.floor(Math.max(0, from) / stride) * stride;
  const [left, top] = [at(part.left), at(part.top)];
  const count = (from: number, length: number, all: number) => Math.max(2, Math.min(Math.ceil(length / stride), Math.ceil((all - from) / stride)));
  return { left, top, across: count(left, part.across, across), down: count(top, part.down, down), stride };
}

/** The view on a canvas, and what there is to say while it has nothing to show; its tiles are read when they are looked at. */
function useRelief(status: WorldStatus, look: ReturnType<typeof lookOf>) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<GroundView | null>(null);
  const [words, setWords] = useState<string | null>('Reading tiles …');
  const { id, range } = status;
  useEffect(() => {
    try {
      view.current = new GroundView(canvas.current!);
      view.current.cameras.covered = 52;
    } catch {
      setWords('This browser gave no WebGL 2: the map shows the world all the same.');
    }
    return () => {
      view.current?.dispose();
      view.current = null;
    };
  }, []);
  const key = JSON.stringify(look);
  useEffect(() => {
    if (!view.current || !range) return;
    const stop = new AbortController();
    setWords('Reading tiles …');
    heightsOfWorld(status, look, stop.signal).then(
      (height) => {
        const holes = levelledHoles(height, range.low);
        view.current?.setGround({ ground: groundOf(status, look), height }, range);
        view.current?.setOptions({ ...WORKING_LIGHT, camera: 'relief', drape: 'tint', contours: false, water: holes === 0 });
        canvas.current!.dataset.look = key;
        setWords(holes > 0 ? 'What is level here is not worked out yet.' : null);
      },
      (error: unknown) => {
        if (!stop.signal.aborted) setWords((error as Error).message);
      },
    );
    return () => stop.abort();
    // The look is told by its key, and of the world by its name and what is done.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key, id, range?.low, range?.high, status.done]);
  return { canvas, words };
}

const DIRECTIONS = [
  { name: 'West', Icon: ArrowLeft, x: -1, y: 0 },
  { name: 'North', Icon: ArrowUp, x: 0, y: -1 },
  { name: 'South', Icon: ArrowDown, x: 0, y: 1 },
  { name: 'East', Icon: ArrowRight, x: 1, y: 0 },
];

/** A part of a world with the view that grounds have, from whatever height. */
export function WorldRelief({ status, part, onPart }: { status: WorldStatus; part: Part; onPart: (part: Part) => void }) {
  const look = lookOf(part, status);
  const { canvas, words } = useRelief(status, look);
  const scaled = (by: number) => {
    const across = Math.max(64, Math.min(status.across, part.across * by));
    const down = Math.max(64, Math.min(status.down, part.down * by));
    onPart(within({ left: part.left + (part.across - across) / 2, top: part.top + (part.down - down) / 2, across, down }, status));
  };
  const moved = (x: number, y: number) => onPart(within({ ...part, left: part.left + (x * part.across) / 3, top: part.top + (y * part.down) / 3 }, status));
  const spacing = status.spacing.x * look.stride;
  return (
    <div className={css.relief}>
      <canvas ref={canvas} tabIndex={0} aria-label={`A part of ${status.name} in relief`} />
      <ToolBar label="The part that is seen" className={css.reliefBar}>
        <Button square aria-label="Closer" title="Half as much" onClick={() => scaled(0.5)}>
          <ZoomIn size={14} />
        </Button>
        <Button square aria-label="Farther" title="Twice as much" onClick={() => scaled(2)}>
          <ZoomOut size={14} />
        </Button>
        {DIRECTIONS.map(({ name, Icon, x, y }) => (
          <Button key={name} square aria-label={name} onClick={() => moved(x, y)}>
            <Icon size={14} />
          </Button>
        ))}
        <span className="number">
          {metres(look.across * spacing)} across, a sample every {figure(spacing, spacing < 10 ? 2 : 0)} m
        </span>
      </ToolBar>
      {words && (
        <p className={css.waiting} role="status">
          {words}
        </p>
      )}
    </div>
  );
}

const within = (part: Part, { across, down }: WorldStatus): Part => ({
  ...part,
  left: Math.max(0, Math.min(across - part.across, part.left)),
  top: Math.max(0, Math.min(down - part.down, part.top)),
});

function groundOf(status: WorldStatus, { across, down, stride }: ReturnType<typeof lookOf>): Ground {
  const { x, y } = status.spacing;
  return { width: across * stride * x, depth: down * stride * y, across, down, registration: 'area', datum: 0, sea: status.sea };
}

/** Puts what is not there yet at the lowest height; how many samples that are. */
function levelledHoles(height: Float32Array, low: number): number {
  let holes = 0;
  for (let i = 0; i < height.length; i++) {
    if (height[i] === height[i]) continue;
    height[i] = low;
    holes++;
  }
  return holes;
}
