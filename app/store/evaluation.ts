import { allUses, findUse, sentenceOf, statistics, histogram, shareUnderWater, stepById, UplandError, type Course, type Ground } from '@upland-cast/core';
import { isLayerDrape } from '../drawing/drapes';
import type { Picture, Reached, StagePicture } from '../engine/api';
import { engine, listening, onEngineEnd } from '../engine/client';
import { db } from '../storage/db';
import { Scheduler } from './scheduler';
import { useTerrain, say, type ViewSettings } from './state';

const { getState: get, setState: set } = useTerrain;

/** The course whose ground is seen. */
let shown: Course | null = null;

const scheduler = new Scheduler({
  pass,
  stop: () => void engine().stop(),
  seesFull: () => get().picture?.preview === false,
  growsInView,
  settle,
});

/** Weather steps from which on work takes so long that it is watched. */
const WATCHED = 2;

/** A ground that weather makes is seen from its first coarse grids on. */
function growsInView(): boolean {
  const { picture, course } = get();
  return !picture && !!course && allUses(course).filter((use) => use.on && stepById(use.step).family === 'weather').length >= WATCHED;
}

/** Hears that what is seen is to be worked out anew. */
export const unsettled = new Set<() => void>();

/** Works the ground out anew: a preview at once, the full ground when the hand rests. */
export function workOut(): void {
  unsettled.forEach((listener) => listener());
  scheduler.ask();
}

/** Hears of a ground that is seen as it was kept, before anything is worked out: what it needs to be seen well comes first. */
export const seenKept = new Set<(course: Course) => Promise<void>>();
/** Milliseconds for which what is worked out behind a kept ground waits for that at the most. */
const SEEN_WELL = 4000;
let seenWell: Promise<unknown> = Promise.resolve();

/** A terrain is opened: its ground is seen at once where it was kept, and what the view needs besides is worked out behind it. */
export async function openGround(): Promise<void> {
  const { course } = get();
  if (!course) return;
  const picture = await engine()
    .keptGround(course)
    .catch(() => null);
  // Something may have been seen or changed meanwhile.
  if (!picture || get().picture || get().course !== course) return workOut();
  shown = course;
  set({ picture, mask: null, layer: null });
  const late = new Promise((resolve) => setTimeout(resolve, SEEN_WELL));
  // Who changes something does not wait for the colours of what was.
  const changed = new Promise<void>((resolve) => {
    const off = useTerrain.subscribe((now) => {
      if (now.course === course) return;
      off();
      resolve();
    });
  });
  seenWell = Promise.race([Promise.allSettled([...seenKept].map((listener) => listener(course))), late, changed]);
  scheduler.askSeen();
}

/** After a stroke the ground is seen as it is already, but for what steps after it make of it: no preview comes between. */
export function workOutBehind(): void {
  unsettled.forEach((listener) => listener());
  scheduler.askBehind();
}

/** While a hand is on the ground nothing else changes it. */
export const holdWork = (on: boolean): Promise<void> => scheduler.hold(on);

/** The full ground is seen, and will be until something changes: at once, or when it has been worked out. False after `patience` ms. */
export const fullGround = (patience = 30_000): Promise<boolean> => scheduler.settled(patience);

/** Stops what is being worked out; the ground stays as it was last seen. */
export function stopWork(): void {
  scheduler.giveUp();
  set({ working: null });
}

/** Ends of the engine in the last minute: one that ends again and again is not begun for ever. */
let ends: number[] = [];
const MOST_ENDS = 3;
onEngineEnd(() => {
  const now = Date.now();
  ends = [...ends.filter((at) => now - at < 60_000), now];
  scheduler.reset();
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

/** Hears of steps that were ended early, and of where. */
export const reachedEarly = new Set<(reached: Reached[]) => void>();

/** Hears of every full ground that has been worked out. */
export const settled = new Set<(course: Course, picture: Picture) => void>();

async function settle(): Promise<void> {
  set({ working: null });
  const { picture } = get();
  const course = shown;
  if (!course) return;
  if (picture) settled.forEach((listener) => listener(course, picture));
  void refreshWater(course);
  await refreshReport();
  void keepThumbnail(course);
}

/** True when the ground was worked out and shown; false when it was stopped or went wrong. */
async function pass(kind: 'preview' | 'full', turn: number): Promise<boolean> {
  await seenWell;
  const { course } = get();
  if (!course) return false;
  const began = performance.now();
  // What was sent on its way before the end may arrive after it.
  let over = false;
  const goesOn = () => !over && scheduler.goesOn(turn);
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
          // Where the full ground is seen already, a smaller one would take it away.
          const wanted = kind === 'preview' || (get().working && get().picture?.preview !== false);
          if (goesOn() && wanted && !get().standing && mayShow()) showStanding(course, ground, height);
        },
        stage: (stage) => takeStage(stage),
      }),
    );
    // A whole ground that was done just as something changed would show what is no longer so; a small one shows that a drag moves.
    if (kind === 'full' && !scheduler.isLatest(turn)) return false;
    if (result.ok) {
      const { mask, layer, reached, said, ...picture } = result.value;
      if (said) say(said);
      shown = course;
      set({ picture, mask: mask ?? null, layer: layer ?? null, working: null });
      if (reached.length > 0) reachedEarly.forEach((listener) => listener(reached));
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
  }
}

/** What drawing takes is taken from the work that is shown, where there is no graphics card: this share of the time at the most. */
const SHARE_OF_DRAWING = 0.1;
let drawingCost = 0;
let shownAt = -Infinity;

/** Milliseconds that a picture of the ground takes to be drawn beside the work. */
export function tellDrawingCost(milliseconds: number): void {
  drawingCost = milliseconds;
}

function mayShow(): boolean {
  const now = performance.now();
  if (now - shownAt < drawingCost / SHARE_OF_DRAWING) return false;
  shownAt = now;
  return true;
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
  shown = course;
  set({ picture, mask: null, layer: null });
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

/** Shows or hides the water; it is found when it is first seen. */
export function setWater(water: boolean): void {
  const { view, course } = get();
  set({ view: { ...view, water } });
  if (water && course && !get().water) void refreshWater(course);
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

/** Lakes and streams of the full ground, found when it is seen. */
export async function refreshWater(course: Course): Promise<void> {
  const { picture, standing, view } = get();
  if (!picture || picture.preview || !view.water) return set({ water: null });
  const found = await engine().water(course, standing);
  if (get().picture === picture) set({ water: found.ok ? found.value : null });
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

async function keepThumbnail(course: Course): Promise<void> {
  const { id, readOnly, picture } = get();
  if (!id || readOnly || get().course !== course || !picture) return;
  const blob = await engine().thumbnail();
  if (blob) await db.terrains.update(id, { picture: blob, range: [picture.statistics.lowest, picture.statistics.highest] }).catch(() => undefined);
}
