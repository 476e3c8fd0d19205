import { useEffect, type RefObject } from 'react';
import { findUse } from '@upland-cast/core';
import { setParam } from '../../../store/course';
import { addSpot } from '../../../store/keeping';
import { isPressed, isTyping } from '../../../store/keys';
import { useTerrain } from '../../../store/state';
import type { GroundView } from '../../../view/ground/ground-view';
import { heightAt } from '../../../view/ground/pick';
import { StrokeHand } from './stroke-hand';
import { Eyes, Legs } from './walking';

type Canvas = RefObject<HTMLCanvasElement | null>;
type View = RefObject<GroundView | null>;

/** Left button, a finger or a pen on the ground: dabs along the way, and in time while the brush is held still. */
export function useSculpting(canvas: Canvas, view: View, sculpting: boolean): void {
  useEffect(() => {
    const element = canvas.current;
    if (!element || !sculpting) return;
    const hand = new StrokeHand(element, (event) => {
      const at = view.current?.placeAt(event.clientX, event.clientY);
      return at ? [at.east, at.south, event.pointerType === 'mouse' ? 1 : Math.min(1, Math.max(0, event.pressure))] : null;
    });
    const away = new AbortController();
    const { signal } = away;
    element.addEventListener('pointerdown', (event) => hand.down(event), { signal });
    element.addEventListener('pointermove', (event) => hand.move(event), { signal });
    for (const name of ['pointerup', 'pointercancel', 'lostpointercapture'] as const) element.addEventListener(name, (event) => hand.lift(event), { signal });
    element.addEventListener('webglcontextlost', () => hand.end(), { signal });
    // A stroke does not wait for a hand that is somewhere else.
    document.addEventListener('visibilitychange', () => document.hidden && hand.end(), { signal });
    window.addEventListener('keydown', sizeByKey, { signal });
    return () => {
      hand.leave();
      away.abort();
    };
  }, [canvas, view, sculpting]);
}

/** Keys make the brush larger or smaller. */
function sizeByKey(event: KeyboardEvent): void {
  if (isTyping(event)) return;
  const by = isPressed(event, 'brushLarger') ? 1.2 : isPressed(event, 'brushSmaller') ? 1 / 1.2 : 0;
  if (!by) return;
  const { brush, course } = useTerrain.getState();
  useTerrain.setState({ brush: { ...brush, radius: Math.min(Math.max(10, course!.ground.width / 4), Math.max(1, brush.radius * by)) } });
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

/** On foot or in the air: keys go, a drag looks around, Escape ends it. */
export function useWalking(canvas: Canvas, view: View, walking: boolean): void {
  useEffect(() => {
    const element = canvas.current;
    const looks = view.current;
    if (!element || !looks || !walking) return;
    const legs = new Legs();
    const eyes = new Eyes();
    const away = new AbortController();
    const { signal } = away;
    const seen = useTerrain.subscribe((state, before) => state.walker !== before.walker && looks.walk(state.walker));
    looks.walk(useTerrain.getState().walker);
    element.focus();
    window.addEventListener('keydown', (event) => legs.press(event), { signal, capture: true });
    window.addEventListener('keyup', (event) => legs.release(event.code), { signal });
    window.addEventListener('blur', () => legs.rest(), { signal });
    element.addEventListener(
      'pointerdown',
      (event) => {
        eyes.hold(event.clientX, event.clientY);
        element.setPointerCapture(event.pointerId);
      },
      { signal },
    );
    element.addEventListener('pointermove', (event) => eyes.turn(event.clientX, event.clientY), { signal });
    element.addEventListener('pointerup', () => eyes.let(), { signal });
    return () => {
      seen();
      away.abort();
      legs.stop();
      looks.walk(null);
    };
  }, [canvas, view, walking]);
}
