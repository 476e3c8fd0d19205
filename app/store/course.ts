import {
  allUses,
  findUse,
  linesOf,
  loopBetween,
  loopSentence,
  makeTributary,
  maskUse,
  readersOf,
  sentenceOf,
  settingsOf,
  stepById,
  waitsForLine,
  stepUse,
  inputsOf,
  measureGround,
  startingElevations,
  startingValues,
  type Course,
  type GroundMeasure,
  type MaskUse,
  type JoinMode,
  type StepUse,
} from '@upland-cast/core';
import { isLayerDrape } from '../drawing/drapes';
import { change, endGesture } from './history';
import { refreshReport, workOut } from './evaluation';
import { say, useTerrain } from './state';

const { getState: get, setState: set } = useTerrain;

export function select(id: string | null): void {
  endGesture();
  const { showMask, tool, view } = get();
  set({ selected: id, report: null, painting: null, tool: tool === 'spot' ? tool : 'none' });
  if (showMask || isLayerDrape(view.drape)) workOut();
  void refreshReport();
}

/** Where on the course a step stands or is to stand: a line (empty: the stem) and a place in it. */
export interface CoursePlace {
  line: string;
  index: number;
}

const stepsOn = (course: Course, line: string): StepUse[] => linesOf(course).find((l) => l.id === line)?.steps ?? course.stem;

/** What starting values go by: the ground as it stands, or its size alone before it was seen. */
export function groundMeasure(): GroundMeasure {
  const { picture, course } = get();
  if (picture) return measureGround(picture);
  const { width, depth } = course!.ground;
  return { size: Math.max(width, depth), range: 0, steepness: 0 };
}

/** A use of a step with what its settings should begin with on this ground. */
function freshUse(step: string, params: Record<string, unknown>): StepUse {
  const { picture } = get();
  const of = stepById(step);
  return stepUse(step, { ...(picture && startingElevations(of, picture.statistics)), ...startingValues(of, groundMeasure()), ...params });
}

/** Puts a new step at a place and selects it; one that needs a line is ready to have it drawn, and does nothing until it is. */
export function addStep(step: string, at: CoursePlace, params: Record<string, unknown> = {}, join?: JoinMode): void {
  const { course } = get();
  // Level ground in mid-course would put everything before it away: it asks first how it is meant.
  if (
    step === 'flat' &&
    !join &&
    course &&
    stepsOn(course, at.line)
      .slice(0, at.index)
      .some((use) => use.on)
  ) {
    if (!get().readOnly) set({ askedJoin: { step, at, params } });
    return;
  }
  const use = freshUse(step, params);
  if (join) use.join = join;
  change(`Add ${stepById(step).title}`, (course) => void stepsOn(course, at.line).splice(at.index, 0, use));
  select(use.id);
  if (waitsForLine(use)) drawLine(true);
}

/** Takes the line of the selected step in hand, or puts it down: clicks on the ground put its points there. */
export function drawLine(on: boolean): void {
  set(({ view }) => ({ tool: on ? 'line' : 'none', view: on && view.camera === 'section' ? { ...view, camera: 'plan' } : view }));
}

export function setParam(id: string, key: string, value: unknown, gesture?: string): void {
  setUse(id, `Set ${key}`, (use) => void (use.params[key] = value), gesture);
}

export function setUse(id: string, label: string, recipe: (use: StepUse) => void, gesture?: string): void {
  change(
    label,
    (course) => {
      const found = findUse(course, id);
      if (found) recipe(found.line.steps[found.index]);
    },
    gesture,
  );
}

export function removeStep(id: string): void {
  change('Remove step', (course) => {
    const found = findUse(course, id);
    if (found) found.line.steps.splice(found.index, 1);
  });
}

export function duplicateStep(id: string): void {
  const found = get().course && findUse(get().course!, id);
  if (!found) return;
  const copy = stepUse(found.use.step, found.use.params, { ...found.use, id: stepUse(found.use.step).id });
  change('Duplicate step', (course) => void stepsOn(course, found.line.id).splice(found.index + 1, 0, copy));
  select(copy.id);
}

/** Moves a step to a place on any line; refuses what would make a loop, with a sentence. */
export function moveStep(id: string, to: CoursePlace): void {
  const { course } = get();
  const found = course && findUse(course, id);
  if (!course || !found) return;
  for (const tributary of inputsIfAny(found.use)) {
    const loop = loopBetween(course, to.line, tributary);
    if (loop) return say(loopSentence(loop));
  }
  const same = found.line.id === to.line;
  const index = same && to.index > found.index ? to.index - 1 : to.index;
  if (same && index === found.index) return;
  change('Move step', (c) => {
    const [use] = stepsOn(c, found.line.id).splice(found.index, 1);
    stepsOn(c, to.line).splice(index, 0, use);
  });
}

function inputsIfAny(use: StepUse): string[] {
  try {
    return inputsOf(use).tributaries;
  } catch {
    return [];
  }
}

/** One place along its line, or (across) to the end of the line above or below. For the keyboard. */
export function nudgeStep(id: string, along: -1 | 0 | 1, across: -1 | 0 | 1): void {
  const { course } = get();
  const found = course && findUse(course, id);
  if (!course || !found) return;
  if (along) {
    const index = found.index + along;
    if (index >= 0 && index < found.line.steps.length) moveStep(id, { line: found.line.id, index: along > 0 ? index + 1 : index });
    return;
  }
  // Drawn from the top: the last tributary first, the stem at the foot.
  const lines = linesOf(course);
  const at = lines.findIndex((l) => l.id === found.line.id) - across;
  const target = lines[at];
  if (target) moveStep(id, { line: target.id, index: Math.min(found.index, target.steps.length) });
}

/** A new side line that begins with noise, and its Join behind the selected step of the stem. */
export function addTributary(after: string | null = get().selected): void {
  const { course } = get();
  if (!course) return;
  const taken = new Set(course.tributaries.map((t) => t.name));
  let n = course.tributaries.length + 1;
  while (taken.has(`Side ${n}`)) n++;
  const source = freshUse('noise', { kind: 'ridged', seed: Math.floor(Math.random() * 1_000_000) });
  const line = makeTributary(`Side ${n}`, [{ ...source, join: 'replace' }]);
  const join = stepUse('join', { tributary: line.id });
  const at = course.stem.findIndex((use) => use.id === after);
  change('Add tributary', (c) => {
    c.tributaries.push(line);
    c.stem.splice(at < 0 ? c.stem.length : at + 1, 0, join);
  });
  select(join.id);
}

/** A side line for a setting that reads one: begins with noise; the setting is pointed at it. */
export function tributaryFor(set: (course: Course, line: string) => void): void {
  const { course } = get();
  if (!course) return;
  const line = makeTributary(`Side ${course.tributaries.length + 1}`, [{ ...freshUse('noise', {}), join: 'replace' }]);
  change('Add tributary', (c) => {
    c.tributaries.push(line);
    set(c, line.id);
  });
}

export function removeTributary(id: string): void {
  const { course } = get();
  const readers = course ? readersOf(course, id) : [];
  change('Remove tributary', (c) => void (c.tributaries = c.tributaries.filter((t) => t.id !== id)));
  if (readers.length)
    say(
      `${readers.length === 1 ? 'One step' : `${readers.length} steps`} read this tributary and ${readers.length === 1 ? 'is' : 'are'} left out until another is chosen. Undo brings it back.`,
    );
}

export function setTributary(id: string, label: string, recipe: (tributary: Course['tributaries'][number]) => void): void {
  change(label, (course) => {
    const tributary = course.tributaries.find((t) => t.id === id);
    if (tributary) recipe(tributary);
  });
}

export function addMask(id: string, kind: string): void {
  const { picture } = get();
  const params: Record<string, unknown> = {};
  if (picture && (kind === 'height' || kind === 'tributary')) {
    const { lowest, highest } = picture.statistics;
    params.low = Math.round((lowest + highest) / 2);
    params.softness = Math.round((highest - lowest) / 10);
  }
  set({ showMask: true });
  setUse(id, 'Add mask', (use) => void use.where.masks.push(maskUse(kind, params)));
}

export function setMask(id: string, mask: string, label: string, recipe: (mask: MaskUse) => void, gesture?: string): void {
  setUse(
    id,
    label,
    (use) => {
      const found = use.where.masks.find((m) => m.id === mask);
      if (found) recipe(found);
    },
    gesture,
  );
}

/** The view and its readouts as after a step; again, or none: as at the end. */
export function standAt(id: string | null): void {
  set({ standing: get().standing === id ? null : id });
  workOut();
}

export function showMask(on: boolean): void {
  set({ showMask: on });
  workOut();
}

/** The settings of a step with their defaults, or why they cannot be used. */
export function settingsOrFault(use: StepUse): { settings: Record<string, unknown>; fault?: string } {
  try {
    return { settings: settingsOf(use) };
  } catch (error) {
    return { settings: use.params, fault: sentenceOf(error) };
  }
}

/** Puts another file in an asset's place wherever the course uses it; how it is read stays. */
export function replaceAsset(from: string, to: { sha: string; name: string; bytes: number }): void {
  change(`Look again at ${to.name}`, (course) => {
    const swap = (value: unknown): unknown =>
      value === from
        ? to.sha
        : Array.isArray(value)
          ? value.map(swap)
          : value && typeof value === 'object'
            ? Object.fromEntries(Object.entries(value).map(([k, v]) => [k, swap(v)]))
            : value;
    for (const use of allUses(course)) {
      use.params = swap(use.params) as StepUse['params'];
      for (const mask of use.where.masks) mask.params = swap(mask.params) as MaskUse['params'];
    }
    const reading = course.assets[from]?.reading;
    course.assets[to.sha] = { name: to.name.slice(0, 200), bytes: to.bytes, ...(reading ? { reading } : {}) };
    if (to.sha !== from) delete course.assets[from];
  });
}
