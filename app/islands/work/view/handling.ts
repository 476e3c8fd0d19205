import { useEffect, type RefObject } from 'react';
import { findUse, placesBetween, type StrokePlace } from '@upland-cast/core';
import { setParam } from '../../../store/course';
import { beginStroke, endStroke, strokeTo } from '../../../store/sculpt';
import { addSpot } from '../../../store/keeping';
import { isPressed, isTyping } from '../../../store/keys';
import { shownWater, useTerrain } from '../../../store/state';
import type { GroundView } from '../../../view/ground/ground-view';
import { heightAt } from '../../../view/ground/pick';
import { goOn, type Going } from '../../../view/ground/walk';

type Canvas = RefObject<HTMLCanvasElement | null>;
type View = RefObject<GroundView | null>;

/** Milliseconds in which a second finger makes a pinch of what would have been a stroke. */
const SECOND_FINGER = 90;

/** Left button, a finger or a pen on the ground: dabs along the way, and in time while the brush is held still. */
export function useSculpting(canvas: Canvas, view: View, sculpting: boolean): void {
  useEffect(() => {
    const element = canvas.current;
    if (!element || !sculpting) return;
    let last: StrokePlace | null = null;
    /** Whether the stroke in hand could be begun; strokes follow one another. */
    let ready: Promise<boolean> | null = null;
    let before: Promise<unknown> = Promise.resolve();
    let held: ReturnType<typeof setInterval> | undefined;
    const place = (event: PointerEvent): StrokePlace | null => {
      const at = view.current?.placeAt(event.clientX, event.clientY);
      return at ? [at.east, at.south, event.pointerType === 'mouse' ? 1 : Math.min(1, Math.max(0, event.pressure))] : null;
    };
    /** Fingers that are down: with two of them the view is meant, and not the brush. */
    const fingers = new Set<number>();
    let waits: ReturnType<typeof setTimeout> | undefined;
    const down = (event: PointerEvent) => {
      if (event.pointerType === 'touch') {
        fingers.add(event.pointerId);
        clearTimeout(waits);
        if (fingers.size > 1) return up();
        waits = setTimeout(() => fingers.size === 1 && begin(event), SECOND_FINGER);
      } else begin(event);
    };
    const lifted = (event: PointerEvent) => {
      // A tap is a dab, if it was shorter than the wait for a second finger.
      if (fingers.size === 1 && event.type === 'pointerup' && !ready) {
        clearTimeout(waits);
        if (fingers.has(event.pointerId)) begin(event);
      }
      fingers.delete(event.pointerId);
      up();
    };
    const begin = (event: PointerEvent) => {
      if (event.button !== 0 || ready) return;
      const at = place(event);
      if (!at) return;
      if (event.type === 'pointerdown' && element.isConnected) element.setPointerCapture(event.pointerId);
      const { brush } = useTerrain.getState();
      const mine = (ready = before.then(() => beginStroke(brush)));
      last = at;
      void mine.then((ok) => ok && strokeTo([at]));
      if (brush.rate > 0) held = setInterval(() => void mine.then((ok) => ok && ready === mine && last && strokeTo([last])), 1000 / brush.rate);
    };
    const move = (event: PointerEvent) => {
      if (!ready) return;
      const { radius, spacing } = useTerrain.getState().brush;
      const places: StrokePlace[] = [];
      // Where the hand really went between two frames.
      for (const each of event.getCoalescedEvents?.().length ? event.getCoalescedEvents() : [event]) {
        const at = place(each);
        if (!at) continue;
        if (!last) last = at;
        const more = placesBetween(last, at, radius * spacing);
        if (more.length) last = more[more.length - 1];
        places.push(...more);
      }
      if (places.length) void ready.then((ok) => ok && strokeTo(places));
    };
    const up = () => {
      clearInterval(held);
      if (!ready) return;
      before = ready.then((ok) => (ok ? endStroke() : undefined));
      ready = null;
      last = null;
    };
    // A stroke does not wait for a hand that is somewhere else.
    const hidden = () => document.hidden && up();
    const key = (event: KeyboardEvent) => {
      if (isTyping(event)) return;
      const by = isPressed(event, 'brushLarger') ? 1.2 : isPressed(event, 'brushSmaller') ? 1 / 1.2 : 0;
      if (!by) return;
      const { brush, course } = useTerrain.getState();
      useTerrain.setState({ brush: { ...brush, radius: Math.min(Math.max(10, course!.ground.width / 4), Math.max(1, brush.radius * by)) } });
    };
    element.addEventListener('pointerdown', down);
    element.addEventListener('pointermove', move);
    element.addEventListener('pointerup', lifted);
    element.addEventListener('pointercancel', lifted);
    element.addEventListener('lostpointercapture', lifted);
    element.addEventListener('webglcontextlost', up);
    document.addEventListener('visibilitychange', hidden);
    window.addEventListener('keydown', key);
    return () => {
      clearTimeout(waits);
      up();
      element.removeEventListener('pointerdown', down);
      element.removeEventListener('pointermove', move);
      element.removeEventListener('pointerup', lifted);
      element.removeEventListener('pointercancel', lifted);
      element.removeEventListener('lostpointercapture', lifted);
      element.removeEventListener('webglcontextlost', up);
      document.removeEventListener('visibilitychange', hidden);
      window.removeEventListener('keydown', key);
    };
  }, [canvas, view, sculpting]);
}

type Tool = ReturnType<typeof useTerrain.getState>['tool'];

/** A click on the ground with a tool in hand: another point of the selected step's line, a spot, or what the brush wants to know. */
export function usePlacing(canvas: Canvas, view: View, tool: Tool): void {
  useEffect(() => {
    const element = canvas.current;
    if (!element || tool === 'none') return;
    let start: [number, number] | null = null;
    let begun: { east: number; south: number; height: number } | null = null;
    const down = (event: PointerEvent) => (start = event.button === 0 ? [event.clientX, event.clientY] : null);
    const up = (event: PointerEvent) => {
      // A drag turns or moves the view; only a click puts something down.
      if (!start || Math.hypot(event.clientX - start[0], event.clientY - start[1]) > (event.pointerType === 'touch' ? 14 : 4)) return;
      const place = view.current?.placeAt(event.clientX, event.clientY);
      if (!place) return;
      if (tool === 'spot') return addSpot(place.east, place.south);
      if (tool !== 'line') begun = forBrush(tool, place, begun);
      else addPoint(place);
    };
    const key = (event: KeyboardEvent) => event.key === 'Escape' && useTerrain.setState({ tool: 'none' });
    element.addEventListener('pointerdown', down);
    element.addEventListener('pointerup', up);
    window.addEventListener('keydown', key);
    return () => {
      element.removeEventListener('pointerdown', down);
      element.removeEventListener('pointerup', up);
      window.removeEventListener('keydown', key);
    };
  }, [canvas, view, tool]);
}

function addPoint({ east, south }: { east: number; south: number }): void {
  const { course, selected } = useTerrain.getState();
  const use = course && findUse(course, selected)?.use;
  if (!use) return;
  const points = (use.params.points ?? []) as { east: number; south: number }[];
  setParam(use.id, 'points', [...points, { east: Math.round(east * 10) / 10, south: Math.round(south * 10) / 10 }]);
}

type Placed = { east: number; south: number; height: number };

/** What the brush takes from a click; a first one of two is given back. */
function forBrush(tool: Exclude<Tool, 'none' | 'line' | 'spot'>, { east, south }: { east: number; south: number }, begun: Placed | null): Placed | null {
  const { brush, picture } = useTerrain.getState();
  if (!picture) return null;
  const here: Placed = { east, south, height: Math.round(100 * (heightAt(picture, east, south) + picture.ground.datum)) / 100 };
  const take = (part: Partial<typeof brush>) => useTerrain.setState({ brush: { ...brush, ...part }, tool: 'none' });
  if (tool === 'source') take({ source: { east, south } });
  else if (tool === 'height') take({ height: here.height });
  else if (!begun) return here;
  else if (tool === 'ramp') take({ ramp: [begun, here] });
  else take({ mirror: { east: begun.east, south: begun.south, angle: (Math.atan2(east - begun.east, begun.south - south) * 180) / Math.PI } });
  return null;
}

const KEYS: Record<string, [keyof Going, number]> = {
  KeyW: ['ahead', 1],
  ArrowUp: ['ahead', 1],
  KeyS: ['ahead', -1],
  ArrowDown: ['ahead', -1],
  KeyD: ['aside', 1],
  ArrowRight: ['aside', 1],
  KeyA: ['aside', -1],
  ArrowLeft: ['aside', -1],
  KeyE: ['up', 1],
  PageUp: ['up', 1],
  KeyQ: ['up', -1],
  PageDown: ['up', -1],
};

/** On foot or in the air: keys go, a drag looks around, Escape ends it. Frames are drawn only while something moves. */
export function useWalking(canvas: Canvas, view: View, walking: boolean): void {
  useEffect(() => {
    const element = canvas.current;
    const looks = view.current;
    if (!element || !looks || !walking) return;
    const held = new Set<string>();
    let frame = 0;
    let last = 0;
    let looking: [number, number] | null = null;
    const tick = (now: number) => {
      const { walker, picture } = useTerrain.getState();
      if (!walker || !picture) return;
      const going: Going = { ahead: 0, aside: 0, up: 0 };
      for (const code of held) going[KEYS[code][0]] += KEYS[code][1];
      // After a pause, or a slow frame, nobody leaps.
      const next = goOn(walker, picture, shownWater(), Math.min(0.25, (now - last) / 1000), going);
      last = now;
      useTerrain.setState({ walker: next });
      frame = held.size || next.falling > 0 ? requestAnimationFrame(tick) : 0;
    };
    const start = () => {
      if (frame) return;
      last = performance.now();
      frame = requestAnimationFrame(tick);
    };
    const key = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement || event.target instanceof HTMLSelectElement) return;
      if (event.key === 'Escape') return useTerrain.setState({ walker: null });
      if (!(event.code in KEYS) || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      event.stopPropagation();
      held.add(event.code);
      start();
    };
    const off = (event: KeyboardEvent) => held.delete(event.code);
    const none = () => held.clear();
    const down = (event: PointerEvent) => {
      looking = [event.clientX, event.clientY];
      element.setPointerCapture(event.pointerId);
    };
    const move = (event: PointerEvent) => {
      const { walker } = useTerrain.getState();
      if (!looking || !walker) return;
      const heading = walker.heading + (event.clientX - looking[0]) * 0.2;
      const pitch = Math.min(85, Math.max(-85, walker.pitch - (event.clientY - looking[1]) * 0.2));
      looking = [event.clientX, event.clientY];
      useTerrain.setState({ walker: { ...walker, heading: ((heading % 360) + 360) % 360, pitch } });
    };
    const up = () => (looking = null);
    const seen = useTerrain.subscribe((state, before) => state.walker !== before.walker && looks.walk(state.walker));
    const { walker } = useTerrain.getState();
    looks.walk(walker);
    element.focus();
    window.addEventListener('keydown', key, true);
    window.addEventListener('keyup', off);
    window.addEventListener('blur', none);
    element.addEventListener('pointerdown', down);
    element.addEventListener('pointermove', move);
    element.addEventListener('pointerup', up);
    return () => {
      seen();
      cancelAnimationFrame(frame);
      looks.walk(null);
      window.removeEventListener('keydown', key, true);
      window.removeEventListener('keyup', off);
      window.removeEventListener('blur', none);
      element.removeEventListener('pointerdown', down);
      element.removeEventListener('pointermove', move);
      element.removeEventListener('pointerup', up);
    };
  }, [canvas, view, walking]);
}
