import { findUse } from '@upland-cast/core';
import { engine } from '../engine/client';
import type { Patch, SculptParams } from '../engine/protocol';
import { setUse } from './course';
import { say, useTerrain } from './terrain';

const { getState: get } = useTerrain;

type PatchListener = (patch: Patch) => void;
const patchListeners = new Set<PatchListener>();

/** Hears of every patch of the ground that a stroke changes. */
export function onPatch(listener: PatchListener): () => void {
  patchListeners.add(listener);
  return () => patchListeners.delete(listener);
}

let strokeId: string | null = null;
let waiting: [number, number][] = [];
let dabbing: Promise<void> | null = null;

/** Begins a stroke on the selected hand step; false when there is none or the ground is not ready. */
export async function beginStroke(): Promise<boolean> {
  const { selected, course, readOnly, standing } = get();
  const use = course ? findUse(course, selected)?.use : undefined;
  if (!use || use.step !== 'sculpt' || readOnly) return false;
  if (!use.on || use.strength === 0) {
    say('This hand work is switched off. Switch it on to go on with it.');
    return false;
  }
  if (standing && standing !== use.id) {
    say('The view stands after another step. Go back to the end of the course, or stand after this one, to work by hand.');
    return false;
  }
  const begun = await engine().beginStroke(use.id, standing === use.id);
  if (!begun.ok) {
    say(begun.sentence);
    return false;
  }
  strokeId = use.id;
  waiting = [];
  return true;
}

/** Dabs at (east, south) metres; those that come while the engine is busy are done together. */
export function strokeTo(places: [number, number][]): void {
  waiting.push(...places);
  dabbing ??= (async () => {
    while (waiting.length) {
      const now = waiting;
      waiting = [];
      const patch = await engine().dab(get().brush, now);
      if (patch) applyPatch(patch);
    }
    dabbing = null;
  })();
}

function applyPatch(patch: Patch): void {
  const { picture } = get();
  if (!picture) return;
  const { left, top, right, bottom } = patch.rectangle;
  const { across } = picture.ground;
  for (let row = top; row < bottom; row++) {
    picture.height.set(patch.height.subarray((row - top) * (right - left), (row - top + 1) * (right - left)), row * across + left);
  }
  patchListeners.forEach((listener) => listener(patch));
}

export async function endStroke(): Promise<void> {
  const id = strokeId;
  if (!id) return;
  strokeId = null;
  await dabbing;
  const result = await engine().endStroke();
  if (!result.ok) return say(result.sentence);
  const params: SculptParams | null = result.value;
  if (params) {
    setUse(id, 'Stroke', (use) => {
      use.params = params;
    });
  }
}
