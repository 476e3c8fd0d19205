import {
  findUse,
  hardnessAtSurface,
  waterOf,
  waterDepth,
  waterRulesOf,
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
  groundKey,
  histogram,
  patchErrors,
  previewGround,
  shareUnderWater,
  shorelineLength,
  statistics,
  stepById,
  UplandError,
  type Course,
  type Evaluation,
  type Field,
  type Ground,
  describeLand,
  type LandReport,
} from '@upland-cast/core';
import { transfer } from 'comlink';
import { pictureOfLayer, type LayerDrapeId, type LayerPicture } from '../../drawing/drapes';
import { landscapePixels, openPixels } from '../../drawing/landscape';
import { loadAsset } from '../../storage/assets';
import { beforeKeeping, keepGround, keptGround, keptStages } from '../../storage/kept';
import {
  ROLL_PICTURE,
  THUMBNAIL,
  type EngineFacts,
  type Listener,
  type Outcome,
  type MaskPicture,
  type Picture,
  type PictureRequest,
  type Reached,
  type ReportOutcome,
} from '../api';
import { pngBlob } from '../images';
import { jobs, outcome } from '../jobs';
import { paced } from '../paced';
import { PreviewSizes } from './preview-size';
import { kernels, knownEnd, cache, tools, state, toldOfLosses } from '../state';

const sizes = new PreviewSizes();

/** Stage keys whose pictures the page has. */
const pictured = new Set<string>();
/** In the order they are offered. */
const LAYER_ORDER = ['flow', 'cut', 'fill', 'water', 'sediment', 'loose', 'ice', 'till'];

/** Works out for the screen: what was being worked out for it before is given up. */
async function workOut(course: Course, ground: Ground, listener: Listener, previous?: Evaluation): Promise<Evaluation> {
  const tell = paced((step: string, share: number, keeps: boolean) => listener.progress(step, share, keeps));
  const options: Parameters<typeof evaluate>[1] = {
    kernels,
    cache,
    kept: ground === course.ground ? keptStages : undefined,
    ground,
    previous,
    everyLine: true,
    signal: jobs.begin('picture'),
    halt: jobs.begin('halt'),
    asset: loadAsset,
    onProgress: ({ use, share }) => tell(use.name || stepById(use.step).title, share, 'until' in stepById(use.step).params.shape),
    // A tributary's ground is not what the view shows.
    onStanding: ({ use, field }) => findUse(course, use.id)?.line.id === '' && listener.standing(field.ground, field.height as Float32Array<ArrayBuffer>),
    onStage: (stage) => {
      const known = pictured.has(stage.key);
      const relief = known
        ? undefined
        : openPixels({ ground: { ...ground, sea: course.ground.sea }, height: stage.height }, THUMBNAIL.width, THUMBNAIL.height, course.cover);
      pictured.add(stage.key);
      listener.stage({ id: stage.use.id, key: stage.key, fault: stage.fault, words: stage.words, relief, took: stage.took });
    },
  };
  return beforeKeeping(() => evaluate(course, options));
}

export const previewApi = {
  facts(): EngineFacts {
    return { threads: kernels.threads, isolated: self.crossOriginIsolated, held: cache.bytes, limit: cache.limit };
  },

  stop(): void {
    jobs.stop('picture');
  },

  /** Ends the step that is worked on and keeps what there is of it. */
  keep(): void {
    jobs.stop('halt');
  },

  /** Works a course out, small or whole, and gives the ground back to be drawn. */
  async picture(
    course: Course,
    { preview, standing, mask, layer, of }: PictureRequest,
    listener: Listener,
  ): Promise<Outcome<Picture & { mask?: MaskPicture; layer?: LayerPicture; reached: Reached[]; said?: string }>> {
    const result = await outcome(async () => {
      const began = performance.now();
      const most = preview ? sizes.choose(course, state.full) : Infinity;
      const ground = preview ? previewGround(course.ground, most) : course.ground;
      const whole = !preview || ground === course.ground;
      const evaluation = await workOut(course, ground, listener, whole ? state.full?.evaluation : undefined);
      if (preview) sizes.learn(performance.now() - began);
      if (whole) {
        state.full = { course, evaluation };
        state.kept = undefined;
        if (!evaluation.stages.some((stage) => stage.fault || stage.reached)) keepGround(await groundKey(course), evaluation);
      }
      const stood = standing ? evaluation.stages.find((s) => s.use.id === standing) : undefined;
      const field = fieldOf({ ground, ...(stood ?? evaluation) }, course.ground);
      return {
        ...(await pictureOf(field, (stood ?? evaluation).height, performance.now() - began, ground !== course.ground)),
        mask: mask ? await maskPicture(course, evaluation, mask) : undefined,
        layer: layer ? await layerPicture(layer, course, field, evaluation, of, standing) : undefined,
        said: toldOfLosses(),
        reached: evaluation.stages.flatMap((s) => (s.reached ? [{ use: s.use.id, params: s.reached }] : [])),
      };
    });
    return result.ok ? transfer(result, [result.value.height.buffer]) : result;
  },

  /** The ground as it was worked out when the course was the same, in an earlier visit or another browser; null where it is not kept. */
  async keptGround(course: Course): Promise<Picture | null> {
    const began = performance.now();
    const kept = await keptGround(course);
    if (!kept) return null;
    const end = { ground: course.ground, layers: {}, ...kept };
    if (!state.full) state.kept = { key: await groundKey(course), evaluation: { ...end, stages: [] } };
    const picture = await pictureOf(fieldOf(end, course.ground), kept.height, performance.now() - began);
    return transfer(picture, [picture.height.buffer]);
  },

  /** What a step did, measured on the last full ground; null while there is none. */
  report(id: string): ReportOutcome {
    const stage = state.full?.evaluation.stages.find((s) => s.use.id === id);
    if (!stage || !state.full) return null;
    return {
      ...describeChange(stage.before, stage.height, state.full.evaluation.ground),
      took: stage.took,
      fault: stage.fault,
      words: stage.words,
      layers: Object.keys(stage.layers).filter((name) => stage.layers[name] !== stage.layersBefore[name]),
    };
  },

  /** What the channels say of the ground as a step leaves it; null while there is none. Beside the report, since it takes longer. */
  async drainage(id: string): Promise<DrainageReport | null> {
    const stage = state.full?.evaluation.stages.find((s) => s.use.id === id);
    if (!stage || !state.full) return null;
    const known = drained.get(stage.height);
    if (known) return known;
    const field = fieldOf({ ground: state.full.evaluation.ground, ...stage }, state.full.course.ground);
    const { ground } = field;
    const toSea = statistics(field).lowest < ground.sea;
    const report = describeDrainage(field, await drainageOf(kernels, field, { toSea }), defaultChannelArea(ground));
    drained.set(stage.height, report);
    return report;
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
    return answer.ok ? { width, height, pixels: await landscapePixels(kernels, fieldOf(answer.value, course.ground), width, height, course.cover) } : null;
  },

  /** A whole course in small, for its card among the rolls of the whole terrain. */
  async coursePicture(course: Course): Promise<{ width: number; height: number; pixels: Uint8ClampedArray<ArrayBuffer> } | null> {
    const { width, height } = ROLL_PICTURE;
    const answer = await outcome(() => evaluate(course, { kernels, ground: previewGround(course.ground, 129), asset: loadAsset }));
    return answer.ok ? { width, height, pixels: await landscapePixels(kernels, fieldOf(answer.value, course.ground), width, height, course.cover) } : null;
  },

  /** A starting course as a picture for its card, PNG. */
  async startingPicture(id: string): Promise<Blob | null> {
    const course = startingCourse(id)?.make();
    if (!course) return null;
    const answer = await outcome(() => evaluate(course, { kernels, ground: groundAtSamples(course.ground, 321) }));
    return answer.ok ? pngBlob(await landscapePixels(kernels, fieldOf(answer.value, course.ground), 320, 220, course.cover), 320, 220) : null;
  },

  /** The share of the last full ground under an elevation, and the length of that line, metres. */
  waterAt(level: number): { share: number; shoreline: number } | null {
    if (!state.full) return null;
    const field = fieldOf(state.full.evaluation, state.full.course.ground);
    return { share: shareUnderWater(field, level), shoreline: shorelineLength(field, level) };
  },

  /** What an order will cost. A newer question ends the one before. */
  measureLand(field: Field): Promise<Outcome<LandReport>> {
    return outcome(() => describeLand(tools.kernels, field, { signal: jobs.begin('land') }));
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
      if (layer === 'standing water') {
        const depth = waterDepth(await waterOf(kernels, fieldOf({ ground: at, height, layers }, course.ground), waterRulesOf(course)), 'all');
        return writeLayer({ ground: { ...at, datum: 0 }, height: depth }, name);
      }
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

  /** The water on the last full ground, or as it stands after a step; a sample's metres of water, or less than 0: the share of it that lies under a stream. */
  async water(course: Course, standing: string | null): Promise<Outcome<Float32Array<ArrayBuffer> | null>> {
    const result = await outcome(async () => {
      const end = await knownEnd(course);
      if (!end) return null;
      const stood = standing ? end.stages.find((s) => s.use.id === standing) : undefined;
      const field = fieldOf({ ground: end.ground, ...(stood ?? end) }, course.ground);
      const { depth, stream } = await waterOf(tools.kernels, field, waterRulesOf(course), { signal: jobs.begin('water') });
      for (let i = 0; i < depth.length; i++) if (depth[i] === 0 && stream[i] > 0) depth[i] = -stream[i];
      return depth;
    });
    return result.ok && result.value ? transfer(result, [result.value.buffer]) : result;
  },

  /** The terrain's picture for its card, from the last full ground. */
  async thumbnail(): Promise<Blob | null> {
    if (!state.full) return null;
    const { ground, height } = state.full.evaluation;
    return pngBlob(
      await landscapePixels(tools.kernels, { ground: { ...ground, sea: state.full.course.ground.sea }, height }, 320, 220, state.full.course.cover),
      320,
      220,
    );
  },
};

/** A ground as the page draws it; the heights are a copy, since they leave this thread. */
async function pictureOf(field: Field, own: Float32Array<ArrayBuffer>, took: number, preview = false): Promise<Picture> {
  const { ground, valid } = field;
  const height = valid ? fillForDisplay(own, ground.across, ground.down, valid) : own.slice();
  const stats = statistics(field);
  return {
    ground,
    height,
    statistics: stats,
    histogram: histogram(field, 160, stats),
    shareUnderWater: shareUnderWater(field, ground.sea),
    preview,
    took,
    // What stands in for another is drawn by how far off it is alone.
    patchErrors: preview ? undefined : await patchErrors(kernels, { ground, height }),
    valid,
  };
}

/** Reports by the ground they are of. */
const drained = new WeakMap<Float32Array, DrainageReport>();

/** A layer that the step `of` left, or the last one up to where the view stands; or the drainage of the ground itself. */
async function layerPicture(
  drape: LayerDrapeId,
  course: Course,
  field: Field,
  evaluation: Evaluation,
  of: string | null,
  standing: string | null,
): Promise<LayerPicture> {
  const { x, y } = spacingOf(field.ground);
  const cell = x * y;
  if (drape === 'drainage') {
    const toSea = statistics(field).lowest < field.ground.sea;
    const accumulation = spreadAccumulation(field, await drainageOf(kernels, field, { toSea }), 'multiple');
    for (let i = 0; i < accumulation.length; i++) accumulation[i] *= cell;
    return pictureOfLayer(drape, accumulation, cell);
  }
  if (drape === 'rock') {
    if (!course.rock) return { drape, values: null, low: 0, high: 0, of: '' };
    const { hardness } = await hardnessAtSurface(kernels, course.rock, field.ground, field.height);
    return { drape, values: Uint8Array.from(hardness, (h) => Math.round(255 * h)), low: 0, high: 100, of: '' };
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
