import { expose, transfer } from 'comlink';
import {
  inspect,
  readWith,
  toField,
  findUse,
  groundAtSamples,
  maskAt,
  startingCourse,
  describeChange,
  describeDrainage,
  spreadAccumulation,
  drainageOf,
  spacingOf,
  streamsAsGeoJson,
  streamsOf,
  defaultChannelArea,
  writeLayer,
  type DrainageReport,
  type Stage,
  evaluate,
  fieldOf,
  fillForDisplay,
  histogram,
  previewGround,
  sentenceOf,
  shareUnderWater,
  shorelineLength,
  StageCache,
  statistics,
  stepById,
  StoppedError,
  UplandError,
  type AssetReading,
  type Course,
  type Evaluation,
  type Field,
  type Ground,
  type MapSpec,
  type MeshSettings,
  type Order,
  type StrokePlace,
  type SamplingReport,
  describeLand,
  type LandReport,
} from '@upland-cast/core';
import { holdLife } from './alive';
import { keepAsset, loadAsset, unstoredCount, unstoredHere } from '../storage/assets';
import { findings, keepFile, look, lookAtMosaic, openFiles } from './import/import-service';
import { browserKernels } from './kernels';
import {
  ROLL_PICTURE,
  THUMBNAIL,
  type Kept,
  type Look,
  type LookFinding,
  type MosaicLook,
  type OpenedFile,
  type HandedOn,
  type MapDrape,
  type OrderCost,
  type TrialResult,
  type EngineFacts,
  type Listener,
  type MeshCurve,
  type MeshPreview,
  type WrittenMesh,
  type Outcome,
  type Patch,
  type MaskPicture,
  type Picture,
  type PictureRequest,
  type Reached,
  type TakenIn,
  type PressRequest,
  type PressResult,
  type ReportOutcome,
  type SculptParams,
  type PaintedParams,
  type BrushParts,
} from './api';
import { pictureOfLayer, type LayerDrapeId, type LayerPicture } from '../drawing/drapes';
import { patchErrors } from '../drawing/quadtree';
import type { MeshPicture } from '../drawing/pictures';
import { reliefPixels } from '../drawing/relief';
import * as hand from './sculpt/sculpt-service';
import * as handing from './export/export-service';
import * as meshing from './mesh/mesh-service';
import { press } from './mesh/press-service';

/** In the order they are offered. */
const LAYER_ORDER = ['flow', 'cut', 'fill', 'water', 'sediment'];
/** Threads of the computation that ended and were started again, since the page was told last. */
let lost = 0;
const kernels = browserKernels(() => lost++);
const cache = new StageCache(768 * 1024 * 1024);
/** Stage keys whose pictures the page has. */
const pictured = new Set<string>();
let running: AbortController | undefined;
/** Ends the step that is worked on as it is. */
let halting: AbortController | undefined;
/** The last full evaluation, for reports and hand work. */
let full: { course: Course; evaluation: Evaluation } | undefined;

const tools = { kernels, cache };
const questions = new Map<string, AbortController>();
/** A signal that the next question of the same kind ends. */
function newQuestion(kind: string): AbortSignal {
  questions.get(kind)?.abort(new StoppedError());
  const mine = new AbortController();
  questions.set(kind, mine);
  return mine.signal;
}

let looking: AbortController | undefined;
function newLook(): AbortSignal {
  looking?.abort();
  looking = new AbortController();
  return looking.signal;
}

async function outcome<T>(work: () => Promise<T> | T): Promise<Outcome<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    const stopped = error instanceof StoppedError;
    const code = error instanceof UplandError ? error.code : 'unexpected';
    if (!stopped && !(error instanceof UplandError)) console.error(error);
    return { ok: false, stopped, code, sentence: sentenceOf(error) };
  }
}

/** Works out for the screen: what was being worked out for it before is given up. */
async function workOut(course: Course, ground: Ground, listener: Listener, previous?: Evaluation): Promise<Evaluation> {
  running?.abort();
  const mine = (running = new AbortController());
  const halt = (halting = new AbortController());
  try {
    return await evaluate(course, {
      kernels,
      cache,
      ground,
      previous,
      everyLine: true,
      signal: mine.signal,
      halt: halt.signal,
      asset: loadAsset,
      onProgress: ({ use, share }) => listener.progress(use.name || stepById(use.step).title, share, 'until' in stepById(use.step).params.shape),
      // A tributary's ground is not what the view shows.
      onStanding: ({ use, field }) => findUse(course, use.id)?.line.id === '' && listener.standing(field.ground, field.height as Float32Array<ArrayBuffer>),
      onStage: (stage) => {
        const known = pictured.has(stage.key);
        const relief = known ? undefined : reliefPixels({ ground, height: stage.height }, THUMBNAIL.width, THUMBNAIL.height);
        pictured.add(stage.key);
        listener.stage({ id: stage.use.id, key: stage.key, fault: stage.fault, words: stage.words, relief, took: stage.took });
      },
    });
  } finally {
    if (running === mine) running = undefined;
    if (halting === halt) halting = undefined;
  }
}

/** The end of the course at the ground's own samples, worked out if it has to be. */
async function wholeField(course: Course): Promise<Field> {
  // Beside what is worked out for the screen, which goes on.
  const evaluation = await evaluate(course, { kernels, cache, asset: loadAsset });
  const faulty = evaluation.stages.find((s) => s.fault);
  if (faulty) throw new UplandError('step', `The step "${faulty.use.name || stepById(faulty.use.step).title}" cannot be done: ${faulty.fault}`);
  return fieldOf(evaluation, course.ground);
}

const api = {
  facts(): EngineFacts {
    return { threads: kernels.threads, isolated: self.crossOriginIsolated, held: cache.bytes, limit: cache.limit };
  },

  /** An asset that the browser had no room for, which lives here only. */
  unstored(sha: string): Uint8Array<ArrayBuffer> | null {
    return unstoredHere(sha);
  },

  unstoredCount(): Promise<number> {
    return unstoredCount();
  },

  stop(): void {
    running?.abort();
  },

  /** Ends the step that is worked on and keeps what there is of it. */
  keep(): void {
    halting?.abort();
  },

  /** Works a course out, small or whole, and gives the ground back to be drawn. */
  async picture(
    course: Course,
    { preview, standing, mask, layer, of }: PictureRequest,
    listener: Listener,
  ): Promise<Outcome<Picture & { mask?: MaskPicture; layer?: LayerPicture; reached: Reached[]; said?: string }>> {
    const result = await outcome(async () => {
      const began = performance.now();
      const ground = preview ? previewGround(course.ground) : course.ground;
      const whole = !preview || ground === course.ground;
      const evaluation = await workOut(course, ground, listener, whole ? full?.evaluation : undefined);
      if (whole) full = { course, evaluation };
      const stood = standing ? evaluation.stages.find((s) => s.use.id === standing) : undefined;
      // A copy: what goes to the page leaves this thread.
      const { height: own } = stood ?? evaluation;
      const field = fieldOf({ ground, ...(stood ?? evaluation) }, course.ground);
      const { valid } = field;
      const height = valid ? fillForDisplay(own, ground.across, ground.down, valid) : own.slice();
      const stats = statistics(field);
      return {
        ground,
        height,
        statistics: stats,
        histogram: histogram(field, 160, stats),
        shareUnderWater: shareUnderWater(field, course.ground.sea),
        preview: ground !== course.ground,
        took: performance.now() - began,
        patchErrors: patchErrors({ ground, height }),
        valid,
        mask: mask ? await maskPicture(course, evaluation, mask) : undefined,
        layer: layer ? await layerPicture(layer, field, evaluation, of, standing) : undefined,
        said: toldOfLosses(),
        reached: evaluation.stages.flatMap((s) => (s.reached ? [{ use: s.use.id, params: s.reached }] : [])),
      };
    });
    return result.ok ? transfer(result, [result.value.height.buffer]) : result;
  },

  /** What a step did, measured on the last full ground; null while there is none. */
  report(id: string): ReportOutcome {
    const stage = full?.evaluation.stages.find((s) => s.use.id === id);
    if (!stage || !full) return null;
    return {
      ...describeChange(stage.before, stage.height, full.evaluation.ground),
      took: stage.took,
      fault: stage.fault,
      words: stage.words,
      layers: Object.keys(stage.layers).filter((name) => stage.layers[name] !== stage.layersBefore[name]),
    };
  },

  /** What the channels say of the ground as a step leaves it; null while there is none. Beside the report, since it takes longer. */
  async drainage(id: string): Promise<DrainageReport | null> {
    const stage = full?.evaluation.stages.find((s) => s.use.id === id);
    if (!stage || !full) return null;
    const known = drained.get(stage.height);
    if (known) return known;
    const field = fieldOf({ ground: full.evaluation.ground, ...stage }, full.course.ground);
    const { ground } = field;
    const toSea = statistics(field).lowest < ground.sea;
    const report = describeDrainage(field, await drainageOf(kernels, field, { toSea }), defaultChannelArea(ground));
    drained.set(stage.height, report);
    return report;
  },

  /** Keeps a heightmap as an asset, once it has been read; says what it holds. */
  takeIn(bytes: Uint8Array<ArrayBuffer>, settled?: AssetReading): Promise<Outcome<TakenIn>> {
    return outcome(async () => {
      const { reading, meaning } = await readWith(bytes, settled);
      const field = toField(reading, meaning);
      const { lowest, highest } = statistics(field);
      const inCodes = reading.unit === 'code';
      return {
        sha: await keepAsset(bytes),
        across: field.ground.across,
        down: field.ground.down,
        lowest,
        highest,
        inCodes,
        words: inspect(reading)
          .findings.filter((f) => f.severity !== 'note')
          .map((f) => f.message),
      };
    });
  },

  /** Takes files in to be looked at before anything is made of them. */
  openFiles(files: { name: string; bytes: Uint8Array<ArrayBuffer> }[]): Promise<Outcome<OpenedFile[]>> {
    return outcome(() => openFiles(files));
  },

  /** One of them as it would be read, with its relief. A newer look stops the one before. */
  look(id: number, settled: AssetReading, progress: (share: number) => void): Promise<Outcome<Look>> {
    return outcome(() => look(id, settled, { signal: newLook(), progress }));
  },

  /** What is wrong with it. */
  findings(id: number, settled: AssetReading): Promise<Outcome<LookFinding[]>> {
    return outcome(() => findings(id, settled, kernels, looking?.signal ?? newLook()));
  },

  lookAtMosaic(
    ids: number[],
    settled: Record<number, AssetReading>,
    layout: 'place' | 'names' | 'hand',
    places: Record<number, { row: number; column: number }>,
  ): Promise<Outcome<MosaicLook>> {
    return outcome(() => lookAtMosaic(ids, settled, layout, places, newLook()));
  },

  stopLooking(): void {
    looking?.abort();
  },

  keepFile(id: number): Promise<Outcome<Kept>> {
    return outcome(() => keepFile(id));
  },

  /** A source with another seed as a small relief, as it stands after its step. */
  async rollPicture(course: Course, id: string, seed: number): Promise<{ width: number; height: number; pixels: Uint8ClampedArray<ArrayBuffer> } | null> {
    const found = findUse(course, id);
    if (!found) return null;
    const use = { ...found.use, params: { ...found.use.params, seed }, on: true };
    // The line alone, as if it were the stem, up to the source.
    const steps = found.line.steps.slice(0, found.index + 1).map((s) => (s.id === id ? use : s));
    const alone = { ...course, stem: steps, tributaries: course.tributaries.filter((t) => t.id !== found.line.id) };
    const { width, height } = ROLL_PICTURE;
    const answer = await outcome(() => evaluate(alone, { kernels, ground: previewGround(course.ground, 128), asset: loadAsset }));
    return answer.ok ? { width, height, pixels: reliefPixels(answer.value, width, height) } : null;
  },

  /** A starting course as a picture for its card, PNG. */
  async startingPicture(id: string): Promise<Blob | null> {
    const course = startingCourse(id)?.make();
    if (!course) return null;
    const answer = await outcome(() => evaluate(course, { kernels, ground: groundAtSamples(course.ground, 321) }));
    return answer.ok ? pngBlob(reliefPixels(answer.value, 320, 220, true), 320, 220) : null;
  },

  /** Begins a stroke of the hand step `id`, or of its painted mask, on the full ground as it is seen: at the end of the course, or as after the step itself. */
  beginStroke(course: Course, id: string, standing: boolean, brush: BrushParts, mask: string | null): Promise<Outcome<Uint8Array<ArrayBuffer> | true>> {
    return outcome(() => hand.beginStroke(full, kernels, { course, id, standing, mask }, brush));
  },

  async dab(places: StrokePlace[]): Promise<Patch | null> {
    const patch = await hand.dab(places);
    return patch ? transfer(patch, [patch.height.buffer]) : null;
  },

  /** Ends the stroke: its tiles are kept as assets, and the new settings of the step or the mask come back. */
  endStroke(): Promise<Outcome<SculptParams | PaintedParams | null>> {
    return outcome(() => hand.endStroke());
  },

  /** The recorded strokes of a hand step once more, on what lies beneath it now. */
  playStrokes(id: string, listener: Listener): Promise<Outcome<SculptParams>> {
    return outcome(async () => {
      running?.abort();
      const mine = (running = new AbortController());
      try {
        return await hand.playAgain(full, kernels, id, (share) => listener.progress('Strokes', share, false), mine.signal);
      } finally {
        if (running === mine) running = undefined;
      }
    });
  },

  /** The share of the last full ground under an elevation, and the length of that line, metres. */
  waterAt(level: number): { share: number; shoreline: number } | null {
    if (!full) return null;
    const field = fieldOf(full.evaluation, full.course.ground);
    return { share: shareUnderWater(field, level), shoreline: shorelineLength(field, level) };
  },

  /** What an order will cost. A newer question ends the one before. */
  measureLand(field: Field): Promise<Outcome<LandReport>> {
    return outcome(() => describeLand(tools.kernels, field, { signal: newQuestion('land') }));
  },
  measureSampling(course: Course, order: Order): Promise<Outcome<SamplingReport | null>> {
    return outcome(() => handing.measureSampling(tools, course, order, newQuestion('sampling')));
  },
  orderCost(course: Course, order: Order): Promise<Outcome<OrderCost>> {
    return outcome(() => handing.orderCost(tools, course, order, newQuestion('cost')));
  },

  /** A map of the ground as it will be handed on, on fewer samples. */
  async mapDrape(course: Course, source: Order['grounds'][number], spec: MapSpec | { kind: 'ground' }, whole = false): Promise<Outcome<MapDrape>> {
    const result = await outcome(() => handing.mapDrape(tools, course, source, spec, newQuestion(whole ? 'still' : 'map'), whole));
    if (!result.ok) return result;
    const { height, rgb } = result.value;
    return transfer(result, rgb ? [height.buffer, rgb.buffer] : [height.buffer]);
  },

  /** Carries an order out, into memory or into a file on disk. */
  handOn(
    course: Course,
    order: Order,
    given: { handle?: FileSystemFileHandle; onServer: boolean; spotsBefore: Record<string, number> },
    listener: Listener,
  ): Promise<Outcome<HandedOn>> {
    const relief = (field: Field) =>
      pngUrl(
        reliefPixels(field, 480, Math.max(1, Math.round((480 * field.ground.depth) / field.ground.width)), true),
        480,
        Math.max(1, Math.round((480 * field.ground.depth) / field.ground.width)),
      );
    return outcome(() =>
      handing.carryOut(tools, course, order, { ...given, relief }, (words, share) => listener.progress(words, share, false), newQuestion('hand')),
    );
  },

  stopHanding(): void {
    questions.get('hand')?.abort();
  },

  trial(told: Parameters<typeof handing.trial>[0]): Promise<Outcome<TrialResult>> {
    return outcome(() => handing.trial(told));
  },

  /** The layers that steps of the stem leave, each by the last step that does. */
  async layerNames(course: Course): Promise<Outcome<string[]>> {
    return outcome(async () => {
      const { layers } = await evaluate(course, { kernels, cache, asset: loadAsset });
      return LAYER_ORDER.filter((name) => layers[name]);
    });
  },

  /** A layer, the drainage or the streams as a file, at the ground's samples; layers in metres or m², read back and proofed. */
  async layerFile(course: Course, { layer, name, ground }: { layer: string; name: string; ground: Ground }): Promise<Outcome<Uint8Array<ArrayBuffer>>> {
    const result = await outcome(async () => {
      const { height, layers, ground: at } = await evaluate({ ...course, ground }, { kernels, cache, asset: loadAsset });
      const field: Field = { ground: at, height };
      if (layer !== 'drainage' && layer !== 'streams') {
        if (!layers[layer]) throw new UplandError('layer', `No step leaves a layer "${layer}".`);
        return writeLayer({ ground: { ...at, datum: 0 }, height: layers[layer] }, name);
      }
      const drainage = await drainageOf(kernels, field, { toSea: statistics(field).lowest < at.sea });
      if (layer === 'streams') return new TextEncoder().encode(streamsAsGeoJson(field, streamsOf(field, drainage, defaultChannelArea(at))));
      const { x, y } = spacingOf(at);
      return writeLayer({ ground: { ...at, datum: 0 }, height: drainage.accumulation.map((a) => a * x * y) }, name);
    });
    return result.ok ? transfer(result, [result.value.buffer]) : result;
  },

  /** A mesh of the ground as files, measured on what was written. */
  async mesh(course: Course, settings: MeshSettings, name: string, onWork: Telling): Promise<Outcome<WrittenMesh>> {
    const result = await outcome(async () => meshing.write(await meshWork(course, 'write-mesh', onWork), settings, name));
    return result.ok ? transfer(result, [result.value.bytes.buffer]) : result;
  },

  /** The mesh as it will be, no denser than a screen can show, and its error at the chosen density. */
  async meshPreview(course: Course, settings: MeshSettings): Promise<Outcome<MeshPreview>> {
    const result = await outcome(async () => meshing.preview(await meshWork(course, 'mesh'), settings));
    return result.ok ? transfer(result, [...buffersOf(result.value.picture), ...buffersOf(result.value.high)]) : result;
  },

  /** Ends the writing or the measuring of a mesh that is under way. */
  stopMesh(): void {
    for (const kind of ['write-mesh', 'mesh-curve', 'press']) questions.get(kind)?.abort(new StoppedError());
  },

  /** Error against triangles. */
  meshCurve(course: Course, onWork: Telling): Promise<Outcome<MeshCurve>> {
    return outcome(async () => meshing.curve(await meshWork(course, 'mesh-curve', onWork)));
  },

  /** A mesh file, or several, pressed to heights. */
  async press(course: Course, request: PressRequest, onWork: Telling): Promise<Outcome<PressResult>> {
    const work = { tools, course, field: () => wholeField(course), signal: newQuestion('press'), onWork };
    const result = await outcome(() => press(work, request));
    return result.ok ? transfer(result, [result.value.relief.pixels.buffer, result.value.cover.buffer, ...buffersOf(result.value.mesh)]) : result;
  },

  /** The terrain's picture for its card, from the last full ground. */
  async thumbnail(): Promise<Blob | null> {
    if (!full) return null;
    const { ground, height } = full.evaluation;
    return pngBlob(reliefPixels({ ground: { ...ground, sea: full.course.ground.sea }, height }, 320, 220, true), 320, 220);
  },
};

function toldOfLosses(): string | undefined {
  const some = lost;
  lost = 0;
  return some ? 'A thread of the computation ended and was started again; what it was at was done once more.' : undefined;
}

/** Reports by the ground they are of. */
const drained = new WeakMap<Float32Array, DrainageReport>();

/** A layer that the step `of` left, or the last one up to where the view stands; or the drainage of the ground itself. */
async function layerPicture(drape: LayerDrapeId, field: Field, evaluation: Evaluation, of: string | null, standing: string | null): Promise<LayerPicture> {
  const { x, y } = spacingOf(field.ground);
  const cell = x * y;
  if (drape === 'drainage') {
    const toSea = statistics(field).lowest < field.ground.sea;
    const accumulation = spreadAccumulation(field, await drainageOf(kernels, field, { toSea }), 'multiple');
    for (let i = 0; i < accumulation.length; i++) accumulation[i] *= cell;
    return pictureOfLayer(drape, accumulation, cell);
  }
  const names = drape === 'change' ? ['cut', 'fill'] : [drape];
  const own = (stage: Stage) => names.some((name) => stage.layers[name] && stage.layers[name] !== stage.layersBefore[name]);
  const stem = evaluation.stages.filter((stage) => stage.line === '');
  const last = standing ? stem.findIndex((stage) => stage.use.id === standing) : stem.length - 1;
  const asked = evaluation.stages.find((stage) => stage.use.id === of);
  const from = asked && own(asked) ? asked : stem.slice(0, last + 1).findLast(own);
  if (!from) return { drape, values: null, low: 0, high: 0, of: '' };
  const called = from.use.name || stepById(from.use.step).title;
  const { layers } = from;
  if (drape !== 'change') return { ...pictureOfLayer(drape, layers[drape], cell), of: called };
  const change = new Float32Array(field.height.length);
  for (let i = 0; i < change.length; i++) change[i] = (layers.fill?.[i] ?? 0) - (layers.cut?.[i] ?? 0);
  return { ...pictureOfLayer(drape, change, 0), of: called };
}

async function maskPicture(course: Course, evaluation: Evaluation, use: string): Promise<MaskPicture | undefined> {
  const weights = await maskAt(course, evaluation, use, { kernels, asset: loadAsset, cache }).catch(() => null);
  if (!weights) return undefined;
  const bytes = new Uint8Array(weights.length);
  let sum = 0;
  for (let i = 0; i < bytes.length; i++) {
    bytes[i] = Math.round(weights[i] * 255);
    sum += weights[i];
  }
  return { use, weights: bytes, share: sum / weights.length };
}

/** Told how long work stands: words, and the share that is behind it. */
type Telling = (words: string, share: number) => void;

/** What the making of meshes works with. */
async function meshWork(course: Course, kind: string, onWork: Telling = () => undefined) {
  const signal = newQuestion(kind);
  return { tools, course, field: await wholeField(course), signal, onWork };
}

function buffersOf({ positions, indices, normals, uvs, tangents, quads }: MeshPicture): ArrayBuffer[] {
  return [...new Set([positions, indices, normals, uvs, tangents, quads].flatMap((a) => (a ? [a.buffer] : [])))];
}

async function pngBlob(pixels: Uint8ClampedArray<ArrayBuffer>, width: number, height: number): Promise<Blob> {
  const canvas = new OffscreenCanvas(width, height);
  canvas.getContext('2d')!.putImageData(new ImageData(pixels, width, height), 0, 0);
  return canvas.convertToBlob({ type: 'image/png' });
}

async function pngUrl(pixels: Uint8ClampedArray<ArrayBuffer>, width: number, height: number): Promise<string> {
  const bytes = new Uint8Array(await (await pngBlob(pixels, width, height)).arrayBuffer());
  let text = '';
  for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
  return `data:image/png;base64,${btoa(text)}`;
}

export type EngineApi = typeof api;
expose(api);
holdLife();
