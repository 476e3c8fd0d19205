import {
  findUse,
  heightsOf,
  maskAt,
  playStrokes,
  settingsOf,
  statistics,
  UplandError,
  weatherPiece,
  type Brush,
  type Course,
  type Evaluation,
  type Kernels,
  type StrokePlace,
  type StrokeTools,
} from '@upland-cast/core';
import { keepAsset, loadAsset } from '../../storage/assets';
import type { BrushParts, PaintedParams, Patch, SculptParams } from '../api';
import { keptTiles, PaintStroke, Stroke, strokesOf } from './stroke';

export interface Full {
  course: Course;
  evaluation: Evaluation;
}

let stroke: Stroke | PaintStroke | undefined;
/** Where only another step's masks let strokes act: by that step, and the evaluation it was of. */
let within: { step: string; of: Evaluation; weights: Float32Array } | undefined;

async function toolsFor(brush: BrushParts | Brush, full: Full, kernels: Kernels): Promise<StrokeTools> {
  const tools: StrokeTools = { weather: (kind, height, ground) => weatherPiece(kernels, kind, height, ground) };
  if (brush.within) {
    const use = findUse(full.course, brush.within)?.use;
    if (!use) throw new UplandError('brush', 'The step whose masks hold this brush is not on the course any more.');
    if (within?.step !== brush.within || within.of !== full.evaluation) {
      const found = await maskAt(full.course, full.evaluation, brush.within, { kernels, asset: loadAsset });
      within = { step: brush.within, of: full.evaluation, weights: found ?? new Float32Array(full.evaluation.height.length).fill(1) };
    }
    tools.mask = within.weights;
  }
  if (brush.kind === 'stamp' && brush.stamp?.length === 64) {
    const field = await heightsOf(brush.stamp, full.course.assets[brush.stamp]?.reading, loadAsset);
    const { lowest, highest } = statistics(field);
    const span = highest - lowest || 1;
    tools.form = { values: Float32Array.from(field.height, (h) => (h - lowest) / span), across: field.ground.across, down: field.ground.down };
  }
  return tools;
}

/** Where a stroke begins: the course as it is now, the step, whether the view stands after it, and the mask to be painted. */
export interface StrokeOf {
  course: Course;
  id: string;
  standing: boolean;
  mask: string | null;
}

/** The ground as the last stroke left it to be seen, until the course has been worked out again. */
let left: { of: Evaluation; id: string; standing: boolean; tiles: string; seen: Float32Array<ArrayBuffer> } | undefined;

/** Begins a stroke of a hand step, or one that paints its mask, on the full ground as it is seen. */
export async function beginStroke(
  full: Full | undefined,
  kernels: Kernels,
  { course, id, standing, mask }: StrokeOf,
  brush: BrushParts,
): Promise<Uint8Array<ArrayBuffer> | true> {
  const stage = full?.evaluation.stages.find((s) => s.use.id === id);
  const use = findUse(course, id)?.use;
  if (!stage || !full || !use || !sameUnder(full.course, course, id)) {
    throw new UplandError('not-ready', 'The full ground is still being worked out. Begin the stroke when it is there.');
  }
  const tools = await toolsFor(brush, full, kernels);
  const { evaluation } = full;
  const { ground } = evaluation;
  if (mask) {
    const painted = use.where.masks.find((m) => m.id === mask);
    if (!painted) throw new UplandError('not-ready', 'The mask to paint is not there any more.');
    const params = { samples: { across: 0, down: 0, registration: 'point' }, tiles: {}, ...painted.params } as PaintedParams;
    const begun = await PaintStroke.begin(ground, params, brush, tools, loadAsset);
    stroke = begun;
    return begun.weights();
  }
  // Strokes may follow one another sooner than the course is worked out.
  const params = settingsOf(use) as SculptParams;
  const tiles = JSON.stringify(params.tiles);
  const goesOn = left && left.of === evaluation && left.id === id && left.standing === standing && left.tiles === tiles;
  const seen = goesOn ? left!.seen : (standing ? stage : evaluation).height.slice();
  left = { of: evaluation, id, standing, tiles: '', seen };
  stroke = await Stroke.begin({ ground, beneath: stage.before, seen, strength: use.strength }, params, brush, tools, loadAsset);
  return true;
}

/** Whether what lies under a step is the same in both courses. */
function sameUnder(one: Course, other: Course, id: string): boolean {
  const under = (course: Course) => {
    const found = findUse(course, id);
    const upTo = (line: string, steps: Course['stem']) => (found && found.line.id === line ? steps.slice(0, found.index) : steps);
    const { across, down, width, depth, registration, datum } = course.ground;
    // The stem reads tributaries, and no tributary the stem.
    const stem = found?.line.id === '' ? upTo('', course.stem) : [];
    return JSON.stringify([across, down, width, depth, registration, datum, stem, course.tributaries.map((t) => upTo(t.id, t.steps))]);
  };
  return under(one) === under(other);
}

/** Dabs; nothing while there is no stroke. */
export const dab = async (places: StrokePlace[]): Promise<Patch | null> => (await stroke?.dab(places)) ?? null;

/** Ends the stroke: its tiles are kept as assets, and the new settings of the step or the mask come back. */
export async function endStroke(): Promise<SculptParams | PaintedParams | null> {
  const done = stroke;
  stroke = undefined;
  if (!done) return null;
  const params = await done.end(keepAsset, loadAsset);
  if (left && done instanceof Stroke) left.tiles = JSON.stringify(params.tiles);
  return params;
}

/** Plays the recorded strokes of a hand step again, on what lies beneath it now; its new settings. */
export async function playAgain(
  full: Full | undefined,
  kernels: Kernels,
  id: string,
  progress: (share: number) => void,
  signal: AbortSignal,
): Promise<SculptParams> {
  const stage = full?.evaluation.stages.find((s) => s.use.id === id);
  if (!stage || !full) throw new UplandError('not-ready', 'The full ground is still being worked out. Play the strokes when it is there.');
  const params = settingsOf(stage.use) as SculptParams;
  const { ground } = full.evaluation;
  const strokes = await strokesOf(params.record ?? [], loadAsset);
  const tiles = await playStrokes(strokes, stage.before, ground, ({ brush }) => toolsFor(brush, full, kernels), progress, signal);
  const { across, down, registration } = ground;
  return { ...params, samples: { across, down, registration }, tiles: await keptTiles(tiles, keepAsset) };
}
