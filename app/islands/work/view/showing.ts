import { useEffect, useRef, useState, type RefObject } from 'react';
import { mirrored } from '@upland-cast/core';
import { LAYER_DRAPES } from '../../../drawing/drapes';
import { settled, tellDrawingCost, unsettled } from '../../../store/evaluation';
import { onRecoloured } from '../../../store/light';
import { onPatch } from '../../../store/sculpt';
import { useTerrain } from '../../../store/state';
import type { Aspect } from '../../../view/ground/cameras';
import { GroundView } from '../../../view/ground/ground-view';
import { heightAt, isHole, slopeAt } from '../../../view/ground/pick';

/** The height of the tool bar over the view, CSS pixels. */
const TOOL_BAR = 52;

type Canvas = RefObject<HTMLCanvasElement | null>;
type View = RefObject<GroundView | null>;

/** The view that draws on a canvas, as long as the canvas is there: to be called, to be read by what is drawn anew with it, and how it looks at the ground. */
export function useGroundView(canvas: Canvas) {
  const view = useRef<GroundView | null>(null);
  const [drawn, setDrawn] = useState<GroundView | null>(null);
  const [aspect, setAspect] = useState<Aspect | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
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
    const markUnsettled = () => canvas.current?.removeAttribute('data-settled');
    settled.add(markSettled);
    unsettled.add(markUnsettled);
    return () => {
      settled.delete(markSettled);
      unsettled.delete(markUnsettled);
      off();
      offColours();
      view.current?.dispose();
      view.current = null;
      setDrawn(null);
    };
  }, [canvas]);
  return { view, drawn, aspect, failed };
}

/** Hands what there is to see to the view. */
export function useSeen(canvas: Canvas, view: View, { shown, sculpting }: { shown: boolean; sculpting: boolean }): void {
  const picture = useTerrain((s) => s.picture);
  const settings = useTerrain((s) => s.view);
  const mask = useTerrain((s) => s.mask);
  useEffect(() => {
    if (!picture) return;
    view.current?.setGround(picture, { low: picture.statistics.lowest, high: picture.statistics.highest }, picture.patchErrors, picture.preview);
    // Read by the browser tests: when a ground was first put on the screen, and which.
    canvas.current!.dataset.ground = picture.preview ? 'preview' : 'full';
    canvas.current!.dataset.took = picture.took.toFixed(0);
    canvas.current!.dataset.pictures = String(Number(canvas.current!.dataset.pictures ?? 0) + 1);
  }, [canvas, view, picture]);

  useEffect(() => {
    // The weights belong to the picture that they came with.
    view.current?.setMask(mask && picture && mask.weights.length === picture.height.length ? mask.weights : null);
  }, [view, mask, picture]);
  const layer = useTerrain((s) => s.layer);
  useEffect(() => {
    const fits = layer?.values && picture && layer.values.length === picture.height.length;
    view.current?.setLayer(fits ? layer.values : null, layer ? LAYER_DRAPES[layer.drape].ramp : undefined);
  }, [view, layer, picture]);
  const water = useTerrain((s) => s.water);
  useEffect(() => {
    view.current?.setWater(water && picture && !picture.preview && water.length === picture.height.length ? water : null);
  }, [view, water, picture]);
  const lights = useTerrain((s) => s.lights);
  useEffect(() => {
    const fits = lights && picture && lights.length === 2 * picture.height.length;
    view.current?.setLights(fits ? lights : null);
    // Read by the browser tests: how often light has been found.
    canvas.current!.dataset.lit = String(fits ? Number(canvas.current!.dataset.lit ?? 0) + 1 : 0);
  }, [canvas, view, lights, picture]);
  const colours = useTerrain((s) => s.colours);
  const covered = settings.drape === 'ground';
  useEffect(() => {
    const fits = covered && colours && picture && colours.length === 4 * picture.height.length;
    view.current?.setColours(fits ? colours : null);
  }, [view, covered, colours, picture]);
  const rock = useTerrain((s) => s.course!.rock ?? null);
  useEffect(() => view.current?.setRock(rock), [view, rock, picture]);
  const sea = useTerrain((s) => s.course!.ground.sea);
  const plan = settings.camera !== 'relief';
  useEffect(() => {
    view.current?.setOptions({ ...settings, camera: plan ? 'plan' : 'relief', sculpting });
  }, [view, settings, plan, sculpting, sea]);

  useEffect(() => {
    if (shown) view.current?.redraw();
  }, [view, shown]);
}

/** What lies under the pointer, and where the brush would act. */
export function useCursor(canvas: Canvas, view: View, sculpting: boolean): void {
  const radius = useTerrain((s) => s.brush.radius);
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
  }, [canvas, view, sculpting, radius]);
}
