import { applyPatches, enablePatches, produceWithPatches } from 'immer';
import { create } from 'zustand';
import {
  allUses,
  findUse,
  sentenceOf,
  statistics,
  histogram,
  shareUnderWater,
  stepById,
  makeBrush,
  UplandError,
  type Brush,
  type Course,
  type DrainageReport,
  type Ground,
} from '@upland-cast/core';
import { sheetNow } from '../storage/sheet';
import { engine, listening, onEngineEnd } from '../engine/client';
import type { MaskPicture, Picture, Reached, ReportOutcome, StagePicture } from '../engine/api';
import type { Walker } from '../view/ground/walk';
import { isLayerDrape, type LayerDrapeId, type LayerPicture } from '../drawing/drapes';
import { onRemoved, terrainLock } from '../storage/tabs';
import { db, type Change, type JournalRow } from '../storage/db';
import { assetsOfChange, historyOf, kept } from '../storage/histories';
import { append, journalOf, replayed, type Working } from '../storage/journal';
import { addTerrain, brought, ensureDemo, saveTerrain, sweepAssets } from '../storage/terrains';
import { unstoredCount } from '../storage/assets';
import { takeMeshes } from '../storage/meshes';
import { storageSentence } from '../storage/room';
import { Saving } from './saving';

enablePatches();

export type Room = 'work' | 'mesh' | 'hand-off';
export type Camera = 'relief' | 'plan' | 'section' | 'land';

export interface ViewSettings {
  camera: Camera;
  drape: 'tint' | 'shade' | LayerDrapeId;
  contours: boolean;
  meshLines: boolean;
  water: boolean;
  spots: boolean;
  views: boolean;
  everySample: boolean;
  exaggeration: number;
  /** Degrees clockwise from north that the sun stands at. */
  sun: number;
}

/** The brush, and how many dabs a second it makes while it is held still. */
export type BrushSettings = Brush & { rate: number };

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
  /** `keeps`: the step that is worked on can be ended as it is. */
  working: { step: string; share: number; keeps: boolean } | null;
  /** The layer that lies over the ground. */
  layer: LayerPicture | null;
  /** What the channels say of the ground as the selected step leaves it. */
  drainage: DrainageReport | null;
  report: ReportOutcome;
  /** A sentence for the person, shown until it is closed. */
  notice: string | null;
  savedAt: number | null;
  saveFault: string | null;
  /** The terrain was removed in another tab while it is open here. */
  gone: boolean;
  /** Mesh files that were dropped where heights are expected: the Mesh room takes them. */
  meshFiles: { name: string; bytes: Uint8Array<ArrayBuffer> }[] | null;
  view: ViewSettings;
  brush: BrushSettings;
  /** The step that the view and its readouts stand after; null: the end of the stem. */
  standing: string | null;
  /** Where the step that is being set acts, shown as a drape while its mask is edited. */
  mask: MaskPicture | null;
  showMask: boolean;
  /** Elevations of the spots before the latest change, by id. */
  spotsBefore: Record<string, number>;
  /** What a click on the ground does beside moving the view. */
  tool: 'none' | 'line' | 'spot' | 'source' | 'ramp' | 'mirror' | 'height';
  /** Somebody on the ground whose eyes the relief is seen through. */
  walker: Walker | null;
  /** The painted mask that the brush works on. */
  painting: string | null;
  /** The sea stays where the receiver has it; what is dragged moves the land. */
  seaLocked: boolean;
  engineBytes: { held: number; limit: number; threads: number } | null;
  sheet: 'light' | 'dark';
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
  layer: null,
  drainage: null,
  report: null,
  notice: null,
  savedAt: null,
  saveFault: null,
  gone: false,
  meshFiles: null,
  cursor: null,
  standing: null,
  mask: null,
  showMask: false,
  spotsBefore: {},
  tool: 'none',
  seaLocked: false,
  engineBytes: null,
  sheet: sheetNow(),
  view: {
    camera: 'relief',
    drape: 'tint',
    contours: false,
    meshLines: false,
    water: true,
    spots: false,
    views: false,
    everySample: false,
    exaggeration: 1,
    sun: 315,
  },
  brush: { ...makeBrush({ kind: 'raise', radius: 160, strength: 2, softness: 0.8 }), rate: 0 },
  painting: null,
  walker: null,
}));

const { getState: get, setState: set } = useTerrain;

export const say = (notice: string | null) => set({ notice });

/** Opens a terrain: takes the lock that makes it writable here, and works it out. */
export async function openTerrain(id: string): Promise<void> {
  set({ id });
  try {
    await ensureDemo().catch(() => undefined);
    const writable = await takeLock(id);
    const found = await readTerrain(id);
    if (!found) {
      set({ missing: 'This terrain is not in this browser. It may have been removed, or belong to another one.' });
      return;
    }
    const { course } = found.working;
    const last = course.stem[course.stem.length - 1];
    set({ readOnly: !writable, selected: last?.id ?? null });
    takeUp(found);
    const meshFiles = await takeMeshes(id).catch(() => null);
    if (meshFiles) set({ meshFiles });
  } catch (error) {
    set({ missing: `The terrain could not be opened: ${sentenceOf(error)}` });
  }
}

interface Found {
  working: Working;
  changed: number;
  /** Entries of the journal that were played again, and those that did not go together with what was saved. */
  played: number;
  lost: number;
}

/** A terrain as it was saved, with what the journal holds beside it. */
async function readTerrain(id: string): Promise<Found | null> {
  const stored = await db.terrains.get(id);
  if (!stored) return null;
  const row = brought(stored);
  // What an older version kept cannot be undone by this one.
  const same = stored.course.version === row.course.version;
  const history = same ? await historyOf(id, row.changed) : { past: [], future: [] };
  const rows = await journalOf(id).catch((): JournalRow[] => []);
  // Patches count from the course as it was stored, which may lack what has a default now.
  const { played, lost, ...working } = replayed({ course: row.course, ...history }, row.changed, same ? rows : []);
  return { working, changed: row.changed, played, lost };
}

function takeUp({ working, changed, played, lost }: Found): void {
  saving.begin(changed);
  set({ ...working, savedAt: changed, gone: false });
  if (lost > 0) say(`${lost} of the last changes could not be read again from this browser’s storage. What went before them is here.`);
  if (played > 0 && !get().readOnly) void saveNow();
  workOut();
}

/** True when this tab got the terrain's lock; it is held until the tab goes. A tab that waits gets it when the other closes. */
function takeLock(id: string): Promise<boolean> {
  return new Promise((resolve) => {
    const name = terrainLock(id);
    void navigator.locks.request(name, { ifAvailable: true }, (lock) => {
      resolve(lock !== null);
      if (lock) return new Promise(() => undefined);
      void navigator.locks.request(name, async () => {
        const found = await readTerrain(id).catch(() => null);
        if (found) {
          set({ readOnly: false });
          takeUp(found);
        }
        return new Promise(() => undefined);
      });
      return undefined;
    });
  });
}

onRemoved((id) => {
  if (id === get().id) lose();
});

/** The terrain was removed in another tab: here it goes on in memory, until it is kept as a new one. */
function lose(): void {
  set({
    gone: true,
    savedAt: null,
    saveFault: 'This terrain was removed in another tab. What you see is in memory only: keep it as a new terrain, or save the project file.',
  });
}

/** Keeps a terrain that was removed elsewhere as a new one, and goes on with that. */
export async function keepAsNew(): Promise<void> {
  const { course } = get();
  if (!course) return;
  try {
    const id = await addTerrain(course);
    location.href = `/terrain?id=${id}${location.hash}`;
  } catch (error) {
    say(storageSentence(error));
  }
}

/**
 * Changes the course. Changes of one gesture (a drag, a word being typed) are undone together.
 */
export function change(label: string, recipe: (course: Course) => void, gesture?: string, { work = workOut, atOnce = false } = {}): void {
  const { course, readOnly, past } = get();
  if (!course || readOnly) return;
  const [next, forward, back] = produceWithPatches(course, recipe);
  if (forward.length === 0) return;
  const last = past[past.length - 1];
  const joined = gesture && last?.gesture === gesture;
  const own: Change = { forward, back, label, gesture };
  const entry: Change = joined ? { ...last, forward: [...last.forward, ...forward], back: [...back, ...last.back] } : own;
  const all = [...(joined ? past.slice(0, -1) : past), entry];
  const remembered = kept(all, next);
  forget(all.slice(0, all.length - remembered.length), get().future);
  set({ course: next, past: remembered, future: [] });
  keepSelection();
  work();
  saving.note({ kind: 'change', change: own, joined: Boolean(joined) }, atOnce);
}

/** Assets that only changes referred to which cannot be undone or redone any more. */
const forgotten = new Set<string>();

function forget(...lists: Change[][]): void {
  for (const change of lists.flat()) for (const sha of assetsOfChange(change)) forgotten.add(sha);
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
  saving.note({ kind: 'undo' });
}

export function redo(): void {
  const { course, past, future, readOnly } = get();
  const next = future[future.length - 1];
  if (!course || !next || readOnly) return;
  set({ course: applyPatches(course, next.forward), past: [...past, next], future: future.slice(0, -1) });
  keepSelection();
  workOut();
  saving.note({ kind: 'redo' });
}

function keepSelection(): void {
  const { course, selected, standing } = get();
  if (!course) return;
  const known = (id: string) => allUses(course).some((use) => use.id === id) || course.tributaries.some((t) => t.id === id);
  if (selected && !known(selected)) set({ selected: course.stem[course.stem.length - 1]?.id ?? null });
  if (standing && !known(standing)) set({ standing: null });
}

/** A whole other course: a past save, a mark, or one brought in. Undone like any change; rolls that there are stay. */
export function replaceCourse(next: Course, label: string): void {
  change(label, (course) => {
    const rolls = { ...next.rolls, ...course.rolls };
    for (const key of Object.keys(course) as (keyof Course)[]) delete (course as Record<string, unknown>)[key];
    Object.assign(course, next, { rolls });
  });
}

/** Changes the course without a place in undo: for what is kept beside the work, such as rolls. */
export function amend(recipe: (course: Course) => void): void {
  const { course, readOnly } = get();
  if (!course || readOnly) return;
  const [next, forward] = produceWithPatches(course, recipe);
  if (forward.length === 0) return;
  set({ course: next });
  saving.note({ kind: 'amend', forward });
}

// Working out: a preview at once, the full ground when the hand rests. A preview that runs is
// let finish (it is short), so that a drag always shows something; a full one is stopped.

let wanted = 0;
/** Everything asked for up to here has been stopped by hand. */
let givenUp = 0;
let busy: 'preview' | 'full' | null = null;
let rest: ReturnType<typeof setTimeout> | undefined;
const REST = 220;

/** Whether a stroke is under way: the ground is worked out again when it is over. */
let held = false;
/** Whether what is to be worked out only follows strokes: the ground that is seen is right but for what later steps make of them. */
let behind = false;

/** While a hand is on the ground nothing else changes it. */
export async function holdWork(on: boolean): Promise<void> {
  held = on;
  if (!on || busy === null) return;
  clearTimeout(rest);
  void engine().stop();
  for (let tries = 0; busy !== null && tries < 500; tries++) await new Promise((resolve) => setTimeout(resolve, 10));
}

/** The full ground is seen, and will be until something changes: at once, or when it has been worked out. False after `patience` ms. */
export async function fullGround(patience = 30_000): Promise<boolean> {
  const there = () => get().picture?.preview === false && (behind || (busy === null && rest === undefined));
  for (const until = Date.now() + patience; Date.now() < until;) {
    if (there()) return true;
    await new Promise((resolve) => setTimeout(resolve, 30));
  }
  return there();
}

/** After a stroke the ground is seen as it is already, but for what steps after it make of it: no preview comes between. */
export function workOutBehind(): void {
  wanted++;
  clearTimeout(rest);
  rest = undefined;
  const { picture } = get();
  if (busy || !picture || picture.preview) return workOut();
  behind = true;
  wholeLater(wanted, 500);
}

export function workOut(): void {
  wanted++;
  behind = false;
  clearTimeout(rest);
  rest = undefined;
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
  const shown = await pass('preview', course, turn);
  if (turn !== wanted) return void step();
  if (!shown || turn <= givenUp) return;
  if (get().picture?.preview === false) {
    await settle(course);
    return;
  }
  wholeLater(turn, REST);
}

/** The full ground, when the hand rests. */
function wholeLater(turn: number, wait: number): void {
  rest = setTimeout(async () => {
    rest = undefined;
    if (turn !== wanted || busy) return;
    if (held) return wholeLater(turn, wait);
    const { course } = get();
    if (!course) return;
    const whole = await pass('full', course, turn);
    if (turn !== wanted) return void step();
    if (!whole) return;
    behind = false;
    await settle(course);
  }, wait);
}

/** Ends of the engine in the last minute: one that ends again and again is not begun for ever. */
let ends: number[] = [];
const MOST_ENDS = 3;
onEngineEnd(() => {
  const now = Date.now();
  ends = [...ends.filter((at) => now - at < 60_000), now];
  held = false;
  const again = ends.length <= MOST_ENDS;
  set({
    working: null,
    notice: again
      ? 'The engine that works the ground out ended. It was started again, and the ground is worked out anew; your work is kept.'
      : 'The engine that works the ground out ends again and again: this ground may need more memory than there is. Work at fewer samples, or save the project file.',
  });
  // What was asked of the old one is answered by errors first.
  if (again) setTimeout(workOut);
});

/** Hears of every full ground that has been worked out. */
export const settled = new Set<(course: Course, picture: Picture) => void>();

async function settle(course: Course): Promise<void> {
  set({ working: null });
  const { picture } = get();
  if (picture) settled.forEach((listener) => listener(course, picture));
  await refreshReport();
  void keepThumbnail(course);
}

/** True when the ground was worked out and shown; false when it was stopped or went wrong. */
async function pass(kind: 'preview' | 'full', course: Course, turn: number): Promise<boolean> {
  busy = kind;
  const began = performance.now();
  // What was sent on its way before the end may arrive after it.
  let over = false;
  const goesOn = () => !over && turn > givenUp;
  try {
    const { standing, selected, showMask, view } = get();
    const masked = showMask && selected && findUse(course, selected)?.use.where.masks.length ? selected : null;
    const result = await engine().picture(
      course,
      { preview: kind === 'preview', standing, mask: masked, layer: isLayerDrape(view.drape) ? view.drape : null, of: selected },
      listening({
        progress: (name, share, keeps) => {
          if (goesOn() && performance.now() - began > 250) set({ working: { step: name, share, keeps } });
        },
        standing: (ground, height) => {
          if (goesOn() && get().working && !get().standing) showStanding(course, ground, height);
        },
        stage: (stage) => takeStage(stage),
      }),
    );
    if (result.ok) {
      const { mask, layer, reached, said, ...picture } = result.value;
      if (said) say(said);
      set({ picture, mask: mask ?? null, layer: layer ?? null, working: null });
      keepReached(reached);
    } else {
      set({ working: null });
      if (!result.stopped) set({ notice: result.sentence });
    }
    return result.ok;
  } catch (error) {
    // The end of the engine has said so itself.
    set({ working: null, ...(error instanceof UplandError && error.code === 'engine-ended' ? {} : { notice: sentenceOf(error) }) });
    return false;
  } finally {
    over = true;
    busy = null;
  }
}

/** Work under way: what the ground looks like so far. */
function showStanding(course: Course, ground: Ground, height: Float32Array<ArrayBuffer>): void {
  const field = { ground, height };
  const stats = statistics(field);
  const picture: Picture = {
    ground,
    height,
    statistics: stats,
    histogram: histogram(field, 160, stats),
    shareUnderWater: shareUnderWater(field, course.ground.sea),
    preview: true,
    took: 0,
  };
  set({ picture, mask: null, layer: null });
}

/** A step that was ended early keeps where it ended among its settings. */
function keepReached(reached: Reached[]): void {
  if (reached.length === 0) return;
  change('Stop and keep', (course) => {
    for (const { use, params } of reached) Object.assign(findUse(course, use)?.use.params ?? {}, params);
  });
}

/** Ends the step that is worked on and keeps what there is of it. */
export function keepWork(): void {
  void engine().keep();
}

/** Lays something else over the ground. */
export function setDrape(drape: ViewSettings['drape']): void {
  const { view } = get();
  set({ view: { ...view, drape }, ...(isLayerDrape(drape) ? {} : { layer: null }) });
  if (isLayerDrape(drape)) workOut();
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
  givenUp = wanted;
  clearTimeout(rest);
  rest = undefined;
  void engine().stop();
  set({ working: null });
}

export async function refreshReport(): Promise<void> {
  const { selected } = get();
  if (!selected) return;
  set({ engineBytes: await engine().facts() });
  const report = await engine().report(selected);
  if (get().selected === selected) set({ report, drainage: null });
  const use = findUse(get().course!, selected)?.use;
  if (!report || !use || stepById(use.step).family !== 'weather') return;
  const drainage = await engine().drainage(selected);
  if (get().selected === selected) set({ drainage });
}

// Saving as one works.
const saving = new Saving({
  now: () => {
    const { id, course, readOnly, past, future, gone } = get();
    return id && course && !readOnly && !gone ? { id, course, past, future } : null;
  },
  whole: async ({ id, course, past, future }, at) => {
    const there = await saveTerrain(id, course, at, { past, future });
    if (there && forgotten.size) {
      const some = new Set(forgotten);
      forgotten.clear();
      await sweepAssets(some).catch(() => undefined);
    }
    return there;
  },
  append,
  onSaved: (at) => {
    set({ savedAt: at, saveFault: null });
    void unstoredCount().then((count) => {
      if (count) set({ saveFault: 'Some hand work is in memory only: this browser has no room left. Save the project file.' });
    });
  },
  onFault: (saveFault) => set({ saveFault }),
  onGone: lose,
});

/** Saves the terrain whole, now. */
export const saveNow = (): Promise<void> => saving.whole();

/** Stores what has not been stored yet, in the shortest way: the page may go. */
export const saveShortly = (): Promise<void> => saving.flush();

/** Whether something is still to be saved. */
export const isSaving = () => saving.pending;

async function keepThumbnail(course: Course): Promise<void> {
  const { id, readOnly, picture } = get();
  if (!id || readOnly || get().course !== course || !picture) return;
  const blob = await engine().thumbnail();
  if (blob) await db.terrains.update(id, { picture: blob, range: [picture.statistics.lowest, picture.statistics.highest] }).catch(() => undefined);
}
