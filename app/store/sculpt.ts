import { findUse, spacingOf, TILE, tileKey, type Rectangle, type StrokePlace } from '@upland-cast/core';
import { engine, listening } from '../engine/client';
import { unstoredCount } from '../storage/assets';
import type { HeightSource } from '../view/ground/pick';
import type { Patch, SculptParams } from '../engine/api';
import { setMask, setUse, showMask } from './course';
import { change } from './history';
import { fullGround, holdWork, workOut, workOutBehind } from './evaluation';
import { say, useTerrain, type BrushSettings } from './state';

const { getState: get } = useTerrain;

type PatchListener = (patch: Patch) => void;
const patchListeners = new Set<PatchListener>();

/** Hears of every patch of the ground that a stroke changes. */
export function onPatch(listener: PatchListener): () => void {
  patchListeners.add(listener);
  return () => patchListeners.delete(listener);
}

/** The ground as it was before the latest stroke, in the tiles that the stroke touched. */
const before = new Map<string, Float32Array>();
let across = 0;

/** Keeps what a patch is about to change, the first time that it does. */
function remember({ left, top, right, bottom }: Rectangle, { ground, height }: HeightSource): void {
  for (let row = Math.floor(top / TILE); row * TILE < bottom; row++) {
    for (let column = Math.floor(left / TILE); column * TILE < right; column++) {
      const key = tileKey(column, row);
      if (before.has(key)) continue;
      const tile = new Float32Array(TILE * TILE);
      const [from, to] = [column * TILE, Math.min(ground.across, (column + 1) * TILE)];
      for (let y = row * TILE; y < Math.min(ground.down, (row + 1) * TILE); y++) {
        tile.set(height.subarray(y * ground.across + from, y * ground.across + to), (y - row * TILE) * TILE);
      }
      before.set(key, tile);
    }
  }
}

/** What the latest stroke did to the sample nearest a place, metres; null while there was none on this ground. */
export function strokeChangeAt(east: number, south: number): number | null {
  const { picture } = get();
  if (!picture || picture.preview || picture.ground.across !== across) return null;
  const { ground, height } = picture;
  const spacing = spacingOf(ground);
  const pad = ground.registration === 'area' ? 0.5 : 0;
  const x = Math.min(ground.across - 1, Math.max(0, Math.round(east / spacing.x - pad)));
  const y = Math.min(ground.down - 1, Math.max(0, Math.round(south / spacing.y - pad)));
  const tile = before.get(tileKey(Math.floor(x / TILE), Math.floor(y / TILE)));
  return tile ? height[y * ground.across + x] - tile[(y % TILE) * TILE + (x % TILE)] : 0;
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
export async function beginStroke(brush: BrushSettings): Promise<boolean> {
  const { selected, course, readOnly, standing } = get();
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
  before.clear();
  across = mask ? 0 : (get().picture?.ground.across ?? 0);
  waiting = [];
  // While it is painted the mask itself is seen, not what the step makes of it.
  if (begun.value !== true) useTerrain.setState({ mask: { use: use.id, weights: begun.value, share: 0 } });
  return true;
}

/** Dabs at places; those that come while the engine is busy are done together. */
export function strokeTo(places: StrokePlace[]): void {
  waiting.push(...places);
  dabbing ??= (async () => {
    try {
      while (waiting.length) {
        const now = waiting;
        waiting = [];
        const patch = await engine().dab(now);
        if (patch) applyPatch(patch);
      }
    } catch {
      // The engine has ended, and says so itself: this stroke is lost.
      waiting = [];
      on = null;
    } finally {
      dabbing = null;
    }
  })();
}

function applyPatch(patch: Patch): void {
  const { picture, mask } = get();
  if (!picture) return;
  const { left, top, right, bottom } = patch.rectangle;
  const samplesAcross = picture.ground.across;
  const width = right - left;
  if (patch.painted && mask) {
    for (let row = top; row < bottom; row++) {
      for (let x = 0; x < width; x++) mask.weights[row * samplesAcross + left + x] = Math.round(255 * patch.height[(row - top) * width + x]);
    }
  } else {
    remember(patch.rectangle, picture);
    for (let row = top; row < bottom; row++)
      picture.height.set(patch.height.subarray((row - top) * width, (row - top + 1) * width), row * samplesAcross + left);
  }
  patchListeners.forEach((listener) => listener(patch));
}

export async function endStroke(): Promise<void> {
  const ended = on;
  if (!ended) return;
  on = null;
  await dabbing;
  const result = await engine()
    .endStroke()
    .catch(() => null);
  void holdWork(false);
  if (!result) return;
  if (!result.ok || !result.value) {
    workOut();
    return result.ok ? undefined : say(result.sentence);
  }
  const params = result.value;
  if (await unstoredCount()) say('This browser has no room left: the stroke is kept in memory only. Save the project file.');
  if (ended.mask) setMask(ended.use, ended.mask, 'Paint', (m) => void (m.params = { ...m.params, ...params }));
  else {
    change(
      'Stroke',
      (course) => {
        const found = findUse(course, ended.use);
        if (found) found.line.steps[found.index].params = params as SculptParams;
      },
      undefined,
      { work: workOutBehind, atOnce: true },
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
