import { findUse, type StrokePlace } from '@upland-cast/core';
import { engine, listening } from '../engine/client';
import { unstoredCount } from '../storage/assets';
import { heightAt, type HeightSource } from '../view/pick';
import type { Patch, SculptParams } from '../engine/protocol';
import { setMask, setUse, showMask } from './course';
import { change, fullGround, holdWork, say, useTerrain, workOut, workOutBehind } from './terrain';

const { getState: get } = useTerrain;

type PatchListener = (patch: Patch) => void;
const patchListeners = new Set<PatchListener>();

/** Hears of every patch of the ground that a stroke changes. */
export function onPatch(listener: PatchListener): () => void {
  patchListeners.add(listener);
  return () => patchListeners.delete(listener);
}

/** The ground as it was before the latest stroke. */
let before: HeightSource | null = null;

/** What the latest stroke did to a place, metres; null while there was none on this ground. */
export function strokeChangeAt(east: number, south: number): number | null {
  const { picture } = get();
  if (!before || !picture || picture.height.length !== before.height.length || picture.preview) return null;
  return heightAt(picture, east, south) - heightAt(before, east, south);
}

/** What the stroke under way is on: a hand step, or the painted mask of a step. */
let on: { use: string; mask: string | null } | null = null;
let waiting: StrokePlace[] = [];
let dabbing: Promise<void> | null = null;

/** The painted mask that the brush paints, if any; otherwise it works on the ground. */
export function paintedMask(): string | null {
  const { course, selected, painting } = get();
  const use = course && selected ? findUse(course, selected)?.use : undefined;
  return use?.where.masks.some((m) => m.id === painting && m.kind === 'painted') ? painting : null;
}

/** Takes the brush to a painted mask of the selected step, or away from it. */
export function paint(mask: string | null): void {
  const { brush } = get();
  if (!mask) return useTerrain.setState({ painting: null });
  const kind = ['raise', 'lower', 'smooth', 'level', 'restore'].includes(brush.kind) ? brush.kind : 'raise';
  useTerrain.setState({ painting: mask, brush: { ...brush, kind, strength: Math.min(1, brush.strength), height: Math.min(1, Math.max(0, brush.height)) } });
  showMask(true);
}

/** Begins a stroke on the selected hand step, or on the mask that is painted; false when there is neither or the ground is not ready. */
export async function beginStroke(): Promise<boolean> {
  const { selected, course, readOnly, standing, brush } = get();
  const use = course ? findUse(course, selected)?.use : undefined;
  const mask = paintedMask();
  if (!use || (use.step !== 'sculpt' && !mask) || readOnly) return false;
  if (!mask && (!use.on || use.strength === 0)) {
    say('This hand work is switched off. Switch it on to go on with it.');
    return false;
  }
  if (!mask && standing && standing !== use.id) {
    say('The view stands after another step. Go back to the end of the course, or stand after this one, to work by hand.');
    return false;
  }
  if (!(await fullGround())) {
    say('The full ground is still being worked out. Begin the stroke when it is there.');
    return false;
  }
  await holdWork(true);
  const begun = await engine().beginStroke(get().course!, use.id, standing === use.id, brush, mask);
  if (!begun.ok) {
    void holdWork(false);
    workOut();
    say(begun.sentence);
    return false;
  }
  on = { use: use.id, mask };
  const { picture } = get();
  before = picture && !mask ? { ground: picture.ground, height: picture.height.slice() } : null;
  waiting = [];
  // While it is painted the mask itself is seen, not what the step makes of it.
  if (begun.value !== true) useTerrain.setState({ mask: { use: use.id, weights: begun.value, share: 0 } });
  return true;
}

/** Dabs at places; those that come while the engine is busy are done together. */
export function strokeTo(places: StrokePlace[]): void {
  waiting.push(...places);
  dabbing ??= (async () => {
    while (waiting.length) {
      const now = waiting;
      waiting = [];
      const patch = await engine().dab(now);
      if (patch) applyPatch(patch);
    }
    dabbing = null;
  })();
}

function applyPatch(patch: Patch): void {
  const { picture, mask } = get();
  if (!picture) return;
  const { left, top, right, bottom } = patch.rectangle;
  const { across } = picture.ground;
  const width = right - left;
  if (patch.painted && mask) {
    for (let row = top; row < bottom; row++) {
      for (let x = 0; x < width; x++) mask.weights[row * across + left + x] = Math.round(255 * patch.height[(row - top) * width + x]);
    }
  } else {
    for (let row = top; row < bottom; row++) picture.height.set(patch.height.subarray((row - top) * width, (row - top + 1) * width), row * across + left);
  }
  patchListeners.forEach((listener) => listener(patch));
}

export async function endStroke(): Promise<void> {
  const ended = on;
  if (!ended) return;
  on = null;
  await dabbing;
  const result = await engine().endStroke();
  void holdWork(false);
  if (!result.ok || !result.value) {
    workOut();
    return result.ok ? undefined : say(result.sentence);
  }
  const params = result.value;
  if (unstoredCount()) say('This browser has no room left: the stroke is kept in memory only. Save the project file.');
  if (ended.mask) setMask(ended.use, ended.mask, 'Paint', (m) => void (m.params = { ...m.params, ...params }));
  else {
    change(
      'Stroke',
      (course) => {
        const found = findUse(course, ended.use);
        if (found) found.line.steps[found.index].params = params as SculptParams;
      },
      undefined,
      workOutBehind,
    );
  }
}

/** Plays the strokes of a hand step again on what lies beneath it now: asked for, never by itself. */
export async function playStrokesAgain(id: string): Promise<void> {
  useTerrain.setState({ working: { step: 'Strokes', share: 0, keeps: false } });
  const result = await engine().playStrokes(
    id,
    listening({
      progress: (step, share) => get().working && useTerrain.setState({ working: { step, share, keeps: false } }),
      standing: () => undefined,
      stage: () => undefined,
    }),
  );
  useTerrain.setState({ working: null });
  if (result.ok) setUse(id, 'Play the strokes again', (use) => void (use.params = result.value));
  else if (!result.stopped) say(result.sentence);
}
