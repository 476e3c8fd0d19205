import {
  arranged,
  compareSides,
  describeParts,
  differenceField,
  encode,
  evaluate,
  fieldOf,
  findUse,
  makeCourse,
  meaningOf,
  partsOfMesh,
  rasterizeMesh,
  readMeshFiles,
  readWith,
  resample,
  stepById,
  stepUse,
  toField,
  UplandError,
  withSamples,
  type Course,
  type Field,
  type Laid,
  type Mesh,
  type Reading,
  type StepUse,
} from '@upland-cast/core';
import { loadAsset } from '../../storage/assets';
import { SIDE_BINS, type ComparedPicture, type SideFacts, type SideSource } from '../api';
import type { Telling } from '../jobs';
import type { tools } from '../state';

type Tools = typeof tools;

/** Samples along the longer side that are drawn. */
const DRAWN = 1025;
/** Samples of the difference that do not stretch its colours. */
const OUTLIERS = 0.995;

/** A side that was read: its ground, or the mesh that becomes one beside the other side. */
export interface ReadSide {
  field?: Field;
  mesh?: { whole: Mesh; parts: { name: string; mesh: Mesh }[] };
  facts: SideFacts;
}

/** A side's ground; one that the engine has worked out is not worked out again. */
export async function readSide(tools: Tools, side: SideSource, tell: Telling, signal: AbortSignal): Promise<ReadSide> {
  const worked = (course: Course, everyLine = false) =>
    evaluate(course, {
      ...tools,
      asset: loadAsset,
      signal,
      everyLine,
      onProgress: ({ use, share }) => tell(use.name || stepById(use.step).title, share),
    });
  switch (side.kind) {
    case 'course':
      return { field: fieldOf(await worked(side.course), side.course.ground), facts: {} };
    case 'step': {
      const { stages, ground } = await worked(side.course, true);
      const stage = stages.find(({ use }) => use.id === side.id);
      if (!stage) throw new UplandError('no-step', `The step “${findUse(side.course, side.id)?.use.name || side.id}” has no ground of its own here.`);
      return { field: fieldOf({ ground, height: stage.height, layers: stage.layers }, side.course.ground), facts: {} };
    }
    case 'file': {
      tell(side.name, 0);
      return readFile(tools, side, signal);
    }
    case 'mesh': {
      tell(side.files[0].name, 0);
      const whole = await readMeshFiles(side.files, tools.kernels);
      return { mesh: { whole, parts: await partsOf(side.files, whole) }, facts: {} };
    }
  }
}

const BESIDE = /\.(bin|mtl|png|jpe?g)$/i;

/** Each file is a part; of a single one what hangs together. */
async function partsOf(files: { name: string; bytes: Uint8Array<ArrayBuffer> }[], whole: Mesh): Promise<{ name: string; mesh: Mesh }[]> {
  const [own, beside] = [files.filter(({ name }) => !BESIDE.test(name)), files.filter(({ name }) => BESIDE.test(name))];
  if (own.length < 2) return partsOfMesh(whole);
  return Promise.all(own.map(async (file) => ({ name: file.name, mesh: await readMeshFiles([file, ...beside]) })));
}

type FileSide = Extract<SideSource, { kind: 'file' }>;

/** A heightmap as it was settled, with what mends it, on the scale that its heights are meant at. */
async function readFile(tools: Tools, side: FileSide, signal: AbortSignal): Promise<ReadSide> {
  const { reading, meaning } = await readWith(side.bytes, side.reading, { signal });
  const field = arranged(toField(reading, meaning), side.reading);
  const mended = side.steps.length === 0 ? field : await mend(tools, field, side.steps, signal);
  const codes = reading.type[0] === 'f' ? {} : { codes: codesOf(reading, meaningOf(reading, meaning).scale) };
  return { field: onScale(mended, side), facts: codes };
}

function codesOf({ type, samples, unit, noData }: Reading, scale: number): SideFacts['codes'] {
  let [lowest, highest] = [Infinity, -Infinity];
  for (const code of samples) {
    if (code === noData) continue;
    if (code < lowest) lowest = code;
    if (code > highest) highest = code;
  }
  return { type, lowest, highest, metresACode: unit === 'm' || scale !== 1 ? scale : null };
}

/** Steps over heights that are given; where there were none there are none afterwards. */
async function mend(tools: Tools, field: Field, steps: StepUse[], signal: AbortSignal): Promise<Field> {
  const { ground, valid } = field;
  const sha = 'f'.repeat(64);
  const course = makeCourse('', ground, [stepUse('raster', { asset: sha }), ...steps]);
  const bytes = await encode(field, { format: 'tiff', type: 'f32' });
  const { height } = await evaluate(course, { kernels: tools.kernels, asset: async () => bytes.bytes, signal });
  return { ground, height, ...(valid ? { valid } : {}) };
}

/** A mesh as heights at the other side's samples, with its parts held against that. */
export function meshLaid({ mesh, facts }: ReadSide, like: Field | undefined, side: SideSource): ReadSide {
  const size = like && { across: like.ground.across, down: like.ground.down };
  const { field } = rasterizeMesh(mesh!.whole, { size, registration: like?.ground.registration });
  return { mesh, field: side.kind === 'mesh' ? onScale(field, side) : field, facts: { ...facts, parts: describeParts(mesh!.parts, like) } };
}

/** A file's heights as they are meant. */
const onScale = (field: Field, { scale, lift }: { scale: number; lift: number }): Field =>
  scale === 1 && lift === 0 ? field : { ...field, height: field.height.map((h) => (h + field.ground.datum - lift) / scale - field.ground.datum) };

let last: { id: number; a: Field; on: Field } | undefined;

/** The grounds that were compared last. */
export function held(id: number): { a: Field; on: Field } {
  if (last?.id !== id) throw new UplandError('not-open', 'Others have been compared since. Compare these again.');
  return last;
}

/** Both sides on A's samples, what lies between them and what it means; and small enough to be drawn. */
export async function comparePicture(
  { field: fa, facts: a }: ReadSide,
  { field: fb, facts: b }: ReadSide,
  laid: Laid | 'fit' | 'usual',
  signal: AbortSignal,
): Promise<ComparedPicture> {
  const [sideA, sideB] = [fa!, fb!];
  const found = await compareSides(sideA, sideB, { laid: laid === 'usual' ? undefined : laid, fit: true, signal });
  const { on, fitted, ...numbers } = found;
  last = { id: (last?.id ?? 0) + 1, a: sideA, on };
  const difference = differenceField(sideA, on);
  const { ground } = sideA;
  const long = Math.max(ground.across, ground.down);
  const drawn = long > DRAWN ? withSamples(ground, Math.round((ground.across * DRAWN) / long), Math.round((ground.down * DRAWN) / long)) : ground;
  const small = (field: Field) => (drawn === ground ? field : resample(field, { ...drawn, datum: field.ground.datum, sea: field.ground.sea }, 'linear'));
  const [sa, sb, sd] = [small(sideA), small(on), small(difference)];
  const valid = sd.valid;
  return {
    ...numbers,
    id: last.id,
    facts: { a, b },
    fit: fitted!.fit,
    relation: fitted!.relation,
    left: fitted!.left,
    findings: fitted!.findings,
    sizes: { a: ground, b: sideB.ground },
    ground: drawn,
    heightA: sa.height.slice(),
    heightB: closed(sb, sa).slice(),
    difference: sd.height.slice(),
    valid,
    span: usualSpan(difference, found.between.maxAbs),
    histogram: histogramOf(sideA, on),
  };
}

/** B where it has no height is drawn at A's. */
function closed(b: Field, a: Field): Float32Array<ArrayBuffer> {
  const { valid } = b;
  return valid ? b.height.map((h, i) => (valid[i] ? h : a.height[i])) : b.height;
}

/** What all but a few of the differences lie within, as a round number of metres. */
function usualSpan({ height, valid }: Field, most: number): number {
  if (!(most > 0)) return 1;
  const bins = new Uint32Array(2048);
  let count = 0;
  for (let i = 0; i < height.length; i++) {
    if (valid && !valid[i]) continue;
    count++;
    bins[Math.min(2047, Math.floor((Math.abs(height[i]) / most) * 2048))]++;
  }
  let [k, below] = [0, bins[0]];
  while (k < 2047 && below < OUTLIERS * count) below += bins[++k];
  const within = ((k + 1) / 2048) * most;
  const power = 10 ** Math.floor(Math.log10(within));
  return [1, 2, 5, 10].map((step) => step * power).find((step) => step >= within) ?? within;
}

function histogramOf(a: Field, b: Field): ComparedPicture['histogram'] {
  const bounds = (field: Field) => {
    let [low, high] = [Infinity, -Infinity];
    for (let i = 0; i < field.height.length; i++) {
      if (field.valid && !field.valid[i]) continue;
      const h = field.height[i] + field.ground.datum;
      if (h < low) low = h;
      if (h > high) high = h;
    }
    return { low, high };
  };
  const [ba, bb] = [bounds(a), bounds(b)];
  const [low, high] = [Math.min(ba.low, bb.low), Math.max(ba.high, bb.high)];
  const shares = (field: Field) => {
    const bins = new Float64Array(SIDE_BINS);
    const scale = high > low ? SIDE_BINS / (high - low) : 0;
    let count = 0;
    for (let i = 0; i < field.height.length; i++) {
      if (field.valid && !field.valid[i]) continue;
      bins[Math.min(SIDE_BINS - 1, Math.floor((field.height[i] + field.ground.datum - low) * scale))]++;
      count++;
    }
    return Array.from(bins, (n) => n / count);
  };
  return { low, high, a: shares(a), b: shares(b) };
}
