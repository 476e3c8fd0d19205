import {
  compareSides,
  differenceField,
  evaluate,
  fieldOf,
  findUse,
  rasterizeMesh,
  readHeights,
  readMeshFiles,
  resample,
  UplandError,
  withSamples,
  type Course,
  type Field,
  type Laid,
} from '@upland-cast/core';
import { loadAsset } from '../../storage/assets';
import { SIDE_BINS, type ComparedPicture, type SideSource } from '../api';
import type { tools } from '../state';

type Tools = typeof tools;

/** Samples along the longer side that are drawn. */
const DRAWN = 1025;
/** Samples of the difference that do not stretch its colours. */
const OUTLIERS = 0.995;

const MESH = /\.(obj|ply|stl|glb|gltf)$/i;

/** A side's ground; one that the engine has worked out is not worked out again. */
export async function fieldOfSide(tools: Tools, side: SideSource, like: Field | null, signal: AbortSignal): Promise<Field> {
  const worked = (course: Course) => evaluate(course, { kernels: tools.kernels, cache: tools.cache, asset: loadAsset, signal });
  switch (side.kind) {
    case 'course':
      return fieldOf(await worked(side.course), side.course.ground);
    case 'step': {
      const { stages, ground } = await evaluate(side.course, { kernels: tools.kernels, cache: tools.cache, asset: loadAsset, signal, everyLine: true });
      const stage = stages.find(({ use }) => use.id === side.id);
      if (!stage) throw new UplandError('no-step', `The step “${findUse(side.course, side.id)?.use.name || side.id}” has no ground of its own here.`);
      return fieldOf({ ground, height: stage.height, layers: stage.layers }, side.course.ground);
    }
    case 'file': {
      if (!MESH.test(side.name)) return onScale(await readHeights(side.bytes), side);
      const mesh = await readMeshFiles([{ name: side.name, bytes: side.bytes }]);
      const size = like ? { across: like.ground.across, down: like.ground.down } : undefined;
      return onScale(rasterizeMesh(mesh, { size, registration: like?.ground.registration }).field, side);
    }
  }
}

/** A file's heights as they are meant. */
const onScale = (field: Field, { scale, lift }: { scale: number; lift: number }): Field =>
  scale === 1 && lift === 0 ? field : { ...field, height: field.height.map((h) => (h + field.ground.datum - lift) / scale - field.ground.datum) };

/** Both sides on A's samples, what lies between them and what it means; and small enough to be drawn. */
export async function comparePicture(a: Field, b: Field, laid: Laid | 'fit' | 'usual', signal: AbortSignal): Promise<ComparedPicture> {
  const found = await compareSides(a, b, { laid: laid === 'usual' ? undefined : laid, fit: true, signal });
  const { on, fitted, ...numbers } = found;
  const difference = differenceField(a, on);
  const long = Math.max(a.ground.across, a.ground.down);
  const drawn = long > DRAWN ? withSamples(a.ground, Math.round((a.ground.across * DRAWN) / long), Math.round((a.ground.down * DRAWN) / long)) : a.ground;
  const small = (field: Field) => (drawn === a.ground ? field : resample(field, { ...drawn, datum: field.ground.datum, sea: field.ground.sea }, 'linear'));
  const [sa, sb, sd] = [small(a), small(on), small(difference)];
  const valid = sd.valid;
  return {
    ...numbers,
    fit: fitted!.fit,
    relation: fitted!.relation,
    left: fitted!.left,
    findings: fitted!.findings,
    sizes: { a: a.ground, b: b.ground },
    ground: drawn,
    heightA: sa.height.slice(),
    heightB: closed(sb, sa).slice(),
    difference: sd.height.slice(),
    valid,
    span: usualSpan(difference, found.between.maxAbs),
    histogram: histogramOf(a, on),
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
