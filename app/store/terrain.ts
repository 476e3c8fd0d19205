import { applyPatches, enablePatches, produceWithPatches, type Patch as ImmerPatch } from 'immer';
import { create } from 'zustand';
import { sentenceOf, settingsOf, stepById, stepUse, type BrushKind, type Course, type StepUse } from '@upland-cast/core';
import { engine, listening } from '../engine/client';
import type { Patch, Picture, ReportOutcome, SculptParams, StagePicture } from '../engine/protocol';
import { db } from '../storage/db';
import { ensureDemo, saveTerrain } from '../storage/terrains';
import { unstoredCount } from '../storage/assets';

enablePatches();

export type Room = 'work' | 'mesh' | 'hand-off';
export type Camera = 'relief' | 'plan';

interface Change {
  forward: ImmerPatch[];
  back: ImmerPatch[];
  label: string;
  gesture?: string;
}

export interface ViewSettings {
  camera: Camera;
  drape: 'tint' | 'shade';
  contours: boolean;
  meshLines: boolean;
  water: boolean;
  exaggeration: number;
  /** Degrees clockwise from north that the sun stands at. */
  sun: number;
}

export interface BrushSettings {
  kind: BrushKind;
  radius: number;
  strength: number;
  softness: number;
}

interface State {
  id: string | null;
  /** Why there is no terrain to show. */
  missing: string | null;
  course: Course | null;
  /** Another tab has this terrain; here it can only be looked at. */
  readOnly: boolean;
  past: Change[];
  future: Change[];
  selected: string | null;
  room: Room;
  picture: Picture | null;
  stages: Record<string, StagePicture>;
  /** Relief pictures by stage key. */
  reliefs: Map<string, ImageData>;
  working: { step: string; share: number } | null;
  report: ReportOutcome;
  /** A sentence for the person, shown until it is closed. */
  notice: string | null;
  savedAt: number | null;
  saveFault: string | null;
  view: ViewSettings;
  brush: BrushSettings;
  cursor: { east: number; south: number; elevation: number; slope: number } | null;
}

export const useTerrain = create<State>(() => ({
  id: null,
  missing: null,
  course: null,
  readOnly: false,
  past: [],
  future: [],
  selected: null,
  room: 'work',
  picture: null,
  stages: {},
  reliefs: new Map(),
  working: null,
  report: null,
  notice: null,
  savedAt: null,
  saveFault: null,
  cursor: null,
  view: { camera: 'relief', drape: 'tint', contours: false, meshLines: false, water: true, exaggeration: 1, sun: 315 },
  brush: { kind: 'raise', radius: 160, strength: 2, softness: 0.8 },
}));

const { getState: get, setState: set } = useTerrain;

export const say = (notice: string | null) => set({ notice });

/** Opens a terrain: takes the lock that makes it writable here, and works it out. */
export async function openTerrain(id: string): Promise<void> {
  set({ id });
  try {
    await ensureDemo();
    const row = await db.terrains.get(id);
    if (!row) {
      set({ missing: 'This terrain is not in this browser. It may have been removed, or belong to another one.' });
      return;
    }
    const writable = await takeLock(id);
    const last = row.course.stem[row.course.stem.length - 1];
    set({ course: row.course, readOnly: !writable, selected: last?.id ?? null, savedAt: row.changed });
    workOut();
  } catch (error) {
    set({ missing: `The terrain could not be opened: ${sentenceOf(error)}` });
  }
}

/** True when this tab got the terrain's lock; it is held until the tab goes. A tab that waits gets it when the other closes. */
function takeLock(id: string): Promise<boolean> {
  return new Promise((resolve) => {
    const name = `upland-cast:${id}`;
    void navigator.locks.request(name, { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      if (lock) return new Promise(() => undefined);
      void navigator.locks.request(name, async () => {
        const row = await db.terrains.get(id);
        if (row) set({ course: row.course, readOnly: false, past: [], future: [], savedAt: row.changed });
        workOut();
        return new Promise(() => undefined);
      });
      return undefined;
    });
  });
}

/**
 * Changes the course. Changes of one gesture (a drag, a word being typed) are undone together.
 */
export function change(label: string, recipe: (course: Course) => void, gesture?: string): void {
  const { course, readOnly, past } = get();
  if (!course || readOnly) return;
  const [next, forward, back] = produceWithPatches(course, recipe);
  if (forward.length === 0) return;
  const last = past[past.length - 1];
  const joined = gesture && last?.gesture === gesture;
  const entry: Change = joined ? { ...last, forward: [...last.forward, ...forward], back: [...back, ...last.back] } : { forward, back, label, gesture };
  set({ course: next, past: [...(joined ? past.slice(0, -1) : past), entry].slice(-400), future: [] });
  keepSelection();
  workOut();
  saveSoon();
}

/** Ends a gesture: the next change of the same kind is undone by itself. */
export function endGesture(): void {
  const { past } = get();
  const last = past[past.length - 1];
  if (last?.gesture) set({ past: [...past.slice(0, -1), { ...last, gesture: undefined }] });
}

export function undo(): void {
  const { course, past, future, readOnly } = get();
  const last = past[past.length - 1];
  if (!course || !last || readOnly) return;
  set({ course: applyPatches(course, last.back), past: past.slice(0, -1), future: [...future, { ...last, gesture: undefined }] });
  keepSelection();
  workOut();
  saveSoon();
}

export function redo(): void {
  const { course, past, future, readOnly } = get();
  const next = future[future.length - 1];
  if (!course || !next || readOnly) return;
  set({ course: applyPatches(course, next.forward), past: [...past, next], future: future.slice(0, -1) });
  keepSelection();
  workOut();
  saveSoon();
}

function keepSelection(): void {
  const { course, selected } = get();
  if (course && selected && !course.stem.some((use) => use.id === selected)) set({ selected: course.stem[course.stem.length - 1]?.id ?? null });
}

export function select(id: string | null): void {
  endGesture();
  set({ selected: id, report: null });
  void refreshReport();
}

/** Puts a step behind the one with the id `after` (null: at the end, '': at the beginning) and selects it. */
export function addStep(step: string, after: string | null, params: Record<string, unknown> = {}): void {
  const use = stepUse(step, params);
  change(`Add ${stepById(step).title}`, (course) => {
    // No step has an empty id: the index is then −1, and the step comes first.
    const at = after === null ? course.stem.length : course.stem.findIndex((s) => s.id === after) + 1;
    course.stem.splice(at, 0, use);
  });
  select(use.id);
}

export function setParam(id: string, key: string, value: unknown, gesture?: string): void {
  change(
    `Set ${key}`,
    (course) => {
      const use = course.stem.find((s) => s.id === id);
      if (use) use.params[key] = value;
    },
    gesture,
  );
}

export function setUse(id: string, label: string, recipe: (use: StepUse) => void, gesture?: string): void {
  change(
    label,
    (course) => {
      const use = course.stem.find((s) => s.id === id);
      if (use) recipe(use);
    },
    gesture,
  );
}

export function removeStep(id: string): void {
  change('Remove step', (course) => {
    course.stem = course.stem.filter((s) => s.id !== id);
  });
}

export function duplicateStep(id: string): void {
  const use = get().course?.stem.find((s) => s.id === id);
  if (!use) return;
  const copy = stepUse(use.step, use.params, { ...use, id: stepUse(use.step).id });
  change('Duplicate step', (course) => {
    course.stem.splice(course.stem.findIndex((s) => s.id === id) + 1, 0, copy);
  });
  select(copy.id);
}

/** Moves a step so that it stands at `to` in the stem. */
export function moveStep(id: string, to: number): void {
  change('Move step', (course) => {
    const from = course.stem.findIndex((s) => s.id === id);
    if (from < 0 || from === to) return;
    const [use] = course.stem.splice(from, 1);
    course.stem.splice(Math.max(0, Math.min(course.stem.length, to)), 0, use);
  });
}

/** A whole other course: a past save, or one brought in. Undone like any change. */
export function replaceCourse(next: Course, label: string): void {
  change(label, (course) => {
    for (const key of Object.keys(course) as (keyof Course)[]) delete (course as Record<string, unknown>)[key];
    Object.assign(course, next);
  });
}

/** The settings of a step with their defaults, or why they cannot be used. */
export function settingsOrFault(use: StepUse): { settings: Record<string, unknown>; fault?: string } {
  try {
    return { settings: settingsOf(use) };
  } catch (error) {
    return { settings: use.params, fault: sentenceOf(error) };
  }
}

// Working out: a preview at once, the full ground when the hand rests. A preview that runs is
// let finish (it is short), so that a drag always shows something; a full one is stopped.

let wanted = 0;
let busy: 'preview' | 'full' | null = null;
let rest: ReturnType<typeof setTimeout> | undefined;
const REST = 220;

export function workOut(): void {
  wanted++;
  clearTimeout(rest);
  if (busy === 'preview') return;
  if (busy === 'full') {
    void engine().stop();
    return;
  }
  void step();
}

async function step(): Promise<void> {
  const turn = wanted;
  const { course } = get();
  if (!course) return;
  const shown = await pass('preview', course);
  if (turn !== wanted) return void step();
  if (!shown) return;
  if (get().picture?.preview === false) {
    await settle(course);
    return;
  }
  rest = setTimeout(async () => {
    if (turn !== wanted || busy) return;
    const whole = await pass('full', course);
    if (turn !== wanted) return void step();
    if (whole) await settle(course);
  }, REST);
}

async function settle(course: Course): Promise<void> {
  set({ working: null });
  await refreshReport();
  void keepThumbnail(course);
}

/** True when the ground was worked out and shown; false when it was stopped or went wrong. */
async function pass(kind: 'preview' | 'full', course: Course): Promise<boolean> {
  busy = kind;
  const began = performance.now();
  try {
    const result = await engine().picture(
      course,
      kind === 'preview',
      listening({
        progress: (name, share) => {
          if (performance.now() - began > 250) set({ working: { step: name, share } });
        },
        stage: (stage) => takeStage(stage),
      }),
    );
    if (result.ok) set({ picture: result.value, working: null });
    else {
      set({ working: null });
      if (!result.stopped) set({ notice: result.sentence });
    }
    return result.ok;
  } catch (error) {
    set({ working: null, notice: sentenceOf(error) });
    return false;
  } finally {
    busy = null;
  }
}

function takeStage(stage: StagePicture): void {
  const { stages, reliefs } = get();
  if (stage.relief) {
    reliefs.set(stage.key, new ImageData(stage.relief, 208, 78));
    // The oldest pictures go; the engine makes them anew when they are asked for again.
    if (reliefs.size > 600) reliefs.delete(reliefs.keys().next().value!);
  }
  set({ stages: { ...stages, [stage.id]: { ...stage, relief: undefined } } });
}

/** Stops what is being worked out; the ground stays as it was last seen. */
export function stopWork(): void {
  clearTimeout(rest);
  void engine().stop();
  set({ working: null });
}

async function refreshReport(): Promise<void> {
  const { selected } = get();
  if (!selected) return;
  const report = await engine().report(selected);
  if (get().selected === selected) set({ report });
}

// Saving as one works.

let saving: ReturnType<typeof setTimeout> | undefined;

function saveSoon(): void {
  clearTimeout(saving);
  saving = setTimeout(() => void saveNow(), 500);
}

export async function saveNow(): Promise<void> {
  clearTimeout(saving);
  saving = undefined;
  const { id, course, readOnly } = get();
  if (!id || !course || readOnly) return;
  try {
    await saveTerrain(id, course);
    set({ savedAt: Date.now(), saveFault: unstoredCount() ? 'Some hand work is in memory only: this browser has no room left. Save the project file.' : null });
  } catch (error) {
    const full = error instanceof Error && /quota/i.test(`${error.name} ${error.message}`);
    set({
      saveFault: full
        ? 'This browser has no room left to save. Your work goes on in memory: save the project file now.'
        : `Saving failed: ${sentenceOf(error)}`,
    });
  }
}

/** Whether something is still to be saved. */
export const isSaving = () => saving !== undefined;

async function keepThumbnail(course: Course): Promise<void> {
  const { id, readOnly, picture } = get();
  if (!id || readOnly || get().course !== course || !picture) return;
  const blob = await engine().thumbnail();
  if (blob) await db.terrains.update(id, { picture: blob, range: [picture.statistics.lowest, picture.statistics.highest] }).catch(() => undefined);
}

// Hand work.

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
  const { selected, course, readOnly } = get();
  const use = course?.stem.find((s) => s.id === selected);
  if (!use || use.step !== 'sculpt' || readOnly) return false;
  if (!use.on || use.strength === 0) {
    say('This hand work is switched off. Switch it on to go on with it.');
    return false;
  }
  const begun = await engine().beginStroke(use.id);
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
