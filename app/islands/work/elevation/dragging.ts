import { useState, type KeyboardEvent, type PointerEvent, type SVGAttributes } from 'react';
import { stepUse } from '@upland-cast/core';
import { change, endGesture } from '../../../store/history';

export type Flag = 'sea' | 'highest' | 'lowest';
export type Ends = Record<Flag, number>;
/** A flag at an elevation. */
export interface At {
  flag: Flag;
  value: number;
}
export type FlagHandlers = Pick<SVGAttributes<SVGGElement>, 'onPointerDown' | 'onPointerMove' | 'onPointerUp' | 'onPointerCancel' | 'onKeyDown'>;

interface Dragging {
  ends: Ends;
  /** The sea stays, and the land is moved instead. */
  locked: boolean;
  readOnly: boolean;
  /** An end of the range that is asked about. */
  asked: At | null;
  onAsk: (asked: At) => void;
  valueAt: (clientY: number) => number;
}

/** Flags that are dragged, or moved by the arrow keys: the sea goes along, an end of the range is asked about. */
export function useDragging({ ends, locked, readOnly, asked, onAsk, valueAt }: Dragging) {
  const [drag, setDrag] = useState<At | null>(null);
  const move = (event: PointerEvent) => {
    if (!drag) return;
    const value = valueAt(event.clientY);
    setDrag({ ...drag, value });
    if (drag.flag === 'sea' && !locked) setSea(value);
  };
  const stop = () => {
    if (!drag) return;
    if (drag.flag === 'sea' && !locked) endGesture();
    else if (Math.abs(drag.value - ends[drag.flag]) > 0.05) {
      if (drag.flag === 'sea') moveLand(ends.sea - drag.value);
      else onAsk(drag);
    }
    setDrag(null);
  };
  const nudge = (flag: Flag) => (event: KeyboardEvent) => {
    const by = (event.key === 'ArrowUp' ? 1 : event.key === 'ArrowDown' ? -1 : 0) * (event.shiftKey ? 10 : 1);
    if (!by || readOnly) return;
    event.preventDefault();
    const value = Math.round(((flag !== 'sea' && asked?.flag === flag ? asked.value : ends[flag]) + by) * 10) / 10;
    if (flag !== 'sea') onAsk({ flag, value });
    else if (locked) moveLand(-by);
    else setSea(value);
  };
  const handlers = (flag: Flag): FlagHandlers => ({
    onPointerDown: (event) => {
      if (readOnly) return;
      event.currentTarget.setPointerCapture(event.pointerId);
      setDrag({ flag, value: ends[flag] });
    },
    onPointerMove: move,
    onPointerUp: stop,
    onPointerCancel: () => setDrag(null),
    onKeyDown: nudge(flag),
  });
  return { drag, handlers };
}

/** Moves the land and leaves the sea: goes on with the shift that stands at the end, or adds one. */
function moveLand(by: number): void {
  const distance = Math.round(by * 10) / 10;
  change('Move the land', (course) => {
    const last = course.stem[course.stem.length - 1];
    if (last?.step === 'shift' && last.on && last.strength === 1) last.params.by = Math.round((Number(last.params.by ?? 0) + distance) * 10) / 10;
    else course.stem.push(stepUse('shift', { by: distance }));
  });
}

function setSea(value: number): void {
  change('Set the sea', (course) => void (course.ground.sea = value), 'sea');
}
