import {
  type AssetReading,
  type ErrorCode,
  linearFromSrgb,
  assetsOf,
  blockWaysOut,
  compareBorder,
  describeBorder,
  bundle,
  CODES,
  coverWeights,
  courseOfSource,
  drawMap,
  evaluate,
  extendEdges,
  fieldOf,
  fillForDisplay,
  nextSize,
  whyReceiverRefuses,
  exportOrder,
  planOf,
  prepare,
  previewGround,
  quantise,
  rangeOfCodes,
  readHeightmap,
  readWith,
  slope,
  spacingOf,
  statistics,
  StoppedError,
  symptomsOfNormals,
  misread,
  defaultCover,
  UplandError,
  writeLayer,
  writeProject,
  validOf,
  type Course,
  type Evaluation,
  type Cover,
  type DeliveryReport,
  type CoverOptions,
  type Field,
  type Ground,
  type ExportedFile,
  type MapSpec,
  type Order,
  type Picture,
  type Plan,
  type Prepared,
  type StageCache,
  type Kernels,
  type Symptom,
  type MisreadSettings,
  distanceFromSeen,
  distanceLaidOut,
  evaluateAtSamples,
  resampleEvaluation,
  sharedStatistics,
  sameSamples,
  usualSampling,
  type SamplingReport,
} from '@upland-cast/core';
import { framesOf, requestToBytes } from '../../run/frames';
import { loadAsset } from '../../storage/assets';
import { browserWriter } from '../writing';
import type { Pixels } from '../../drawing/pictures';
import type { CameIn, HandedOn, MapDrape, OrderCost, TrialResult } from '../api';
import { reliefPixels } from '../../drawing/relief';

export interface Tools {
  kernels: Kernels;
  cache: StageCache;
}

/** A picture file as colour, three bytes a pixel. */
async function pictureOf(sha: string): Promise<Picture> {
  const bitmap = await createImageBitmap(new Blob([await loadAsset(sha)]), { colorSpaceConversion: 'none' }).catch(() => {
    throw new UplandError('picture', 'One of the pictures of the ground colour cannot be read as a picture.');
  });
  const canvas = new OffscreenCanvas(bitmap.width, bitmap.height);
  const pen = canvas.getContext('2d')!;
  pen.drawImage(bitmap, 0, 0);
  const { data } = pen.getImageData(0, 0, bitmap.width, bitmap.height);
  const rgb = new Uint8Array(3 * bitmap.width * bitmap.height);
  for (let i = 0, k = 0; i < data.length; i += 4) for (let c = 0; c < 3; c++) rgb[k++] = data[i + c];
  return { width: bitmap.width, height: bitmap.height, rgb };
}

export const coverOptions = ({ kernels, cache }: Tools, signal?: AbortSignal): CoverOptions => ({
  kernels,
  cache,
  asset: loadAsset,
  picture: pictureOf,
  signal,
});

/** What an order will cost, measured on the ground at its own samples; on what is `known` of the course's end, where that is handed on. */
export async function orderCost(tools: Tools, course: Course, order: Order, signal: AbortSignal, known: Evaluation | null = null): Promise<OrderCost> {
  const larger = whyReceiverRefuses(order.receiver, order.samples) ? nextSize(order.receiver, order.samples) : null;
  // A count that the receiver does not take: what it would make of it.
  const plan: Plan = larger ? { ground: course.ground, window: { left: 0, top: 0, across: order.samples, down: order.samples } } : planOf(course, order);
  const [source] = order.grounds;
  const evaluation = known && source.kind === 'end' ? known : await evaluate(courseOfSource(course, source), coverOptions(tools, signal));
  const field: Field = fieldOf(evaluation, course.ground);
  const stats = statistics(field);
  const shared = order.height.oneRange && order.grounds.length > 1 ? await sharedHere(tools, course, order, plan, signal) : stats;
  const spacing = spacingOf(plan.ground);
  const { window } = plan;
  const cost: OrderCost = {
    across: window.across,
    down: window.down,
    spacing: spacing.x,
    workedAt: [plan.ground.across, plan.ground.down],
    statistics: stats,
    over: shared,
    layers: Object.keys(evaluation.layers),
    words: [],
    toTypeIn: [],
    clipped: 0,
    metresPerCode: 0,
    codes: 0,
    holes: field.valid ? field.valid.reduce((n, v) => n + 1 - v, 0) : 0,
    border: borderOf(field, order),
    strip: larger ? larger - order.samples : Math.max(0, window.left + window.across - plan.ground.across, window.top + window.down - plan.ground.down),
  };
  const at = { ...plan.ground, sea: course.ground.sea };
  if (!larger && !sameSamples(at, course.ground)) {
    const how = order.sampling === 'auto' ? usualSampling(course.ground, at) : order.sampling;
    cost.sampling = { how, report: how === 'resampled' ? distanceFromSeen(field, fieldOf(resampleEvaluation(evaluation, at), at), how) : null };
  }
  if (cost.strip > 0) cost.picture = stripPicture(field, cost.strip / order.samples);
  if (larger) return cost;
  if (order.receiver.heights.by === 'print') return { ...cost, toTypeIn: [printedSize(order.receiver.heights, field.ground, stats)] };
  return order.height.on ? withHeights(cost, field, order, shared) : cost;
}

function printedSize({ scale, base }: { scale: number; base: number }, { width, depth }: Ground, { lowest, highest }: ReturnType<typeof statistics>) {
  const size = (m: number) => Number(((m * 1000) / scale).toPrecision(4));
  return { label: 'Size', value: `${size(width)} × ${size(depth)} × ${size(highest - lowest) + base} mm` };
}

/** What the file of heights will say, and what it cannot hold. */
function withHeights(before: OrderCost, field: Field, order: Order, shared: ReturnType<typeof statistics>): OrderCost {
  const cost = { ...before };
  const prepared = prepare(field, order.receiver, { ...order.height, options: { order: order.height.order, rows: order.height.rows } }, shared);
  // As the receiver has it: a block world's land has moved.
  Object.assign(cost, { words: prepared.words, toTypeIn: prepared.toTypeIn, border: borderOf(prepared.field, order) });
  if (cost.holes && CODES[order.height.type] && order.height.noData === null) {
    cost.words = [
      ...cost.words,
      `${cost.holes} samples have no height, and these codes have none for that. Give a no-data code, write floats, or add the step Fill voids.`,
    ];
  } else if (CODES[order.height.type]) {
    const { step, clipped } = quantise(prepared.field, prepared.encoding);
    const { lowest, highest } = statistics(prepared.field);
    Object.assign(cost, { clipped: clipped + prepared.cut, metresPerCode: step, codes: Math.floor((highest - lowest) / step) + 1 });
  }
  const { range, unit } = prepared.encoding;
  cost.range = range ?? unit;
  if (order.receiver.heights.by === 'blocks') {
    const { edge } = order.receiver.heights;
    cost.waysOut = blockWaysOut(order.receiver.heights, field.ground.sea, shared);
    cost.picture = { width: 340, height: 220, pixels: reliefPixels(prepared.field, 340, 220, true) };
    cost.words = [...cost.words, `${share(prepared.field)} % of it lies under water. Blocks are ${edge} m.`];
  }
  return cost;
}

/** Lowest and highest over all grounds of an order, at the terrain's own samples. */
const sharedHere = (tools: Tools, course: Course, order: Order, plan: Plan, signal: AbortSignal) =>
  sharedStatistics(
    order.grounds,
    async (source) => fieldOf(await evaluate(courseOfSource(course, source), coverOptions(tools, signal)), course.ground),
    sameSamples(plan.ground, course.ground)
      ? plan
      : { ground: course.ground, window: { left: 0, top: 0, across: course.ground.across, down: course.ground.down } },
  );

const borderOf = (field: Field, { receiver: { around } }: Order) => (around === null ? [] : describeBorder(compareBorder(field, around), around));

/** The ground with its outer values carried on over a share of its width, as a receiver would show it. */
function stripPicture(field: Field, share: number): Pixels {
  const { across, down } = field.ground;
  const side = 300;
  return {
    width: side,
    height: side,
    pixels: reliefPixels(extendEdges(field, across + Math.max(1, Math.round(across * share)), down + Math.max(1, Math.round(down * share))), side, side),
  };
}

const share = (field: Field) => {
  const level = field.ground.sea - field.ground.datum;
  return ((100 * field.height.reduce((n, h) => n + (h < level ? 1 : 0), 0)) / field.height.length).toFixed(1);
};

/** The ranges that the files of a course came in with: what the ends of their codes stand for. Files of floats have none. */
export async function rangesIn(course: Course): Promise<CameIn[]> {
  const found: CameIn[] = [];
  for (const sha of assetsOf(course)) {
    const file = course.assets[sha];
    if (!file || /\.(glb|gltf|obj|ply|stl)$/i.test(file.name)) continue;
    const known = cameIn.get(`${sha}:${JSON.stringify(file.reading ?? {})}`) ?? (await rangeIn(sha, file.reading));
    cameIn.set(`${sha}:${JSON.stringify(file.reading ?? {})}`, known);
    if (known) found.push({ name: file.name, ...known });
  }
  return found;
}

/** By the file and how it is read. */
const cameIn = new Map<string, { low: number; high: number } | null>();

async function rangeIn(sha: string, settled?: AssetReading): Promise<{ low: number; high: number } | null> {
  try {
    const { reading, meaning } = await readWith(await loadAsset(sha), settled);
    return rangeOfCodes(reading, meaning) ?? null;
  } catch {
    // A picture of the cover, or a tile of hand work: it holds no heights.
    return null;
  }
}

/** How far the ground of an order, worked out again, lies from the one that was seen. */
export async function distanceOfOrder(tools: Tools, course: Course, order: Order, signal: AbortSignal): Promise<SamplingReport | null> {
  const { ground } = planOf(course, order);
  const own = courseOfSource(course, order.grounds[0]);
  return (await evaluateAtSamples(own, { ...ground, sea: course.ground.sea }, 'worked', coverOptions(tools, signal))).sampling;
}

/** How far the terrain lies from what is seen once its own samples are others. */
export const distanceAtSamples = (tools: Tools, course: Course, ground: Ground, signal: AbortSignal): Promise<SamplingReport | null> =>
  distanceLaidOut(course, ground, coverOptions(tools, signal));

/** Maps that are made of more than the heights at the end of the course. */
const OF_STEPS: readonly MapSpec['kind'][] = ['layer', 'mask', 'colour', 'weights'];

/**
 * A map as it will be: the ground and its colours, on fewer samples, or on all of them where it is `whole`. What is `known` of the course's end is
 * taken instead of working it out again, where the map is made of that alone and every sample has a height.
 */
export async function mapDrape(
  tools: Tools,
  course: Course,
  source: Order['grounds'][number],
  spec: MapSpec | { kind: 'ground' },
  signal: AbortSignal,
  { whole = false, known = null }: { whole?: boolean; known?: Evaluation | null } = {},
): Promise<MapDrape> {
  const own = courseOfSource(course, source);
  const options = coverOptions(tools, signal);
  const ground = { ...(whole ? own.ground : previewGround(own.ground)), sea: course.ground.sea };
  const stands = known && (spec.kind === 'ground' || !OF_STEPS.includes(spec.kind)) && !validOf(known.layers);
  const evaluation = stands ? resampleEvaluation({ ...known, layers: {} }, ground) : await evaluate({ ...own, ground }, options);
  const worked = fieldOf(evaluation, course.ground);
  const { valid } = worked;
  // Drawn without its holes; what is measured leaves them out.
  const height = valid ? fillForDisplay(worked.height, ground.across, ground.down, valid) : worked.height.slice();
  const base = { ground: worked.ground, height, statistics: statistics(worked) };
  if (spec.kind === 'ground') return { ...base, rgb: null, legend: null, words: [] };
  const cover: Cover = course.cover ?? defaultCover();
  const count = height.length;
  const rgb = new Uint8Array(4 * count).fill(255);
  if (spec.kind === 'weights') {
    // Each part in its layer's colour, as bright as its weight.
    const parts = await coverWeights(own, { ...evaluation, height }, cover, options);
    const colours = [cover.stops[Math.floor(cover.stops.length / 2)].colour, ...cover.layers.map((l) => l.colour)];
    for (let i = 0; i < count; i++)
      for (let c = 0; c < 3; c++)
        rgb[4 * i + c] = Math.min(
          255,
          parts.reduce((sum, p, k) => sum + p[i] * colours[k][c], 0),
        );
    return { ...base, rgb, legend: null, words: [['ground', ...cover.layers.map((l) => l.name)].join(', ')] };
  }
  const drawn = await drawMap(spec, own, { ...evaluation, height }, cover, options);
  if ('images' in drawn) {
    const { samples } = drawn.images[0].image;
    const shift = samples instanceof Uint16Array ? 8 : 0;
    for (let i = 0; i < count; i++) for (let c = 0; c < 3; c++) rgb[4 * i + c] = samples[3 * i + c] >> shift;
    return { ...base, rgb, legend: null, words: drawn.words.filter((w) => !w.startsWith('One texel')) };
  }
  const scale = 255 / (drawn.high - drawn.low);
  for (let i = 0; i < count; i++) {
    const grey = Math.min(255, Math.max(0, Math.round((drawn.field.height[i] - drawn.low) * scale)));
    rgb[4 * i] = rgb[4 * i + 1] = rgb[4 * i + 2] = grey;
  }
  return { ...base, rgb, legend: { low: drawn.low, high: drawn.high, unit: drawn.unit }, words: drawn.words };
}

/** What the last delivery wrote for heights and normals: what trial readings read. */
let last: { field: Field; prepared?: Prepared; height?: ExportedFile; normal?: ExportedFile; order: Order } | undefined;

/** What an order is carried out with, beside the terrain. */
interface Given {
  handle?: FileSystemFileHandle;
  onServer: boolean;
  spotsBefore: Record<string, number>;
  relief(field: Field): Promise<string>;
}
type OnWork = (words: string, share: number) => void;

/**
 * Carries an order out: one file as it is, several as a bundle; into a file on disk where one is
 * given, else into memory. Where the thread that writes files ends, it is begun again, once.
 */
export async function carryOut(tools: Tools, course: Course, order: Order, given: Given, onWork: OnWork, signal: AbortSignal): Promise<HandedOn> {
  try {
    return await carryOutOnce(tools, course, order, given, onWork, signal);
  } catch (error) {
    if (!(error instanceof UplandError && error.code === 'writer-ended') || signal.aborted) throw error;
    onWork('The thread that writes files ended; it is begun again', 0);
    return carryOutOnce(tools, course, order, given, onWork, signal);
  }
}

async function carryOutOnce(tools: Tools, course: Course, order: Order, given: Given, onWork: OnWork, signal: AbortSignal): Promise<HandedOn> {
  last = undefined;
  const names: HandedOn['files'] = [];
  let first: ExportedFile | undefined;
  let normal: ExportedFile | undefined;
  let html = '';
  let docketJson = '';
  const beside = given.onServer ? undefined : browserWriter();
  const run = beside
    ? exportOrder(course, order, { ...coverOptions(tools, signal), onWork, relief: given.relief, spotsBefore: given.spotsBefore, writer: beside.writer })
    : handOnThere(course, order, onWork, signal);
  let docket: HandedOn['docket'] | undefined;
  async function* passed() {
    for (;;) {
      const next = await run.next();
      if (next.done) {
        docket = next.value;
        return;
      }
      const file = next.value;
      const { bytes, mediaType, ...reported } = file;
      if (file.role === 'report' && mediaType === 'text/html') html = new TextDecoder().decode(bytes);
      else if (file.role === 'report') docketJson = new TextDecoder().decode(bytes);
      else
        names.push({
          ...reported,
          size: bytes.length,
          blob: given.handle ? undefined : new Blob([bytes], { type: mediaType }),
        });
      first ??= file.role === 'heights' ? file : undefined;
      normal ??= file.role === 'normal' ? file : undefined;
      yield file;
    }
  }
  const sink = await given.handle?.createWritable();
  const pieces: Uint8Array<ArrayBuffer>[] = [];
  const write = sink ? (piece: Uint8Array<ArrayBuffer>) => sink.write(piece) : (piece: Uint8Array<ArrayBuffer>) => void pieces.push(piece);
  const plain = !order.docket && order.maps.length === 0 && !order.tiles && order.grounds.length === 1;
  let name = '';
  let mediaType = 'application/zip';
  try {
    if (plain) {
      for await (const file of passed()) {
        if (name) continue;
        [name, mediaType] = [file.name, file.mediaType];
        await write(file.bytes);
      }
    } else await bundle(passed(), write);
    await sink?.close();
  } catch (error) {
    await sink?.abort().catch(() => undefined);
    const full = error instanceof DOMException && /quota|space|disk/i.test(`${error.name} ${error.message}`);
    throw full ? new UplandError('disk-full', 'The disk is full: nothing was left of the delivery. Make room, or hand on fewer maps or fewer samples.') : error;
  } finally {
    beside?.end();
  }
  if (first && docket && !given.onServer) last = { field: await deliveredField(tools, course, order), order, height: first, normal };
  const blob = sink ? undefined : new Blob(pieces, { type: mediaType });
  return { files: names, docket: docket!, docketHtml: html, docketJson, name, mediaType, blob, written: given.handle?.name };
}

/** The same on the server, for work too large for a tab: the project goes there, the files come back one after the other. */
async function* handOnThere(
  course: Course,
  order: Order,
  onWork: (words: string, share: number) => void,
  signal: AbortSignal,
): AsyncGenerator<ExportedFile, DeliveryReport> {
  onWork('Sending the terrain to the server', 0);
  const assets = new Map<string, Uint8Array<ArrayBuffer>>();
  for (const sha of assetsOf(course)) assets.set(sha, await loadAsset(sha));
  const body = requestToBytes(JSON.stringify(order), writeProject({ course, assets }));
  const answer = await fetch('/api/run', { method: 'POST', body, signal, headers: { 'Content-Type': 'application/octet-stream' } }).catch((error: unknown) => {
    throw signal.aborted ? new StoppedError() : new UplandError('server', `The server did not answer: ${String(error)}.`);
  });
  if (!answer.ok || !answer.body) {
    const { sentence } = (await answer.json().catch(() => ({}))) as { sentence?: string };
    throw new UplandError('server', sentence ?? `The server answered with ${answer.status}.`);
  }
  let file: { head: Omit<ExportedFile, 'bytes'>; bytes: Uint8Array<ArrayBuffer>; at: number } | undefined;
  for await (const frame of framesOf(answer.body)) {
    if (frame.kind === 'progress') onWork(frame.words, frame.share);
    else if (frame.kind === 'fault') throw new UplandError(frame.code as ErrorCode, frame.sentence);
    else if (frame.kind === 'docket') return frame.docket as unknown as DeliveryReport;
    else if (frame.kind === 'file') file = { head: frame.file as unknown as Omit<ExportedFile, 'bytes'>, bytes: new Uint8Array(frame.size), at: 0 };
    else if (file) {
      file.bytes.set(frame.bytes, file.at);
      file.at += frame.bytes.length;
      if (file.at < file.bytes.length) continue;
      yield { ...file.head, bytes: file.bytes };
      file = undefined;
    }
  }
  throw new UplandError('server', 'The server’s answer broke off. Nothing was handed on.');
}

/** The ground that was delivered, from the cache. */
async function deliveredField(tools: Tools, course: Course, order: Order): Promise<Field> {
  const plan = planOf(course, order);
  const { evaluation } = await evaluateAtSamples(
    courseOfSource(course, order.grounds[0]),
    { ...plan.ground, sea: course.ground.sea },
    order.sampling,
    coverOptions(tools),
    { measure: false },
  );
  return fieldOf(evaluation, course.ground);
}

/** The heights of the last delivery as a receiver reads them that was told right or wrong, beside what was meant. */
async function arrived(told: MisreadSettings) {
  if (!last?.height) throw new UplandError('trial', 'Hand something on first: a trial reads what was written.');
  const { field, order, height } = last;
  const whole = planWhole(field, order);
  if (!whole) throw new UplandError('trial', 'A trial reads a delivery in one piece: hand the whole ground on, without tiles or a frame.');
  const prepared = prepare(field, order.receiver, { ...order.height, options: { order: order.height.order, rows: order.height.rows } });
  const { encoding } = prepared;
  const truth = prepared.field;
  const { field: got, symptoms } = await misread(
    height.bytes,
    truth,
    { format: encoding.format, type: encoding.type, range: encoding.range, unit: encoding.unit, order: order.height.order, rows: order.height.rows },
    told,
  );
  return { field, truth, got, symptoms };
}

/** What arrives, as a float TIFF. */
export async function arrivedFile(told: MisreadSettings): Promise<{ name: string; bytes: Uint8Array<ArrayBuffer> }> {
  const { got } = await arrived(told);
  const wrong = Object.values(told).some((v) => v !== undefined && v !== false);
  const name = `${last!.height!.name.replace(/\.[^.]*$/, '')}${wrong ? ' misread' : ' as it arrives'}.tif`;
  return { name, bytes: await writeLayer(got, name) };
}

/** The last delivery as a receiver reads it that was told right or wrong. */
export async function trial(told: MisreadSettings & { asColour?: boolean; greenTurned?: boolean }): Promise<TrialResult> {
  const { field, truth, got, symptoms } = await arrived(told);
  if (!last) throw new UplandError('trial', 'Hand something on first: a trial reads what was written.');
  const all: Symptom[] = [...symptoms];
  const side = 320;
  let lit: Pixels[] | undefined;
  if (last.normal && (told.asColour || told.greenTurned)) {
    const channels = await Promise.all([1, 2, 3].map((band) => readHeightmap(last!.normal!.bytes, undefined, { band })));
    const count = channels[0].samples.length;
    const rgb = new Uint16Array(3 * count);
    for (let i = 0; i < count; i++) for (let c = 0; c < 3; c++) rgb[3 * i + c] = channels[c].samples[i];
    const full = channels[0].type === 'u16' ? 65_535 : 255;
    all.push(...symptomsOfNormals(field, rgb, full, told));
    lit = [{}, told].map((read) => ({ width: side, height: side, pixels: litNormals(rgb, full, field.ground.across, field.ground.down, side, read) }));
  }
  const shown = (f: Field) => ({ width: side, height: side, pixels: reliefPixels(f, side, side, true) });
  const { lowest, highest } = statistics(got);
  return {
    truth: lit?.[0] ?? shown(truth),
    got: lit?.[1] ?? shown(got),
    symptoms: all,
    lowest,
    highest,
    meanSlope: meanOf(slope(got)),
    trueSlope: meanOf(slope(truth)),
    hasNormal: Boolean(last.normal),
  };
}

const meanOf = (values: Float32Array) => values.reduce((sum, v) => sum + v, 0) / values.length;
const planWhole = (field: Field, order: Order) => !order.tiles && !order.frame && order.fit === 'anew' && field.height.length > 0;

/** The ground lit from the north-west by its normal map alone, as that is read. */
function litNormals(
  rgb: Uint16Array,
  full: number,
  across: number,
  down: number,
  side: number,
  read: { asColour?: boolean; greenTurned?: boolean },
): Uint8ClampedArray<ArrayBuffer> {
  const pixels = new Uint8ClampedArray(4 * side * side);
  const value = (code: number) => {
    const v = code / full;
    return 2 * (read.asColour ? linearFromSrgb(v) : v) - 1;
  };
  for (let y = 0; y < side; y++) {
    for (let x = 0; x < side; x++) {
      const at = 3 * (Math.floor((y * down) / side) * across + Math.floor((x * across) / side));
      const [east, north, up] = [value(rgb[at]), (read.greenTurned ? -1 : 1) * value(rgb[at + 1]), value(rgb[at + 2])];
      const length = Math.hypot(east, north, up) || 1;
      const light = Math.max(0, (-0.5 * east + 0.5 * north + 0.707 * up) / length);
      const i = 4 * (y * side + x);
      pixels[i] = 34 + light * 215;
      pixels[i + 1] = 41 + light * 205;
      pixels[i + 2] = 43 + light * 195;
      pixels[i + 3] = 255;
    }
  }
  return pixels;
}
